"""The one base class of everything Rulka refuses, and how many such errors are told at once."""

from __future__ import annotations

from collections.abc import Iterable, Sequence


class RulkaError(Exception):
    """Something a person asked for cannot be done; says what, where and what to do.

    `message` says what is wrong, `hint` what to do, `subject` what it is about (file, row, line,
    column), `code` a short stable word for programs.
    """

    code = "refused"

    def __init__(self, message: str, *, hint: str = "", subject: str = "", code: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.subject = subject
        if code:
            self.code = code

    def __str__(self) -> str:
        where = f"{self.subject}: " if self.subject else ""
        return f"{where}{self.message}" + (f" {self.hint}" if self.hint else "")


class NotFound(RulkaError):
    """A name or code that does not exist."""

    code = "not-found"


class RulkaErrors(RulkaError):
    """Several errors collected in one go; `errors` holds them all."""

    CAP = 40

    def __init__(self, errors: Iterable[RulkaError], *, message: str = "") -> None:
        self.errors = list(errors)
        super().__init__(message or f"{len(self.errors)} errors", code="refused")

    def __str__(self) -> str:
        lines = [self.message] + [f"  {error}" for error in self.errors[: self.CAP]]
        if len(self.errors) > self.CAP:
            lines.append(f"  ... and {len(self.errors) - self.CAP} more")
        return "\n".join(lines)


def first_of(told: Sequence[str], most: int, between: str = ", ") -> str:
    """The first of some, and how many more there are: `a, b and 3 more`, or `a; b; and 3 more`."""
    more = f"{between.rstrip(', ')} and {len(told) - most} more" if len(told) > most else ""
    return between.join(told[:most]) + more


def one_of(given: str, known: Iterable[str], *, most: int = 8) -> str:
    """Name the known codes nearest to a wrong one, for a hint."""
    from difflib import get_close_matches

    codes = list(known)
    near = get_close_matches(given, codes, n=3, cutoff=0.6)
    if near:
        return "Did you mean " + " or ".join(near) + "?"
    if not codes:
        return "There are none."
    return f"There are: {first_of(codes, most)}."


def together(errors: Sequence[RulkaError]) -> RulkaError:
    """What to raise for some errors: the only one as it is, several at once."""
    if len(errors) == 1:
        return errors[0]
    return RulkaErrors(list(errors), message="Refused, nothing was changed.")
