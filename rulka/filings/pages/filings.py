"""The list of filings and taxonomies, new ones of both."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.values import key_in
from rulka.filings.editing import tagging
from rulka.filings.library.opening import seen_filings
from rulka.filings.library.storing import definition_of
from rulka.filings.library.taxonomies import forget, taxonomies_of
from rulka.filings.models import Filing, FilingJob, Taxonomy
from rulka.filings.output.asking import ask_load
from rulka.filings.output.jobs import loads_of
from rulka.folios.library.opening import open_folio
from rulka.folios.models import Folio
from rulka.formats.filings.package import MOST_BYTES
from rulka.ledger.seat import Seat, SeatedPage, seat_of
from rulka.statements.library.on_shelves import may_run_among


@dataclass(frozen=True)
class FilingLine:
    """A filing in the list."""

    filing: Filing
    folio: str
    taxonomy: str
    tags: int
    opens: bool


@dataclass(frozen=True)
class TaxonomyLine:
    """A taxonomy in the list, with the filings that follow it."""

    taxonomy: Taxonomy
    used_by: list[str]


@dataclass(frozen=True, kw_only=True)
class FilingsPage(SeatedPage):
    """The filings and taxonomies, what was `told` of the last request, and taxonomies that one loads."""

    html = "filings/list.html"
    where: str = "folios"
    lines: Sequence[FilingLine]
    taxonomies: Sequence[TaxonomyLine]
    told: str
    loads: Sequence[FilingJob]


@require_GET
def filing_list(request: HttpRequest) -> HttpResponse:
    """The filings of the ledger, and its taxonomies."""
    return _list(request, seat_of(request))


def _list(request: HttpRequest, seat: Seat, problem: RulkaError | None = None) -> HttpResponse:
    seen = seen_filings(seat.ledger, seat.person)
    opens = {one.pk for one in may_run_among(seen, seat.person)}
    lines = []
    for one in seen:
        definition = definition_of(one)
        tags = sum(len(each.lines) for each in definition.statements) + len(definition.texts)
        lines.append(FilingLine(one, definition.folio, definition.taxonomy, tags, one.pk in opens))
    used = _used(seat)
    page = FilingsPage(
        seat=seat,
        problem=problem,
        lines=lines,
        taxonomies=[TaxonomyLine(one, used.get(one.name, [])) for one in taxonomies_of(seat.ledger)],
        told=request.session.pop("filing-told", ""),
        loads=loads_of(seat.ledger, seat.person)[:4],
    )
    if request.headers.get("HX-Request"):
        return page.response(request, template="filings/_loads.html")
    return page.answer(request)


def _used(seat: Seat) -> dict[str, list[str]]:
    """The filings that follow each taxonomy: those that somebody sees by title, the others by how many they are."""
    seen = {one.pk for one in seen_filings(seat.ledger, seat.person)}
    found: dict[str, list[str]] = {}
    others: dict[str, int] = {}
    for one in seen_filings(seat.ledger, None):
        name = definition_of(one).taxonomy
        if one.pk in seen:
            found.setdefault(name, []).append(one.title)
        else:
            others[name] = others.get(name, 0) + 1
    for name, count in others.items():
        found.setdefault(name, []).append("one more" if count == 1 else f"{count} more")
    return found


@require_POST
def taxonomy(request: HttpRequest) -> HttpResponse:
    """Load a taxonomy package, or take a taxonomy away."""
    seat, sent = seat_of(request), request.POST
    try:
        if sent.get("do") == "forget":
            number = key_in(sent.get("taxonomy", ""))
            found = next((one for one in taxonomies_of(seat.ledger) if one.pk == number), None)
            if found is None:
                raise NotFound("There is no such taxonomy.", hint="Load the page again.", subject="taxonomy")
            forget(found, _used(seat).get(found.name, []), seat.person)
            request.session["filing-told"] = f"{found.name} is taken away."
        else:
            file = request.FILES.get("file")
            if file is None or not file.name or (file.size or 0) > MOST_BYTES:
                raise RulkaError("No package came, or it is too large.", hint="Choose a .zip.", subject="package")
            ask_load(
                seat.ledger, file.read(), file.name, seat.person, entry=sent.get("entry", "").strip(),
                name=sent.get("name", "").strip(),
            )  # fmt: skip
    except RulkaError as error:
        return _list(request, seat, error)
    return HttpResponseRedirect(f"{reverse('filings')}?{seat.query}")


@dataclass(frozen=True, kw_only=True)
class BeginPage(SeatedPage):
    """A folio's own filings, and the taxonomies that a new one could follow."""

    html = "filings/begin.html"
    where: str = "folios"
    folio: Folio
    own: Sequence[Filing]
    taxonomies: Sequence[Taxonomy]


@require_http_methods(["GET", "POST"])
def begin(request: HttpRequest, folio: str) -> HttpResponse:
    """A folio's filings, and a new one."""
    seat = seat_of(request)
    found = open_folio(seat.ledger, folio, person=seat.person)
    problem = None
    if request.method == "POST":
        try:
            made = tagging.begin(found, request.POST.get("taxonomy", ""), request.POST.get("title", ""), seat.person)
            return HttpResponseRedirect(f"{reverse('filing', args=[made.name])}?{seat.query}")
        except RulkaError as error:
            problem = error
    own = [one for one in seen_filings(seat.ledger, seat.person) if definition_of(one).folio == found.name]
    page = BeginPage(seat=seat, problem=problem, folio=found, own=own, taxonomies=taxonomies_of(seat.ledger))
    return page.answer(request)
