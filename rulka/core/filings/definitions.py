"""A filing as asked for: which folio is filed, by which taxonomy, for whom; what its lines, columns and sections are
tagged as."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.values import is_whole

MOST_SCALE = 15


@dataclass(frozen=True)
class LineTag:
    """What a line of a statement is reported as. `turned` reports the opposite of what shows, `sure` says that this is
    right whatever the accounts say; `scale` and `unit` go before those of the figure."""

    line: str
    concept: str = ""
    turned: bool = False
    sure: bool = False
    scale: int | None = None
    unit: str = ""
    members: Mapping[str, str] = field(default_factory=dict)
    left_out: bool = False
    label: str = ""
    """What the line was called when it was tagged."""


@dataclass(frozen=True)
class ColumnTag:
    """Whether a column is reported, by which members; with a concept of its own where lines are members instead."""

    column: str
    reported: bool = True
    members: Mapping[str, str] = field(default_factory=dict)
    concept: str = ""


@dataclass(frozen=True)
class StatementTags:
    """The tags of one statement, as they are written: a line that is named twice stands here twice."""

    statement: str
    lines: tuple[LineTag, ...] = ()
    columns: tuple[ColumnTag, ...] = ()

    def line(self, key: str) -> LineTag | None:
        return next((one for one in self.lines if one.line == key), None)

    def column(self, key: str) -> ColumnTag | None:
        return next((one for one in self.columns if one.column == key), None)


@dataclass(frozen=True)
class TextTag:
    """One or more sections of words that are reported as one text, in the order of the folio."""

    concept: str
    sections: tuple[str, ...]


@dataclass(frozen=True)
class FilingDef:
    """A filing. `scheme` and `identifier` say who files; without a period or node those of the folio are meant."""

    name: str
    title: str
    about: str
    folio: str
    taxonomy: str
    scheme: str
    identifier: str
    period: str
    node: str
    former: str
    """The taxonomy that its tags were made for, where that was another one."""
    statements: tuple[StatementTags, ...]
    texts: tuple[TextTag, ...]

    def tags(self, statement: str) -> StatementTags:
        """The tags of a statement; none where it has none."""
        return next((one for one in self.statements if one.statement == statement), StatementTags(statement))


def filing_from(body: Mapping[str, Any]) -> FilingDef:
    """A checked mapping as a filing; raises RulkaError that says what is wrong."""
    return FilingDef(
        name=str(body["filing"]),
        title=str(body.get("title") or body["filing"]),
        about=str(body.get("about", "")),
        folio=str(body["folio"]),
        taxonomy=str(body["taxonomy"]),
        scheme=str(body.get("scheme", "")),
        identifier=str(body.get("identifier", "")),
        period=str(body.get("period", "")),
        node=str(body.get("node", "")),
        former=str(body.get("former taxonomy", "")),
        statements=tuple(_statement(one) for one in body.get("statements", ())),
        texts=tuple(
            TextTag(str(one["concept"]), tuple(str(key) for key in one["sections"])) for one in body.get("texts", ())
        ),
    )


def _statement(raw: Mapping[str, Any]) -> StatementTags:
    name = str(raw["statement"])
    return StatementTags(
        name,
        tuple(_line(one, f"{name}, {one.get('label') or one['line']}") for one in raw.get("lines", ())),
        tuple(
            ColumnTag(str(one["column"]), _yes(one.get("reported", "yes")), _members(one), str(one.get("concept", "")))
            for one in raw.get("columns", ())
        ),
    )


def _line(raw: Mapping[str, Any], where: str) -> LineTag:
    concept, left_out = str(raw.get("concept", "")), _yes(raw.get("left out", "no"))
    if bool(concept) == left_out:
        told = "It is tagged and left out." if concept else "It says neither a concept nor that it is left out."
        raise RulkaError(told, hint="Say one of both.", subject=where)
    return LineTag(
        line=str(raw["line"]),
        concept=concept,
        turned=str(raw.get("sign", "as shown")) == "turned",
        sure=_yes(raw.get("sure", "no")),
        scale=scale_from(str(raw["scale"]), where) if raw.get("scale") not in (None, "") else None,
        unit=str(raw.get("unit", "")),
        members=_members(raw),
        left_out=left_out,
        label=str(raw.get("label", "")),
    )


def scale_from(text: str, where: str) -> int:
    """A power of ten that a figure is shown in: 3 for thousands, -2 for percent."""
    digits = text.strip().removeprefix("-")
    if not is_whole(digits) or int(digits) > MOST_SCALE:
        raise RulkaError(
            f"'{text[:20]}' is no scale.", hint="Write a power of ten: 0 for units, 3 for thousands.", subject=where
        )
    return int(text)


def _yes(text: Any) -> bool:
    return str(text) == "yes"


def _members(raw: Mapping[str, Any]) -> Mapping[str, str]:
    return {str(axis): str(member) for axis, member in dict(raw.get("members", {})).items()}
