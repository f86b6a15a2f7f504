"""What the ledger's pages share: the frame around them, and who may see what comes from whole loads."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.errors import RulkaError
from rulka.core.money import grouped
from rulka.ledger import editing
from rulka.ledger.models import Ledger, Revision
from rulka.ledger.seat import Seat, SeatedPage
from rulka.people.duties import LOAD
from rulka.work.models import Load
from rulka.work.services import loads

TABS = (
    ("ledger", "Overview"),
    ("ledger-accounts", "Accounts"),
    ("ledger-members", "Members"),
    ("ledger-scenarios", "Scenarios"),
    ("ledger-rates", "Rates"),
    ("ledger-journal", "Journal"),
    ("ledger-trial-balance", "Trial balance"),
    ("ledger-wrong", "Looks wrong"),
    ("feeds", "Feeds"),
    ("revisions", "Revisions"),
)


@dataclass(frozen=True)
class LedgerFrame:
    """What stands around each page of the ledger: its tabs, how old it is, loads that wait for a decision or run."""

    tab: str
    ledger: Ledger
    latest: Revision | None
    held: int
    running: Load | None
    tabs: Sequence[tuple[str, str]] = TABS


@dataclass(frozen=True, kw_only=True)
class LedgerPage(SeatedPage):
    """A page of the ledger."""

    where: str = "ledger"
    frame: LedgerFrame


def frame_of(seat: Seat, tab: str) -> LedgerFrame:
    """What stands around a page of the ledger."""
    ledger = Ledger.objects.get(pk=seat.ledger.pk)
    whole, code = sees_whole(seat), ledger.code
    return LedgerFrame(
        tab,
        ledger,
        ledger.revisions.first(),
        loads.held(code) if whole else 0,
        loads.running(code) if whole else None,
    )


def sees_whole(seat: Seat) -> bool:
    """Whether nothing of the ledger is hidden from this person but the detail of sealed accounts."""
    return seat.view.fence.hides_nothing


def whole_only(seat: Seat) -> None:
    """Refuse what shows or changes a ledger as a whole to somebody who sees a part of it."""
    if not sees_whole(seat):
        raise RulkaError(
            "This is about the whole ledger; you see a part of it.",
            hint="Ask an accountant.",
            subject="rights",
            code="rights",
        )


def rows_only(seat: Seat) -> None:
    """Refuse what shows rows of loads as they came to somebody for whom something of the ledger is sealed."""
    whole_only(seat)
    if not seat.view.fence.is_open:
        raise RulkaError(
            "A load shows rows as they came, and some of this ledger's detail is sealed for you.",
            hint="Ask somebody who may open the seal.",
            subject="rights",
            code="rights",
        )


def may_load(seat: Seat) -> None:
    """Refuse pulls and loads by somebody who has no right to."""
    editing.may(seat.person, LOAD)


def money(minor: int, digits: int, *, zero: str = "") -> str:
    """Minor units as a person reads them."""
    return grouped(minor, digits) if minor else zero


def exact(value: Fraction, digits: int) -> str:
    """An exact amount as a person reads it, nothing where it is zero."""
    return grouped(int(value * 10**digits), digits) if value else ""
