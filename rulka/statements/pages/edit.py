"""Requests that change a statement: parse, call a service, show the statement again with what came of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from django.db import transaction
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from rulka.core.compute.computed import Computed
from rulka.core.definitions.spines import COVERS_NOTHING
from rulka.core.edits.columns import key_of
from rulka.core.edits.pasting import text_of_lines
from rulka.core.edits.tree import Edited
from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.proof.meaning import Meant, meant_by
from rulka.formats.figures import plain_text
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
from rulka.statements.editing import edit as editing
from rulka.statements.editing import starting
from rulka.statements.editing.actions import copied, copied_columns, find_action, keys
from rulka.statements.editing.edit import ChangedSince, EditSight, Parts, SharedPart
from rulka.statements.library import catalogue, versions
from rulka.statements.library.assemble import Definitions, Known
from rulka.statements.library.opening import open_definition, open_statement
from rulka.statements.models import PARTS
from rulka.statements.pages.fields import SELECTIONS
from rulka.statements.pages.panel import STATE, Said, refused
from rulka.statements.pages.statement import statement_screen
from rulka.statements.running.runs import RunOutcome

KEPT = ("row", "column", "lines", "columns", "account", "search", "type", "category", "only", "sort")


def address(posted: QueryDict, **changed: str) -> QueryDict:
    """The panel's address after an edit: as it was, with what the edit changed."""
    asked = QueryDict(mutable=True)
    asked.update(
        {name: str(posted[name]) for name in STATE if posted.get(name) and name in (*KEPT, "panel", "one", "other")}
        | changed
    )
    for name in [name for name, value in asked.items() if not value]:
        del asked[name]
    return asked


def answer(
    request: HttpRequest,
    seat: Seat,
    name: str,
    asked: QueryDict,
    said: Said,
    outcome: RunOutcome | None = None,
    definitions: Definitions | None = None,
    known: Known | None = None,
) -> HttpResponse:
    """After an edit: for a script what changed, or all of it; the page again for a plain request."""
    is_fragment = bool(request.headers.get("HX-Request"))
    problem = said.problem or said.question
    if not is_fragment and not problem:
        return redirect(f"{reverse('statement', args=[name])}?{seat.query}&{asked.urlencode()}")
    definitions = definitions or open_statement(seat.ledger, name, person=seat.person)
    screen = statement_screen(request, seat, definitions, asked, said, outcome, known)
    if not is_fragment:
        return screen.response(request, status=409 if isinstance(problem, (ChangedSince, SharedPart)) else 422)
    if screen.changed is None:
        return replace(screen, fragment=True).response(request, template="statements/_work.html")
    changed = replace(screen, fragment=True, rows_only=True).response(request, template="statements/_changed.html")
    changed["HX-Retarget"], changed["HX-Reswap"] = "#panel", "morph:outerHTML"
    return changed


def _doing(request: HttpRequest, definitions: Definitions, sight: EditSight) -> Callable[[Parts], Edited]:
    """The edit that a request asks for."""
    action = find_action(request.POST.get("do", ""))

    def now() -> Computed:
        return editing.outcome_of(definitions, sight).computed

    def do(parts: Parts) -> Edited:
        parts.clipboard = request.session.get("clipboard")
        return action(parts, request.POST.dict(), now)

    return do


def _shares(request: HttpRequest, seat: Seat, definitions: Definitions) -> dict[str, str]:
    """What was said about shared parts: with this request, or in this visit for all their users."""
    said = {kind: request.POST[f"share-{kind}"] for kind in PARTS if request.POST.get(f"share-{kind}")}
    visit = request.session.get("share", [])
    for kind, definition in definitions.items():
        if said.get(kind) == "all" and definition.pk not in visit:
            request.session["share"] = visit = [*visit, definition.pk]
        if definition.pk in visit:
            said.setdefault(kind, "all")
    return said


@require_POST
def edit(request: HttpRequest, name: str) -> HttpResponse:
    """Do one edit and show the statement with it, or the question or refusal beside what was asked."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    name, sight = definitions["statement"].name, editing.edit_sight(seat, definitions["statement"])
    do = _doing(request, definitions, sight)
    try:
        if request.POST.get("copy"):
            name = editing.save_as_copy(
                definitions, do, person=seat.person, sight=sight, stamp=request.POST.get("stamp", "")
            )
            return _gone_to(request, seat, name)
        done = editing.change_statement(
            definitions,
            do,
            person=seat.person,
            sight=sight,
            stamp=request.POST.get("stamp", ""),
            window=request.POST.get("window", "")[:20],
            share=_shares(request, seat, definitions),
        )
    except (SharedPart, ChangedSince) as question:
        unsent = ("csrfmiddlewaretoken", "stamp")
        posted = [(key, str(value)) for key, value in request.POST.items() if key not in unsent]
        return answer(
            request,
            seat,
            name,
            _asked(request.POST),
            Said(question=question, posted=posted, stamp_asked=request.POST.get("stamp", "")),
        )
    except RulkaError as error:
        return answer(request, seat, name, _asked(request.POST), refused(error, request.POST))
    asked, meant = _after(request.POST, done), _meant(request.POST, sight)
    warned = "; ".join(meant.warnings) if meant else ""
    said = Said(done=_sentence(done.told), warned=warned)
    return answer(request, seat, name, asked, said, done.outcome, done.definitions, done.known)


def _gone_to(request: HttpRequest, seat: Seat, name: str) -> HttpResponse:
    """Lead the browser to another statement, from a fragment too."""
    target = f"{reverse('statement', args=[name])}?{seat.query}"
    return (
        HttpResponse(status=204, headers={"HX-Redirect": target})
        if request.headers.get("HX-Request")
        else redirect(target)
    )


def _asked(posted: QueryDict) -> QueryDict:
    """The address of what an edit was asked for: the panel of the line or column that it is about."""
    about = posted.get("do", "").partition("-")[0]
    name = {"line": "lines", "column": "columns"}.get(about)
    kept = {name: str(posted.get(name) or posted.get("key", ""))} if name else {}
    return address(posted, panel=str(posted.get("panel") or (about if name else "")), **kept)


def _sentence(told: str) -> str:
    return f"{told[:1].upper()}{told[1:]}." if told else "Nothing changed."


def _after(posted: QueryDict, done: editing.Done) -> QueryDict:
    """The address after an edit: what it left chosen is chosen."""
    about = posted.get("do", "").partition("-")[0]
    computed = done.outcome.computed
    if about in ("line", "lines", "accounts", "place") and done.chosen:
        line = done.chosen[0]
        rows = [row.key for row in computed.rows if row.line == line and not row.hidden]
        row = line if line in rows else rows[0] if rows else ""
        if posted.get("row", "") in rows:
            row = str(posted["row"])
        return address(posted, row=row, lines=",".join(done.chosen), panel=posted.get("panel", "line"))
    if about in ("column", "series") and done.chosen:
        return address(
            posted, columns=",".join(done.chosen), column=done.chosen[0], panel=posted.get("panel", "column")
        )
    return address(posted)


@require_POST
def check(request: HttpRequest, name: str) -> HttpResponse:
    """What is wrong with what is being typed, in words; nothing is changed."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    name, sight = definitions["statement"].name, editing.edit_sight(seat, definitions["statement"])
    do = _doing(request, definitions, sight)
    problem = None
    with transaction.atomic():
        try:
            every = dict.fromkeys(PARTS, "all")
            editing.change_statement(definitions, do, person=seat.person, sight=sight, share=every)
        except RulkaErrors as errors:
            problem = errors.errors[0]
        except RulkaError as error:
            problem = error
        transaction.set_rollback(True)
    return FieldNote(problem=problem, meant=None if problem else _meant(request.POST, sight)).response(request)


@dataclass(frozen=True, kw_only=True)
class FieldNote(Screen):
    """What is told beside a field while somebody types: what is wrong with it, or what a selection means."""

    html = "statements/_note.html"
    problem: RulkaError | None
    meant: Meant | None


def _meant(posted: QueryDict, sight: EditSight) -> Meant | None:
    """What the selection means that somebody types or has set; None where it is none or stands for nothing on
    purpose."""
    text = str(posted.get("value", "")).strip()
    if posted.get("path") not in SELECTIONS or text in ("", COVERS_NOTHING):
        return None
    return meant_by(text, sight.view)


@require_POST
def undo(request: HttpRequest, name: str) -> HttpResponse:
    """Take back the person's latest edit."""
    return _turned(request, name, "Undone", editing.undo)


@require_POST
def redo(request: HttpRequest, name: str) -> HttpResponse:
    """Do again what was undone last."""
    return _turned(request, name, "Done again", editing.redo)


def _turned(request: HttpRequest, name: str, word: str, turn: Callable[..., tuple[str, Definitions]]) -> HttpResponse:
    seat = seat_of(request)
    statement = open_definition(seat.ledger, "statement", name, person=seat.person)
    name = statement.name
    try:
        told, definitions = turn(statement, person=seat.person)
    except RulkaError as error:
        return answer(request, seat, name, address(request.POST), refused(error, request.POST))
    outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
    asked = _known(request.POST, outcome.computed)
    return answer(request, seat, name, asked, Said(done=f"{word}: {told}."), outcome, definitions)


def _known(posted: QueryDict, computed: Computed) -> QueryDict:
    """The panel's address without lines and columns that are gone."""
    lines = {line.key for line in computed.statement.spine.walk()}
    known = {
        "lines": ",".join(key for key in keys(posted, "lines") if key in lines),
        "row": str(posted.get("row", "")) if posted.get("row") in computed.rows_by_key else "",
        "column": str(posted.get("column", ""))
        if any(column.key == posted.get("column") for column in computed.columns)
        else "",
    }
    return address(posted, columns="", **known)


@require_POST
def copy_lines(request: HttpRequest, name: str) -> HttpResponse:
    """The chosen lines or columns as text for the clipboard; what they are in full is kept for pasting here."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    if request.POST.get("columns"):
        raws = copied_columns(definitions["span"].body, keys(request.POST, "columns"))
        text = "\t".join(plain_text(str(raw.get("heading", key_of(raw)))) for raw in raws)
        request.session["clipboard"] = {"text": text, "columns": raws}
        return HttpResponse(text, content_type="text/plain; charset=utf-8")
    raws = copied(definitions["spine"].body, keys(request.POST, "lines"))
    lines = (line.split("\t") for line in text_of_lines(raws).split("\n"))
    text = "\n".join("\t".join(map(plain_text, cells)) for cells in lines)
    request.session["clipboard"] = {"text": text, "raws": raws}
    return HttpResponse(text, content_type="text/plain; charset=utf-8")


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new statement, and its page."""
    seat = seat_of(request)
    statement = starting.begin(seat.ledger, seat.view, seat.person)
    return redirect(f"{reverse('statement', args=[statement.name])}?{seat.query}&panel=start")


@require_POST
def give_name(request: HttpRequest, name: str) -> HttpResponse:
    """Name a statement that was begun."""
    seat = seat_of(request)
    try:
        new = starting.name_statement(seat.ledger, name, request.POST.get("title", ""), person=seat.person)
    except RulkaError as error:
        return answer(request, seat, name, address(request.POST, panel="start"), refused(error, request.POST))
    return _gone_to(request, seat, new)


@require_POST
def save_version(request: HttpRequest, name: str) -> HttpResponse:
    """Keep the statement as it is under a name."""
    title = request.POST.get("title", "")

    def save(seat: Seat, own: str) -> str:
        return f"Version '{versions.save_version(seat.ledger, own, title, person=seat.person).name}' saved."

    return _versioned(request, name, save)


@require_POST
def restore_version(request: HttpRequest, name: str) -> HttpResponse:
    """Give the statement the state of a saved version."""
    return _versioned(
        request,
        name,
        lambda seat, own: versions.restore_version(
            seat.ledger, own, request.POST.get("version", ""), person=seat.person
        ),
    )


def _versioned(request: HttpRequest, name: str, do: Callable[[Seat, str], str]) -> HttpResponse:
    seat = seat_of(request)
    name = open_definition(seat.ledger, "statement", name, person=seat.person).name
    try:
        told = do(seat, name)
    except RulkaError as error:
        return answer(request, seat, name, address(request.POST, panel="versions"), refused(error, request.POST))
    return answer(request, seat, name, address(request.POST, panel="versions"), Said(done=told))


@require_POST
def duplicate(request: HttpRequest, name: str) -> HttpResponse:
    """The statement again, with lines and columns of its own."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    wanted = f"{definitions['statement'].title}, copy"
    title = catalogue.free_title(seat.ledger, wanted, person=seat.person)
    made = editing.copy_statement(definitions, title, seat.person)["statement"]
    return redirect(f"{reverse('statement', args=[made.name])}?{seat.query}")


@require_POST
def delete(request: HttpRequest, kind: str, name: str) -> HttpResponse:
    """Take a statement, or a part that nothing uses, out of the library."""
    seat = seat_of(request)
    edit = catalogue.delete(seat.ledger, kind, name, person=seat.person)
    request.session["deleted"] = [edit.pk, edit.what]
    return redirect("statements" if kind == "statement" else "parts")


@require_POST
def bring_back(request: HttpRequest) -> HttpResponse:
    """Undo the last deletion."""
    seat = seat_of(request)
    number, _ = request.session.pop("deleted", [0, ""])
    catalogue.bring_back(seat.ledger, number, person=seat.person)
    return redirect("statements")
