"""The validator in a process of its own, offline, within bounds of time and memory: it reads taxonomy packages, and
judges filings before they are handed out."""

from __future__ import annotations

import base64
import os
import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Final

from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.filings.taxonomy import check_circles
from rulka.formats.filings.package import TaxonomyPackage, check_references, open_package
from rulka.formats.intake.apart import answer, ask

SECONDS: Final = 240
ENDINGS: Final = {"xbrl": "xbrl", "ixbrl": "xhtml"}
JUDGES: Final = ("WARNING", "ERROR", "CRITICAL", "INCONSISTENCY", "ASSERTION", "ASSERTION-NOT-SATISFIED")
"""Levels of messages that say something is wrong."""

TOTAL_LABEL: Final = "http://www.xbrl.org/2003/role/totalLabel"
OWN: Final = ("http://www.xbrl.org/", "http://xbrl.org/", "https://xbrl.org/", "http://www.w3.org/")
"""What the standards' own namespaces begin with."""


def read_apart(data: bytes, name: str, entry: str = "") -> dict[str, Any]:
    """A taxonomy package, plain; raises RulkaError with what stands against it."""
    too_much = RulkaError(f"{name[:80]} is too much to be read.", hint="Load a smaller entry point.", subject=name[:80])
    asked = {"do": "read", "data": base64.b64encode(data).decode(), "name": name, "entry": entry}
    told: dict[str, Any] = ask("rulka.formats.filings.apart", asked, seconds=SECONDS, too_much=too_much)
    return told


def judged_apart(filing: bytes, form: str, package: bytes) -> dict[str, Any]:
    """What the validator says of a filing: `messages` (level, code, message), empty where nothing is wrong, and the
    `facts` that it read back."""
    too_much = RulkaError("The filing is too much to be validated.", hint="File fewer sections.", subject="filing")
    asked = {
        "do": "judge", "data": base64.b64encode(filing).decode(), "form": form,
        "package": base64.b64encode(package).decode(),
    }  # fmt: skip
    told: dict[str, Any] = ask("rulka.formats.filings.apart", asked, seconds=SECONDS, too_much=too_much)
    return told


def _answered(asked: Mapping[str, Any]) -> dict[str, Any]:
    data = base64.b64decode(asked["data"])
    if asked["do"] == "read":
        return _read(data, asked["name"], asked["entry"])
    return _judged(data, asked["form"], base64.b64decode(asked["package"]))


def _read(data: bytes, name: str, entry_name: str) -> dict[str, Any]:
    package = open_package(data, name)
    entry = package.entry(entry_name)
    check_references(package, entry)
    with _validated(entry.href, data) as (model, messages):
        if model is None:
            raise RulkaError("It can't be read.", hint=_said(messages) or "Ask its registry.", subject=name[:80])
        told = _told(model, package, entry.href)
    if not told["concepts"]:
        raise RulkaError("It has no concept.", hint="Choose another entry point.", subject=name[:80])
    if messages:
        errors = [RulkaError(f"{one['message'][:300]} [{one['code']}]") for one in messages]
        raise RulkaErrors(errors, message=f"{name[:80]} isn't valid; nothing was kept. Ask its registry.")
    return told


def _said(messages: list[dict[str, str]]) -> str:
    return "; ".join(one["message"][:200] for one in messages[:3])


@contextmanager
def _validated(entry: str, package: bytes, **options: Any) -> Iterator[tuple[Any, list[dict[str, str]]]]:
    """A document loaded and validated offline: its model, None where it couldn't be loaded, and what is wrong."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_CACHE_HOME"] = folder
        from arelle.api.Session import Session
        from arelle.logging.handlers.StructuredMessageLogHandler import StructuredMessageLogHandler
        from arelle.RuntimeOptions import RuntimeOptions

        kept = Path(folder) / "package.zip"
        kept.write_bytes(package)
        with Session() as session:
            session.run(
                RuntimeOptions(
                    entrypointFile=entry, packages=[str(kept)], internetConnectivity="offline", validate=True,
                    calcs="c11r", keepOpen=True, disablePersistentConfig=True, cacheDirectory=f"{folder}/cache",
                    logFile="logToStructuredMessage", **options,
                ),
                logHandler=StructuredMessageLogHandler(),
            )  # fmt: skip
            found = [
                {"level": str(one["levelname"]), "code": str(one["messageCode"]), "message": _words(one)}
                for one in session.get_log_messages()
                if str(one["levelname"]).upper() in JUDGES
            ]
            models = session.get_models()
            yield (models[0] if models else None), found


def _words(told: Mapping[str, Any]) -> str:
    return " ".join(str(told["msg"]).split())


# taxonomies -----------------------------------------------------------------------------------------------------------


def _arcs(
    model: Any, named: Callable[[Any], str], arcroles: tuple[str, ...], *, weighted: bool = False
) -> dict[str, list[list[str]]]:
    """By role the pairs of names that arcs join, in their order; weighted ones with their weight."""
    found: dict[str, list[list[str]]] = {}
    for arcrole in arcroles:
        for role in _roles(model, arcrole):
            relations = model.relationshipSet(arcrole, role).modelRelationships
            rows = found.setdefault(role, [])
            for one in sorted(relations, key=lambda one: one.order or 0):
                if one.fromModelObject is None or one.toModelObject is None:
                    continue
                row = [named(one.fromModelObject.qname), named(one.toModelObject.qname)]
                rows.append([*row, str(one.weightDecimal)] if weighted else row)
    return found


def _told(model: Any, package: TaxonomyPackage, entry: str) -> dict[str, Any]:
    """What a loaded taxonomy holds, plain."""
    from arelle import XbrlConst

    prefixes: dict[str, str] = {}

    def named(qname: Any) -> str:
        prefix = qname.prefix or "tax"
        while prefixes.setdefault(prefix, qname.namespaceURI) != qname.namespaceURI:
            prefix += "x"
        return f"{prefix}:{qname.localName}"

    concepts = [
        one for one in model.qnameConcepts.values()
        if one.isItem and not str(one.qname.namespaceURI).startswith(OWN)
    ]  # fmt: skip

    shown = _arcs(model, named, (XbrlConst.parentChild,))
    sums = _arcs(model, named, (XbrlConst.summationItem, XbrlConst.summationItem11), weighted=True)
    divided = _arcs(model, named, (XbrlConst.domainMember, XbrlConst.dimensionDomain))
    roles = {
        role: (model.roleTypeDefinition(role) or role) for role in dict.fromkeys((*shown, *sums, *divided))
    }  # fmt: skip
    check_circles({"arcs": {"presentation": shown, "calculation": sums, "definition": divided}})
    cubes, within = _cubes(model, named)
    return {
        "title": package.title or package.name, "version": package.version, "identifier": package.identifier,
        "entry": entry, "concepts": [_concept(one, named(one.qname)) for one in concepts],
        "arcs": {"presentation": shown, "calculation": sums, "definition": divided},
        "roles": {role: " ".join(str(told).split())[:200] for role, told in roles.items()}, "cubes": cubes,
        "within": within, "namespaces": prefixes,
    }  # fmt: skip


def _roles(model: Any, arcrole: str) -> list[str]:
    """The parts of a taxonomy that relate something so, in the order in which they were read."""
    return list(dict.fromkeys(key[1] for key in model.baseSets if key[0] == arcrole and key[1]))


def _concept(concept: Any, name: str) -> dict[str, Any]:
    from arelle import XbrlConst

    said = {
        role: concept.label(role, fallbackToQname=False, lang="en")
        for role in (
            XbrlConst.standardLabel, XbrlConst.terseLabel, XbrlConst.verboseLabel, TOTAL_LABEL,
            XbrlConst.documentationLabel,
        )
    }  # fmt: skip
    label = said[XbrlConst.standardLabel] or concept.label(fallbackToQname=False) or concept.qname.localName
    about = said.pop(XbrlConst.documentationLabel) or ""
    others = [one for one in dict.fromkeys(said.values()) if one and one != label]
    return {
        "name": name, "label": label, "kind": _kind(concept), "period": concept.periodType or "duration",
        "balance": concept.balance or "", "abstract": bool(
            concept.isAbstract or concept.isDimensionItem or concept.isHypercubeItem
        ), "labels": others, "about": about[:600],
    }  # fmt: skip


def _kind(concept: Any) -> str:
    if concept.isMonetary:
        return "money"
    if concept.isShares:
        return "shares"
    if concept.isTextBlock:
        return "block"
    own = concept.typeQname.localName if concept.typeQname is not None else ""
    if own == "perShareItemType":
        return "per share"
    base = concept.baseXbrliType or ""
    if base in ("pureItemType", "fractionItemType"):
        return "pure"
    if concept.isNumeric:
        return "number"
    if base == "dateItemType":
        return "date"
    return "text" if base in ("stringItemType", "normalizedStringItemType", "tokenItemType") else "other"


def _cubes(model: Any, named: Any) -> tuple[list[dict[str, Any]], str]:
    """What is reported by member, and where members stand in a context."""
    from arelle import XbrlConst

    found, elements = [], []
    defaults = {
        named(one.fromModelObject.qname): named(one.toModelObject.qname)
        for one in model.relationshipSet(XbrlConst.dimensionDefault).modelRelationships
    }
    for role in _roles(model, XbrlConst.all):
        for has in model.relationshipSet(XbrlConst.all, role).modelRelationships:
            inner = has.targetRole or role
            axes: dict[str, list[str]] = {}
            for one in model.relationshipSet(XbrlConst.hypercubeDimension, inner).fromModelObject(has.toModelObject):
                axis_role = one.targetRole or inner
                domains = model.relationshipSet(XbrlConst.dimensionDomain, axis_role).fromModelObject(one.toModelObject)
                members: list[str] = []
                for domain in domains:
                    members += _below(model, domain.toModelObject, domain.targetRole or axis_role, named)
                axes[named(one.toModelObject.qname)] = list(dict.fromkeys(members))
            found.append({
                "role": str(model.roleTypeDefinition(role) or role),
                "concepts": _below(model, has.fromModelObject, role, named), "axes": axes,
                "defaults": {axis: defaults[axis] for axis in axes if axis in defaults}, "closed": bool(has.isClosed),
            })  # fmt: skip
            elements.append(str(has.contextElement or "scenario"))
    return found, elements[0] if elements else "scenario"


def _below(model: Any, top: Any, role: str, named: Any) -> list[str]:
    """Something with all that stands below it as its members."""
    from arelle import XbrlConst

    found, waiting = [], [(top, role)]
    while waiting:
        one, own = waiting.pop(0)
        name = named(one.qname)
        if name in found:
            continue
        found.append(name)
        for arc in model.relationshipSet(XbrlConst.domainMember, own).fromModelObject(one):
            waiting.append((arc.toModelObject, arc.targetRole or own))
    return found


# filings --------------------------------------------------------------------------------------------------------------


def _judged(data: bytes, form: str, package: bytes) -> dict[str, Any]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"filing.{ENDINGS[form]}"
        path.write_bytes(data)
        with _validated(str(path), package, validateDuplicateFacts="inconsistent") as (model, messages):
            facts = [_fact(one) for one in model.facts] if model is not None else []
            return {"messages": messages, "facts": facts}


def _fact(fact: Any) -> dict[str, Any]:
    context, unit = fact.context, fact.unit
    first = context.startDatetime.date().isoformat() if context.isStartEndPeriod else ""
    ends = context.endDatetime if context.isStartEndPeriod else context.instantDatetime
    measures = [[str(one) for one in side] for side in unit.measures] if unit is not None else []
    return {
        "concept": str(fact.qname), "entity": list(context.entityIdentifier), "first": first,
        "last": _day_before(ends), "unit": "/".join("*".join(side) for side in measures if side),
        "decimals": fact.decimals or "", "value": str(fact.value), "nil": bool(fact.isNil),
        "members": {str(axis): str(value.memberQname) for axis, value in context.qnameDims.items()},
    }  # fmt: skip


def _day_before(moment: Any) -> str:
    """The last day of a time whose end is told as the midnight after it."""
    from datetime import timedelta

    return str((moment - timedelta(days=1)).date())


if __name__ == "__main__":
    answer(_answered, seconds=SECONDS)
