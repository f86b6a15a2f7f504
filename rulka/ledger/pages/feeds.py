"""Pages of feeds and loads: set a feed up, map a strange file, pull, watch, decide."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.intake.pull_times import KINDS, MINUTES, WEEKDAYS, PullTimes, read_schedule
from rulka.core.values import quoted, whole
from rulka.formats.intake.guessing import KnownCodes
from rulka.formats.intake.mapping import (
    AMOUNTS,
    DATES,
    NUMBERS,
    TARGETS,
    FieldSource,
    MappingDefinition,
    target_fields,
)
from rulka.formats.intake.peek import FirstLook, look_into
from rulka.formats.intake.table_file import TableLook
from rulka.ledger.feeds import asking, owning
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.loading.report import FINDINGS, RULES, LoadReport
from rulka.ledger.models import Feed
from rulka.ledger.pages.common import LedgerPage, frame_of, may_load, rows_only, whole_only
from rulka.ledger.pages.forms import FeedForm, NewFeedForm, taken
from rulka.ledger.seat import Seat, seat_of
from rulka.people.library import record
from rulka.people.library.persons import group_names, people_of
from rulka.people.models import Person
from rulka.screen import Screen
from rulka.work.models import Load
from rulka.work.services import loads as work

ACTIONS = ("accept", "hold", "refuse")
ENCODINGS = ("utf-8-sig", "utf-16", "cp1252", "cp1250", "iso-8859-15", "cp850")
DELIMITERS = ((";", "semicolon"), (",", "comma"), ("\t", "tab"), ("|", "bar"))
MOST_SAMPLE = 200_000_000


def _seat(request: HttpRequest, *, rows: bool = False) -> Seat:
    """Seat somebody who sees the whole; for pages that show `rows` as they came, with nothing sealed."""
    seat = seat_of(request)
    (rows_only if rows else whole_only)(seat)
    return seat


def _feed(seat: Seat, pk: int) -> Feed:
    return owning.find_feed(seat.ledger, pk, seat.person)


def _load(seat: Seat, pk: int) -> Load:
    found = work.find(pk, ledger=seat.ledger.code)
    if found is None:
        raise NotFound("This load does not exist.", hint="Choose one from the list.", subject="load")
    return found


@require_http_methods(["GET", "POST"])
def feed_list(request: HttpRequest) -> HttpResponse:
    """All feeds with their age and last load; a new one."""
    seat = _seat(request)
    problem = None
    if request.method == "POST":
        may_load(seat)
        try:
            values = taken(NewFeedForm(request.POST))
            made = feed_settings.save_feed(seat.ledger, values)
            owning.take(made, seat.person)
            step = "feed-map" if values["kind"] == Feed.Kind.TABLE else "feed"
            return redirect(f"{reverse(step, args=[made.pk])}?{seat.query}")
        except RulkaError as error:
            problem = error
    loads = work.of_ledger(seat.ledger.code, 30)
    listed = [
        (feed, next((load for load in loads if load.feed == feed.pk), None))
        for feed in owning.feeds_for(seat.ledger, seat.person)
    ]
    return FeedsPage(
        seat=seat,
        frame=frame_of(seat, "feeds"),
        problem=problem,
        listed=listed,
        loads=loads,
        kinds=Feed.Kind.choices,
        entered=request.POST,
    ).answer(request)


@dataclass(frozen=True, kw_only=True)
class FeedsPage(LedgerPage):
    """The feeds that somebody may see, each with its last load; the latest loads, and a new feed as it was entered."""

    html = "ledger/feeds.html"
    listed: Sequence[tuple[Feed, Load | None]]
    loads: Sequence[Load]
    kinds: Sequence[tuple[str, str]]
    entered: Mapping[str, str]


@dataclass(frozen=True, kw_only=True)
class FeedPage(LedgerPage):
    """A feed: its rules as (kind, title, action), its mapping as text, its loads, whose it is and who reaches it, and
    what is set besides."""

    html = "ledger/feed.html"
    feed: Feed
    done: str
    rules: Sequence[tuple[str, str, str]]
    actions: Sequence[str]
    mapping_text: str | None
    loads: Sequence[Load]
    whose: Any
    reach: Any
    may_hand_on: bool
    heirs: Sequence[Person]
    groups: Sequence[tuple[str, bool]]
    long_past: Any
    bounds: Mapping[str, Any]
    sign_in: Mapping[str, Any]
    mapped: str
    weekdays: Sequence[str] = WEEKDAYS[1:] + WEEKDAYS[:1]
    minutes: Sequence[int] = MINUTES
    server_zone: str = settings.TIME_ZONE

    @property
    def pulls(self) -> PullTimes:
        """When it pulls by itself."""
        return read_schedule(self.feed.schedule)

    @property
    def pull_kinds(self) -> list[tuple[str, str]]:
        """The ways to say when, with their words; fields only where nothing else says it."""
        return [(kind, words) for kind, words in KINDS.items() if kind != "fields" or self.pulls.kind == "fields"]


def _save(posted: QueryDict, seat: Seat, feed: Feed) -> None:
    """Keep a feed's settings as its form has them, and a service's secret where one was typed."""
    feed_settings.save_feed(seat.ledger, _settings(posted, feed), feed=feed)
    if posted.get("secret") and feed.kind == Feed.Kind.SERVICE:
        feed_settings.keep_secret(feed, str(posted["secret"]))


@require_http_methods(["GET", "POST"])
def feed_page(request: HttpRequest, pk: int) -> HttpResponse:
    """One feed: where from, what to refuse or hold, when; its loads."""
    seat = _seat(request)
    feed, problem, done = _feed(seat, pk), None, ""
    if request.method == "POST":
        may_load(seat)
        try:
            if request.POST.get("do") == "whose":
                owner, groups = request.POST.get("owner", ""), request.POST.getlist("group")
                owning.hand_on(feed, owner, groups, person=seat.person)
                return redirect(f"{reverse('feeds')}?{seat.query}")
            _save(request.POST, seat, feed)
            done = "Saved."
        except RulkaError as error:
            problem = error
    rules = [(kind, title, (feed.rules or {}).get(kind, RULES[kind])) for kind, title in FINDINGS.items()]
    text = json.dumps(feed.mapping, indent=1, ensure_ascii=False) if feed.mapping else ""
    return FeedPage(
        seat=seat,
        frame=frame_of(seat, "feeds"),
        problem=problem,
        feed=feed,
        done=done,
        rules=rules,
        actions=ACTIONS,
        mapping_text=request.POST.get("mapping") if problem else text,
        loads=work.of_feed(feed.pk),
        whose=owning.whose(feed),
        reach=owning.who_reaches(feed),
        may_hand_on=owning.may_hand_on(feed, seat.person),
        heirs=[one for one in people_of(seat.ledger.code) if one.may_load],
        groups=_groups(feed),
        long_past=feed.options.get("long_past", 3),
        bounds=feed.options.get("bounds") or {},
        sign_in=feed.options.get("sign_in") or {},
        mapped=TARGETS.get(feed.mapping.get("table", ""), "") if feed.kind == Feed.Kind.TABLE else "",
    ).answer(request)


def _groups(feed: Feed) -> list[tuple[str, bool]]:
    shared = set(feed.groups.values_list("name", flat=True))
    return [(name, name in shared) for name in group_names()]


def _settings(posted: QueryDict, feed: Feed) -> dict[str, Any]:
    """A feed's settings as the form has them."""
    form = FeedForm(posted)
    given = taken(form)
    bounds = {name: given[name] for name in ("first_day", "entities", "accounts", "rest_account")}
    options = {
        **feed.options,
        "bounds": {name: value for name, value in bounds.items() if value},
        "keep_columns": given["keep_columns"],
    }
    if given["long_past"] is not None:
        options["long_past"] = given["long_past"]
    if feed.kind == Feed.Kind.SERVICE:
        options["sign_in"] = {"kind": given["sign_in"], "user": given["user"]}
    values: dict[str, Any] = {
        **{name: given[name] for name in ("name", "location", "on_opening")},
        "schedule": form.schedule() if "pull" in posted else feed.schedule,
        "rules": {kind: posted[f"rule-{kind}"] for kind in FINDINGS if f"rule-{kind}" in posted},
        "options": options,
    }
    if feed.kind == Feed.Kind.SERVICE:
        try:
            values["mapping"] = json.loads(posted.get("mapping") or "{}")
        except json.JSONDecodeError as error:
            raise RulkaError(
                f"The mapping is not JSON: {error.msg}.", hint=f"Look at line {error.lineno}.", subject="mapping"
            ) from None
    return values


@require_POST
def feed_remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a feed away; what it brought stays."""
    seat = _seat(request)
    may_load(seat)
    feed_settings.remove_feed(_feed(seat, pk))
    return redirect(f"{reverse('feeds')}?{seat.query}")


@require_POST
def feed_pull(request: HttpRequest, pk: int) -> HttpResponse:
    """Queue a pull: news only, or all; a file handed in takes the place of the feed's location."""
    seat = _seat(request)
    may_load(seat)
    upload = request.FILES.get("file")
    name = (upload.name or "upload") if upload else ""
    load = asking.ask(
        _feed(seat, pk), person=seat.person, full=request.POST.get("full") == "1", upload=upload, upload_name=name
    )
    return redirect(f"{reverse('load', args=[load.pk])}?{seat.query}")


# a mapping ----------------------------------------------------------------------------------------------------------


def _sample_folder(feed: Feed) -> Path:
    return Path(settings.VAR) / "samples" / f"feed-{feed.pk}"


def _sample(feed: Feed) -> Path | None:
    return next(iter(sorted(_sample_folder(feed).glob("*"))), None) if _sample_folder(feed).is_dir() else None


def _known(seat: Seat) -> KnownCodes:
    frame = seat.view.frame
    return KnownCodes(
        frozenset(frame.entities.index),
        frozenset(frame.accounts.index),
        {key: frozenset(codes.index) for key, codes in frame.dimensions.items()},
    )


def _keep_mapping(seat: Seat, feed: Feed, mapping: MappingDefinition, sample: Path | None) -> HttpResponse:
    """Keep a feed's mapping, and load the sample with it where one is given; leads to the load, or to the feed."""
    feed_settings.save_feed(seat.ledger, {"mapping": mapping.as_data()}, feed=feed)
    if sample is None:
        return redirect(f"{reverse('feed', args=[feed.pk])}?{seat.query}")
    with sample.open("rb") as file:
        load = asking.ask(feed, person=seat.person, upload=file, upload_name=sample.name)
    return redirect(f"{reverse('load', args=[load.pk])}?{seat.query}")


@require_http_methods(["GET", "POST"])
def feed_map(request: HttpRequest, pk: int) -> HttpResponse:
    """Say which column is what, beside the file's first rows and what becomes of them."""
    seat = _seat(request, rows=True)
    may_load(seat)
    feed = _feed(seat, pk)
    if feed.kind != Feed.Kind.TABLE:
        raise RulkaError("Only a CSV or workbook is mapped here.", hint="Open the feed's settings.", subject=feed.name)
    upload = request.FILES.get("file")
    if upload is not None:
        _keep_sample(feed, upload)
        return redirect(f"{reverse('feed-map', args=[pk])}?{seat.query}&table={request.POST.get('table', 'entries')}")
    sample = _sample(feed)
    if sample is None and feed.location:
        sample = feed_settings.place_of(feed.location)
    if sample is None:
        return MapPage(seat=seat, frame=frame_of(seat, "feeds"), feed=feed).answer(request)
    return _mapped(request, seat, feed, sample)


def _mapped(request: HttpRequest, seat: Seat, feed: Feed, sample: Path) -> HttpResponse:
    """What becomes of a sample by the mapping that is sent, kept or guessed; kept and loaded where that is asked."""
    problem: RulkaError | None = None
    table, mapping, look = request.GET.get("table") or "entries", None, None
    try:
        if request.method == "POST":
            table, mapping, look = _asked_mapping(request.POST, seat)
        elif feed.mapping and not request.GET.get("table"):
            mapping = MappingDefinition.from_data(feed.mapping)
    except RulkaError as error:
        problem = error
    found = look_into(sample, _table(table), _known(seat), seat.ledger.dimensions, mapping=mapping, look=look)
    mapping = MappingDefinition.from_data(found.mapping or {})
    if request.method == "POST" and problem is None and request.POST.get("do") in ("save", "load"):
        try:
            return _keep_mapping(seat, feed, mapping, sample if request.POST["do"] == "load" else None)
        except RulkaError as error:
            problem = error
    problem = problem or (RulkaError(**found.trouble) if found.trouble else None)
    screen = MapPage(
        seat=seat,
        frame=frame_of(seat, "feeds"),
        feed=feed,
        sample=sample,
        problem=problem,
        shown=_shown_mapping(seat, mapping, found),
    )
    if request.headers.get("HX-Request"):
        return screen.response(request, template="ledger/_mapping.html")
    return screen.response(request, status=422 if problem and request.method == "POST" else 200)


def _keep_sample(feed: Feed, upload: Any) -> None:
    if upload.size > MOST_SAMPLE:
        raise RulkaError(
            f"'{upload.name}' is larger than {MOST_SAMPLE // 1_000_000} MB.", hint="Map a part of it.", subject="file"
        )
    folder = _sample_folder(feed)
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    with (folder / Path(upload.name).name).open("wb") as target:
        for block in upload.chunks():
            target.write(block)


def _table(name: str) -> str:
    if name not in TARGETS:
        raise RulkaError(f"{quoted(name)} is nothing to map to.", hint=one_of(name, TARGETS), subject="mapping")
    return name


def _translations(text: str) -> dict[str, dict[str, str]]:
    """By field what stands for which value of the file, from a row each; raises RulkaError for what is none."""
    translations: dict[str, dict[str, str]] = {}
    for row in text.splitlines():
        name, mark, rest = row.partition(":")
        source, equals, target = rest.partition("=")
        if row.strip() and not (mark and equals):
            hint = "Write field: value = other value, one a row."
            raise RulkaError(f"'{row}' is no translation.", hint=hint, subject="translations")
        if row.strip():
            translations.setdefault(name.strip(), {})[source.strip()] = target.strip()
    return translations


def _asked_mapping(posted: QueryDict, seat: Seat) -> tuple[str, MappingDefinition | None, TableLook | None]:
    """The kind of table and its mapping as the form has them; no mapping, but how to read the file, where a fresh guess
    is wanted."""
    look = TableLook(
        posted.get("encoding", "utf-8-sig"),
        posted.get("delimiter", ","),
        posted.get("sheet", ""),
        whole(posted.get("header") or "1", "header", least=1, most=1_000),
    )
    table = _table(posted.get("table", "entries"))
    if posted.get("do") == "again":
        return table, None, look
    amounts = posted.get("amounts", AMOUNTS[0])
    must, may = target_fields(table, list(seat.ledger.dimensions), amounts if amounts in AMOUNTS else AMOUNTS[0])
    translations = _translations(posted.get("translations", ""))
    fields = {}
    for name in [*must, *may]:
        columns = tuple(column for column in (posted.get(f"c-{name}", ""), posted.get(f"c2-{name}", "")) if column)
        constant = posted.get(f"k-{name}", "").strip()
        if columns or constant:
            fields[name] = FieldSource(columns, constant, translations.get(name, {}))
    parts = tuple(posted.getlist("part")) if posted.get("segments") else ()
    mapping = MappingDefinition.from_data(
        replace(
            MappingDefinition(
                table, look, posted.get("date", "YYYY-MM-DD"), posted.get("number", "1234.56"), amounts, fields
            ),
            segments_column=posted.get("segments", ""),
            segments_separator=posted.get("separator", "-") or "-",
            segments_parts=parts,
            keep=tuple(posted.getlist("keep")),
            side_name=posted.get("side_name", "").strip(),
        ).as_data()
    )
    return table, mapping, None


@dataclass(frozen=True, kw_only=True)
class ShownMapping(Screen):
    """A mapping beside the rows of a file: its header and the rows below, the fields as (name, whether it must be,
    where from), what becomes of the rows, and what can be chosen."""

    html = "ledger/_map.html"
    mapping: MappingDefinition
    header: Sequence[str]
    below: Sequence[Sequence[str]]
    fields: Sequence[tuple[str, bool, FieldSource | None]]
    dates: Iterable[str]
    numbers: Iterable[str]
    amounts: Sequence[str]
    encodings: Sequence[str]
    delimiters: Sequence[tuple[str, str]]
    sheets: Sequence[str]
    heads: Sequence[str]
    made: Sequence[Any]
    errors: Sequence[RulkaError]
    error_count: int
    parts: Sequence[str]
    part_choices: Sequence[str]
    unused: Sequence[str]
    translations: str


@dataclass(frozen=True, kw_only=True)
class MapPage(LedgerPage):
    """How a feed's file is mapped; nothing is `shown` before there is one."""

    html = "ledger/map.html"
    feed: Feed
    sample: Path | None = None
    targets: Mapping[str, str] = field(default_factory=lambda: TARGETS)
    shown: ShownMapping | None = None


def _shown_mapping(seat: Seat, mapping: MappingDefinition, found: FirstLook) -> ShownMapping:
    dimensions = list(seat.ledger.dimensions)
    header: list[str] = next((cells for number, cells in found.rows if number >= mapping.look.header), [])
    must, may = target_fields(mapping.table, dimensions, mapping.amounts)
    return ShownMapping(
        mapping=mapping,
        header=header,
        below=[cells for number, cells in found.rows if number > mapping.look.header][:6],
        fields=[(name, name in must, mapping.fields.get(name)) for name in [*must, *may]],
        dates=DATES,
        numbers=NUMBERS,
        amounts=AMOUNTS,
        encodings=ENCODINGS,
        delimiters=DELIMITERS,
        sheets=found.sheets,
        heads=found.heads,
        made=found.made,
        errors=[RulkaError(**error) for error in found.errors],
        error_count=found.error_count,
        parts=list(mapping.segments_parts) or [""],
        part_choices=["", "entity", "account", *dimensions],
        unused=[name for name in header if name],
        translations="\n".join(
            f"{name}: {a} = {b}" for name, source in mapping.fields.items() for a, b in source.translate.items()
        ),
    )


# loads --------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class LoadShown(Screen):
    """What a load brought, or why it was refused; `vanished` where it left out what came before."""

    html = "ledger/_load.html"
    seat: Seat
    load: Load
    report: LoadReport | None
    vanished: bool


@dataclass(frozen=True, kw_only=True)
class LoadPage(LedgerPage):
    """A load."""

    html = "ledger/load.html"
    load: Load
    shown: LoadShown


def _shown(seat: Seat, load: Load) -> LoadShown:
    report = LoadReport.from_data(load.report) if load.report else None
    vanished = bool(report and any(finding.kind == "vanished" for finding in report.findings))
    return LoadShown(seat=seat, load=load, report=report, vanished=vanished)


@require_GET
def load_page(request: HttpRequest, pk: int) -> HttpResponse:
    """What a load brought, or why it was refused; what waits is decided here."""
    seat = _seat(request, rows=True)
    load = _load(seat, pk)
    return LoadPage(seat=seat, frame=frame_of(seat, "feeds"), load=load, shown=_shown(seat, load)).answer(request)


@require_GET
def load_progress(request: HttpRequest, pk: int) -> HttpResponse:
    """Only the load's state, asked for again and again while it runs."""
    seat = _seat(request, rows=True)
    load = _load(seat, pk)
    response = _shown(seat, load).response(request)
    if not load.is_open:  # the bar and the foot have changed with it
        response["HX-Refresh"] = "true"
    return response


@require_POST
def load_decide(request: HttpRequest, pk: int) -> HttpResponse:
    """Accept or drop what waits, or cancel what runs."""
    seat = _seat(request, rows=True)
    may_load(seat)
    load, decision = _load(seat, pk), request.POST.get("decision", "")
    if decision == "cancel":
        work.cancel(load.pk)
    elif decision == "drop":
        asking.drop(load)
    elif decision in ("accept", "withdraw"):
        asking.accept(load, person=seat.person, withdraw=decision == "withdraw")
    else:
        raise RulkaError(f"'{decision}' is no decision.", hint="Choose accept, drop or cancel.", subject="load")
    record.note(seat.person, "loaded", ledger=seat.ledger.code, thing=f"load {pk}", detail=decision)
    return redirect(f"{reverse('load', args=[pk])}?{seat.query}")
