"""Templates: a workbook that somebody made around an output, taken once it holds what left, kept by versions, filled
with the output of another period. One gate for extracts, statements and worksheets, each of which opens by its own."""

from __future__ import annotations

import tempfile
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from pathlib import Path
from typing import Any, Protocol

from django.db import transaction
from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.formats.refill.checking import Linking, check_apart, codes_apart
from rulka.formats.refill.package import MOST_PACKED
from rulka.formats.refill.refilling import refill
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.models import Template
from rulka.statements.output.origins import Page, may_see
from rulka.work.services import leaving
from rulka.work.services.leaving import Left

MOST_NAMES, MOST_VERSIONS, MOST_DRAFTS = 50, 30, 5
DRAFT_LASTS = timedelta(days=1)
SMALLER = "Make the template of a smaller run, of one month: it grows with the rows."


@dataclass(frozen=True)
class Subject:
    """What a template is of, opened for somebody: its kind, key, name and title, whether they may change it for
    everybody, and the names of its layouts, of which a template is one; None where it has none."""

    ledger: Ledger
    kind: str
    key: int
    name: str
    title: str
    may_change: bool
    layouts: tuple[str, ...] | None = None

    @property
    def taken(self) -> tuple[str, ...]:
        """What a new template may not be called, in small letters."""
        return tuple(one.casefold() for one in self.layouts or ())


class TemplateKind(Protocol):
    """What templates can be made of: how it is opened, what of its output stays the reader's own, and what follows
    once one is kept. `route` names its page's address, `bar` its place in the bar."""

    route: str
    bar: str

    def opened(self, ledger: Ledger, name: str, person: Person | None) -> Subject:
        """What bears a name, for whoever may run it."""

    def linking(self, page: Page) -> Linking:
        """How an output is linked; raises for an output that can be no template."""

    def layout(self, subject: Subject, page: Page, person: Person | None) -> dict[str, Any]:
        """The layout by which an output is made before it is filled in."""

    def kept(self, template: Template, subject: Subject, person: Person | None) -> None:
        """What follows once a template is kept under its name."""

    def shows(self, template: Template | None) -> Mapping[str, str]:
        """What an address of its page carries to show a template."""


_KINDS: dict[str, TemplateKind] = {}


def makes_templates(name: str, kind: TemplateKind) -> None:
    """Register something whose output can become a template."""
    _KINDS[name] = kind


def kind_named(name: str) -> TemplateKind:
    """What is registered under a name."""
    if name not in _KINDS:
        raise NotFound(f"'{name[:20]}' has no templates.", hint=one_of(name, _KINDS), subject="template")
    return _KINDS[name]


def subject_of(ledger: Ledger, kind: str, name: str, person: Person | None) -> Subject:
    """What templates of a name are of, for whoever may run it."""
    return kind_named(kind).opened(ledger, name, person)


# taking ---------------------------------------------------------------------------------------------------------------


def begin(subject: Subject, data: bytes, file_name: str, person: Person | None) -> Template:
    """Take an uploaded workbook as a draft: held against the output that it was made of. Raises RulkaErrors with all
    that keeps it from being a template."""
    name = file_name[-120:]
    if len(data) > MOST_PACKED:
        too_large = f"The workbook is larger than {MOST_PACKED // 1_000_000} MB."
        raise RulkaError(too_large, hint=SMALLER, subject=name, code="too-large")
    with tempfile.TemporaryDirectory(prefix="rulka-template-") as folder:
        upload, original = Path(folder) / "upload.xlsx", Path(folder) / "original.xlsx"
        upload.write_bytes(data)
        left = leaving.find(codes_apart(upload, name))
        if left is None or not may_see(left, person):
            raise NotFound(
                "The workbook names no output that you may see.",
                hint="Begin with a workbook that was run here, and keep the sheet that says what was asked.",
                subject=name,
            )  # fmt: skip
        if (left.ledger, left.kind, left.name) != (subject.ledger.code, subject.kind, subject.name):
            raise RulkaError(f"It was made of {left.kind} {left.name}, not of '{subject.title}'.",
                             hint="Upload it there.", subject=name)  # fmt: skip
        content = leaving.content_of(left)
        page = leaving.pages_of(left)[0]
        if content is None or left.form != "xlsx":
            raise RulkaError("It is too long to be held against what left.", hint=SMALLER, subject=name)
        original.write_bytes(content)
        kind = kind_named(subject.kind)
        linking = replace(kind.linking(page), only=tuple(page.get("own") or ()), before=_before(subject, page))
        told = check_apart(upload, original, linking, name)
        layout = kind.layout(subject, page, person)
    _few_drafts(subject, person)
    return Template.objects.create(
        ledger=subject.ledger, kind=subject.kind, of=subject.key, person=person, file_name=name,
        base=str(page.get("base") or page.get("layout") or ""), name=str(page.get("template") or ""),
        layout=layout, data=data, told=told,
    )  # fmt: skip


def _before(subject: Subject, page: Page) -> dict[str, Any]:
    """What was told of the template that an output was filled into; nothing of one that was not, or is gone."""
    if "version" not in page:
        return {}
    versions = _all(subject).filter(name=page["template"], version=page["version"], owner=page["owner"])
    found = versions.values_list("told", flat=True).first()
    return dict(found or {"sheets": []})


def _few_drafts(subject: Subject, person: Person | None) -> None:
    """Of somebody's drafts only the newest stay."""
    drafts = _all(subject).filter(version=None, person=person).order_by("-pk")
    for old in drafts[MOST_DRAFTS - 1 :]:
        old.delete()


def find_draft(subject: Subject, number: int, person: Person) -> Template:
    """A draft that somebody uploaded; nobody else's."""
    found: Template | None = _all(subject).filter(pk=number, version=None, person=person).first()
    if found is None:
        raise NotFound("This upload is not waiting any more.", hint="Upload the workbook again.", subject="template")
    return found


def keep(
    subject: Subject, draft: Template, name: str, still: Collection[str], *, shared: bool, person: Person | None
) -> Template:  # fmt: skip
    """Keep a draft under a name: its first version, or the next one where it was made of a template of that name. What
    is named in `still` won't grow."""
    name = " ".join(name.split())[:80]
    if not name:
        raise RulkaError("A template needs a name.", hint="Such as 'Audit sample with signatures'.", subject="name")
    if shared and not subject.may_change:
        raise RulkaError("You may keep templates for yourself.", hint="Choose me.", subject="for", code="rights")
    owner = None if shared else person
    known = {one["id"] for one in draft.told["ranges"] if not one["fixed"]}
    with transaction.atomic():
        same = _all(subject).filter(owner=owner, name__iexact=name, version__isnull=False)
        former = same.first()
        # a template whose layout was deleted may be begun again
        is_gone = former is not None and subject.layouts is not None and name.casefold() not in subject.taken
        goes_on = former is not None and (is_gone or draft.name.casefold() == name.casefold())
        if former is not None and not goes_on:
            raise RulkaError(
                f"There is a template '{former.name}' already.",
                hint="Choose another name; a new version of it is made of a run of it.", subject="name",
            )  # fmt: skip
        if former is None and name.casefold() in subject.taken:
            raise RulkaError(f"A layout is called '{name}'.", hint="The original stays: choose another name.",
                             subject="name")  # fmt: skip
        if former is None and len(names_of(subject, person)) >= MOST_NAMES:
            raise RulkaError(f"It has {MOST_NAMES} templates already.", hint="Delete one.", subject="template")
        draft.name = former.name if former is not None else name
        draft.version = former.version + 1 if former is not None and former.version else 1
        draft.owner, draft.still = owner, sorted(known & set(still))
        if former is not None:
            draft.base = former.base
        draft.save()
        for old in same[MOST_VERSIONS:]:
            old.delete()
        record.note(person, "changed", ledger=subject.ledger.code, thing=f"{subject.kind} {subject.name}",
                    detail=f"template {draft.name}, version {draft.version}")  # fmt: skip
        kind_named(subject.kind).kept(draft, subject, person)
    return draft


def named_still(draft: Template, names: Collection[str]) -> list[str]:
    """What of a draft is named by where it stands; raises for what nothing is called."""
    known = {one["where"]: one["id"] for one in draft.told["ranges"] if not one["fixed"]}
    for name in names:
        if name not in known:
            raise NotFound(f"Nothing that grows stands at '{name[:60]}'.", hint=one_of(name, known), subject="--still")
    return [known[name] for name in names]


# finding --------------------------------------------------------------------------------------------------------------


def _all(subject: Subject) -> Any:
    return Template.objects.filter(ledger=subject.ledger, kind=subject.kind, of=subject.key)


def _seen(subject: Subject, person: Person | None) -> Any:
    from django.db.models import Q

    return _all(subject).filter(Q(owner=None) | Q(owner=person), version__isnull=False).defer("data", "told", "layout")


def names_of(subject: Subject, person: Person | None) -> list[Template]:
    """The newest version of each template that somebody may use, their own before everybody's of one name."""
    found: dict[str, Template] = {}
    for one in _seen(subject, person):
        known = found.get(one.name.casefold())
        if known is None or (one.owner_id is not None and known.owner_id is None):
            found[one.name.casefold()] = one
    return sorted(found.values(), key=lambda one: one.name)


def newest(subject: Subject, name: str, person: Person | None) -> Template:
    """The newest version of a template, one's own before everybody's; raises where there is none."""
    known = names_of(subject, person)
    found = next((one for one in known if one.name.casefold() == name.casefold()), None)
    if found is None:
        raise NotFound(
            f"The template '{name[:80]}' isn't here.", hint="Upload its workbook again, or take the original layout.",
            subject="template",
        )  # fmt: skip
    return found


def all_versions(subject: Subject, person: Person | None) -> list[Template]:
    """Every version of every template that somebody may use."""
    return list(_seen(subject, person))


def template_asked(subject: Subject, name: str, form: str, person: Person | None) -> Template | None:
    """The template that a workbook is asked to be filled into; None where none is named."""
    if not name:
        return None
    if form != "xlsx":
        raise RulkaError("Only a workbook is filled into a template.", hint="Take the workbook.", subject="template")
    return newest(subject, name, person)


def versions_of(subject: Subject, template: Template, person: Person | None) -> list[Template]:
    """All versions of a template, the newest first."""
    return list(_seen(subject, person).filter(name=template.name, owner=template.owner_id))


def take_back(subject: Subject, template: Template, version: int, person: Person | None) -> Template:
    """Make an older version the newest again."""
    required_own(subject, template, person)
    versions = _all(subject).filter(name=template.name, owner=template.owner_id)
    old: Template | None = versions.filter(version=version).first()
    if old is None:
        raise NotFound(f"There is no version {version}.", subject="template")
    last = versions.first()
    old.pk, old.version, old.person = None, (last.version or 0) + 1, person
    old.save(force_insert=True)
    record.note(person, "changed", ledger=subject.ledger.code, thing=f"{subject.kind} {subject.name}",
                detail=f"template {old.name}, version {version} again")  # fmt: skip
    return old


def required_own(subject: Subject, template: Template, person: Person | None) -> None:
    """Refuse who may not change a template: everybody's needs the right to edit, one's own is one's own."""
    if template.owner_id is None and not subject.may_change:
        raise RulkaError("You may use this template, not change it.", hint="Keep one of your own.", code="rights")
    if template.owner_id is not None and (person is None or template.owner_id != person.pk):
        raise NotFound("This template isn't yours.", subject="template")


def delete(subject: Subject, template: Template, person: Person | None) -> None:
    """Let a template go with all its versions."""
    required_own(subject, template, person)
    _all(subject).filter(name=template.name, owner=template.owner_id, version__isnull=False).delete()


def forget(kind: str, ledger: Ledger, key: int) -> None:
    """Let all templates of something go that is deleted."""
    Template.objects.filter(ledger=ledger, kind=kind, of=key).delete()


def forget_drafts() -> int:
    """Let go of uploads that were never kept."""
    return Template.objects.filter(version=None, at__lt=timezone.now() - DRAFT_LASTS).delete()[0]


# filling --------------------------------------------------------------------------------------------------------------


def fill(template: Template, output: Path, target: Path) -> list[str]:
    """Fill a template with an output, and write it to a place; what somebody should know of it, in words."""
    with tempfile.TemporaryDirectory(prefix="rulka-template-", dir=target.parent) as folder:
        path = Path(folder) / "template.xlsx"
        path.write_bytes(bytes(template.data))
        return refill(path, output, template.told, template.still, target)


def filled(template: Template, output: bytes) -> bytes:
    """A template filled with an output; raises where it no longer fits."""
    with tempfile.TemporaryDirectory(prefix="rulka-template-") as folder:
        fresh, target = Path(folder) / "output.xlsx", Path(folder) / "filled.xlsx"
        fresh.write_bytes(output)
        fill(template, fresh, target)
        return target.read_bytes()


def with_template(left: Left, template: Template | None) -> Left:
    """What a file is of, with the template that it is filled into."""
    if template is None:
        return left
    first, *others = left.pages
    return replace(left, pages=[{**first, **of_origin(template)}, *others])


def said(template: Template) -> str:
    """`Audit sample, version 2`."""
    return f"{template.name}, version {template.version}"


def own_sheets(template: Template) -> list[str]:
    """The sheets of a template that are refilled."""
    return [str(one["name"]) for one in template.told["sheets"]]


def of_origin(template: Template) -> Mapping[str, Any]:
    """What a file's origin says of the template that it was filled into."""
    return {
        "template": template.name, "base": template.base, "own": own_sheets(template), "version": template.version,
        "owner": template.owner_id,
    }  # fmt: skip
