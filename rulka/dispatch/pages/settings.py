"""What dispatches share: the address book, holidays and zone, file servers, one's own mail account."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from zoneinfo import available_timezones

from django.conf import settings
from django.http import HttpRequest, HttpResponse, QueryDict
from django.views.decorators.http import require_http_methods

from rulka.core.errors import NotFound, RulkaError
from rulka.core.values import key_in
from rulka.dispatch.library import book as address_book
from rulka.dispatch.library.days import holidays_from, set_holidays, set_zone
from rulka.dispatch.library.servers import forget_server, pin, save_server, server_named, servers_of, used_by
from rulka.dispatch.models import Contact, Days, MailAccount, Server
from rulka.dispatch.pages.common import DispatchPage, to
from rulka.dispatch.running import servers as reaching
from rulka.ledger.seat import Seat, seat_of


def _editor(seat: Seat) -> None:
    if not seat.person.may_edit and not seat.person.administers:
        raise RulkaError("This is for who sends.", hint="Ask an accountant.", code="rights")


@dataclass(frozen=True, kw_only=True)
class BookPage(DispatchPage):
    """The address book, and what was entered for a new name."""

    html = "dispatch/book.html"
    contacts: Sequence[Contact]
    entered: QueryDict


@require_http_methods(["GET", "POST"])
def book(request: HttpRequest) -> HttpResponse:
    """The address book: names for mail addresses."""
    seat, problem = seat_of(request), None
    _editor(seat)
    if request.method == "POST":
        given = request.POST
        try:
            if given.get("do") == "forget":
                address_book.forget_contact(seat.ledger, key_in(given.get("contact", "")), person=seat.person)
            else:
                address_book.save_contact(
                    seat.ledger, given.get("name", ""), given.get("address", ""), person=seat.person
                )
            return to(seat, "address-book")
        except RulkaError as error:
            problem = error
    contacts = list(Contact.objects.filter(ledger=seat.ledger))
    return BookPage(seat=seat, problem=problem, contacts=contacts, entered=request.POST).answer(request)


@dataclass(frozen=True, kw_only=True)
class DaysPage(DispatchPage):
    """A ledger's zone and holidays."""

    html = "dispatch/days.html"
    zone: str
    holidays: str
    zones: Sequence[str]
    server_zone: str


@require_http_methods(["GET", "POST"])
def days(request: HttpRequest) -> HttpResponse:
    """The zone in which a ledger's days are, and its holidays."""
    seat, problem = seat_of(request), None
    _editor(seat)
    given = request.POST
    if request.method == "POST":
        try:
            holidays = holidays_from(given.get("holidays", ""))
            set_zone(seat.ledger, given.get("zone", ""), person=seat.person)
            set_holidays(seat.ledger, holidays, person=seat.person)
            return to(seat, "sending-days")
        except RulkaError as error:
            problem = error
    kept = Days.objects.filter(ledger=seat.ledger).first()
    zone, lines = kept.zone if kept else "", (kept.holidays if kept else {}).items()
    return DaysPage(
        seat=seat,
        problem=problem,
        zone=given.get("zone", "") if problem else zone,
        holidays=given.get("holidays", "") if problem else "\n".join(f"{day} {name}".strip() for day, name in lines),
        zones=sorted(available_timezones()),
        server_zone=settings.TIME_ZONE,
    ).answer(request)


@dataclass(frozen=True, kw_only=True)
class ServersPage(DispatchPage):
    """The file servers, each with its pinned key and what uses it; what a test said (`told`) or which key it was
    `shown`: (server, key, key in words)."""

    html = "dispatch/servers.html"
    servers: Sequence[tuple[Server, str, Collection[str]]]
    kinds: Sequence[tuple[str, str]]
    told: str
    shown: tuple[Server, str, str] | None
    entered: QueryDict | Mapping[str, str]


@require_http_methods(["GET", "POST"])
def servers(request: HttpRequest) -> HttpResponse:
    """The file servers that may be sent to: named, tested and pinned by administrators."""
    seat, problem, told, shown = seat_of(request), None, "", None
    if not seat.person.administers:
        raise RulkaError("File servers are an administrator's.", hint="Ask one.", code="rights")
    given = request.POST
    if request.method == "POST":
        try:
            what = given.get("do", "")
            if what == "save":
                fields = {field: given.get(field, "") for field in ("kind", "host", "port", "user", "secret", "folder")}
                save_server(seat.ledger, given.get("name", ""), **fields, person=seat.person)
                return to(seat, "file-servers")
            server = server_named(seat.ledger, given.get("name", ""))
            if what == "forget":
                forget_server(server, person=seat.person)
                return to(seat, "file-servers")
            if what == "pin":
                pin(server, given.get("key", ""), person=seat.person)
                return to(seat, "file-servers")
            if what != "test":
                raise NotFound(f"Nothing is called '{what[:40]}'.", subject="file server")
            shown, told = _tested(server)
        except RulkaError as error:
            problem = error
    return ServersPage(
        seat=seat,
        problem=problem,
        servers=[(one, reaching.told(one.pinned), used_by(one)) for one in servers_of(seat.ledger)],
        kinds=[choice for choice in Server.Kind.choices if choice[0] != "ftp" or settings.SEND_PLAIN],
        told=told,
        shown=shown,
        entered=given if problem else {},
    ).answer(request)


def _tested(server: Server) -> tuple[tuple[Server, str, str] | None, str]:
    """Try a server out: the key that it shows where that isn't pinned, or that files may be written there."""
    way = reaching.way_to(server)
    try:
        key = reaching.key_of(way)
        if key != server.pinned:
            return (server, key, reaching.told(key)), ""
        reaching.try_out(way)
    except reaching.NotReached as error:
        raise RulkaError(f"'{server.name}' isn't reached: {error}", hint="Look at host and port.",
                         subject="file server") from error  # fmt: skip
    return None, f"'{server.name}' takes the sign-in, and a file was written there and taken away again."


@dataclass(frozen=True, kw_only=True)
class AccountPage(DispatchPage):
    """One's own mail account, as `kept` and as `entered`."""

    html = "dispatch/account.html"
    kept: MailAccount | None
    entered: QueryDict | MailAccount | None


@require_http_methods(["GET", "POST"])
def account(request: HttpRequest) -> HttpResponse:
    """One's own mail account."""
    seat, problem = seat_of(request), None
    _editor(seat)
    given = request.POST
    if request.method == "POST":
        try:
            if given.get("do") == "forget":
                address_book.forget_account(seat.person)
            else:
                address_book.save_account(
                    seat.person, host=given.get("host", ""), port=given.get("port", ""), tls=given.get("tls") == "yes",
                    user=given.get("user", ""), secret=given.get("secret", ""), sender=given.get("sender", ""),
                )  # fmt: skip
            return to(seat, "mail-account")
        except RulkaError as error:
            problem = error
    kept = MailAccount.objects.filter(person=seat.person).first()
    return AccountPage(seat=seat, problem=problem, kept=kept, entered=given if problem else kept).answer(request)
