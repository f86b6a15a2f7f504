"""Checks of a statement: what one found, and what they say together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

HOLDS, FAILS, WARNS, NOT_JUDGED = "holds", "fails", "warns", "not judged"

TITLES = {
    "placed": "Every account is placed",
    "placed-once": "No account is placed twice",
    "totals": "Totals foot",
    "ledger-tie": "Ties to the ledger",
    "ledger-balance": "The ledger is in balance",
    "result": "The result ties",
    "columns": "The columns are complete",
    "intercompany": "Intercompany agrees",
    "own-check": "",
    "fence": "The whole is seen",
    "rounding": "Rounded so that it foots",
    "selections": "Every selection means something",
}
"""The checks by code, with what people read; the spine's own checks and those of a series have titles of their own."""

CORE = ("placed", "placed-once", "totals", "ledger-tie")
"""What must have been judged and hold before a statement is said to foot."""

FOOTS, ADDS_UP = "Foots: every check holds", "Adds up; places no accounts by design"


@dataclass(frozen=True)
class Check:
    """One check: `code` says which, `state` holds, fails, warns or not judged; a check that was not judged never counts
    as holding.

    `accounts` and `lines` name what it is about, for a way to the cause.
    """

    code: str
    state: str
    detail: str = ""
    accounts: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    title: str = ""

    @property
    def check(self) -> str:
        """What people call it."""
        return self.title or TITLES[self.code]

    @property
    def ok(self) -> bool:
        return self.state == HOLDS


@dataclass(frozen=True)
class Verdict:
    """What the checks say together: one of three sentences, and the exit code of a command that asks."""

    text: str
    exit_code: int

    @property
    def stands(self) -> bool:
        """Whether nothing is left to look at."""
        return self.exit_code == 0


def verdict_on(checks: Sequence[Check]) -> Verdict:
    """Foots only where placement, totals and the tie to the ledger were judged and all checks hold.

    A statement that places nothing by design has none of the checks of placement; it adds up where its totals were
    judged.
    """
    told = {state: [check.check for check in checks if check.state == state] for state in (FAILS, WARNS, NOT_JUDGED)}
    judged = {check.code for check in checks if check.ok}
    if not any(told.values()):
        if judged.issuperset(CORE):
            return Verdict(FOOTS, 0)
        if "totals" in judged and not any(check.code in ("placed", "placed-once", "ledger-tie") for check in checks):
            return Verdict(ADDS_UP, 0)
    words = {FAILS: "Fails", WARNS: "Warns", NOT_JUDGED: "Not judged"}
    text = ". ".join(f"{words[state]}: {', '.join(dict.fromkeys(names))}" for state, names in told.items() if names)
    return Verdict(text or "Not judged: nothing", 3 if told[FAILS] else 4)
