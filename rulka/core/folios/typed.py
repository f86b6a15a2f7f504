"""Numbers that somebody typed, held against the figures of the folio: which of them are figures that could be live,
which contradict one, and which were right once.

A number is equal to a figure where the figure, scaled and rounded as the number is written, gives it: `261.5 thousand`
is 261,512.20. It contradicts one where the words before it name a figure, and the number comes near to it without being
any of its values. It is stale where it was equal in a former period or revision, and isn't now.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from typing import Final, Literal

from rulka.core.folios.filled import FolioFact

Judgement = Literal["equal", "stale", "contradicts"]
SPACES: Final = " \u00a0\u202f\u2009"
NUMBER: Final = re.compile(
    rf"(?<![\w.,/:\u2013])(?P<sign>[-\u2212+]?)(?P<digits>\d{{1,3}}(?:[{SPACES}]\d{{3}})+(?:[.,]\d+)?|"
    r"\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d{1,3}(?:['\u2019]\d{3})+(?:[.,]\d+)?|\d{1,3}(?:\.\d{3}){2,}(?:,\d+)?|"
    rf"\d+(?:[.,]\d+)?)(?![/:]|[.,]\d|(?!(?:k|m|mn|bn)\b)\w)[{SPACES}]?"
    r"(?P<unit>%|per\s?cent\b|percent\b|thousands?\b|millions?\b|billions?\b|mn\b|bn\b|k\b|m\b)?",
    re.IGNORECASE,
)
MONTHS: Final = frozenset(
    (
        "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
        "december", "jan", "feb", "mar", "apr", "jun", "jul", "aug", "sep", "oct", "nov", "dec",
    )
)  # fmt: skip
UNITS: Final[Mapping[str, int]] = {
    "thousand": 3, "thousands": 3, "k": 3, "million": 6, "millions": 6, "m": 6, "mn": 6, "billion": 9, "billions": 9,
    "bn": 9,
}  # fmt: skip
SENTENCE: Final = re.compile(r"(?<=[.!?;])\s+(?=\D)")
NEAR: Final = Decimal("0.5"), Decimal(2)
"""A number between half and twice a figure comes near to it."""


@dataclass(frozen=True)
class Typed:
    """A number as it stands in a text: `value` scaled by its unit, in whole units or percent; `step` is the unit of its
    last digit, in the same scale."""

    text: str
    start: int
    value: Decimal
    step: Decimal
    percent: bool
    digits: int
    has_unit: bool


@dataclass(frozen=True)
class TypedFigure:
    """A typed number and the figure that it is held against."""

    line: int
    typed: Typed
    judgement: Judgement
    fact: FolioFact

    @property
    def key(self) -> str:
        """What it is called as long as the text says the same."""
        return f"{self.judgement}|{self.line}|{self.typed.start}|{self.typed.text}"


def numbers_in(text: str) -> Iterator[Typed]:
    """The numbers of a text that may be figures: no years, days, section numbers or small counts."""
    for found in NUMBER.finditer(text):
        digits, unit = found["digits"], (found["unit"] or "").lower().replace(" ", "")
        after = text[found.end() :].lstrip(SPACES)
        number = _decimal(digits)
        if number is None:
            continue
        percent = unit in ("%", "percent")
        whole = digits.isascii() and digits.isalnum()
        if not unit and whole and (_is_year(number) or _is_day(number, text, found.start(), after)):
            continue
        scale = Decimal(10) ** UNITS.get(unit, 0)
        places = len(re.split("[.,]", digits)[-1]) if _has_decimals(digits) else 0
        shown = text[found.start() : found.end()].strip()
        significant = sum(letter in "0123456789" for letter in digits.lstrip("0.,"))
        yield Typed(
            shown, found.start(), (-number if found["sign"] in ("-", "\u2212") else number) * scale,
            Decimal(1).scaleb(-places) * scale, percent, significant, bool(unit),
        )  # fmt: skip


def _has_decimals(digits: str) -> bool:
    """Whether what follows the last mark are decimals: three digits after a comma group thousands."""
    marks = re.findall(r"[.,]", digits)
    if not marks:
        return False
    last = digits.rpartition(marks[-1])[2]
    if marks[-1] == "," and len(last) == 3 and not re.search(rf"[{SPACES}'\u2019.]", digits):
        return False
    return not (len(marks) > 1 and len(set(marks)) == 1)


def _decimal(digits: str) -> Decimal | None:
    plain = digits
    if _has_decimals(digits):
        mark = re.findall(r"[.,]", digits)[-1]
        before, _, after = digits.rpartition(mark)
        plain = re.sub(r"[^0-9]", "", before) + "." + after
    else:
        plain = re.sub(r"[^0-9]", "", digits)
    try:
        return Decimal(plain)
    except InvalidOperation:
        return None


def _is_year(number: Decimal) -> bool:
    return Decimal(1900) <= number <= Decimal(2100)


def _is_day(number: Decimal, text: str, start: int, after: str) -> bool:
    """A day of a month, or a count too small to be told from one."""
    if number >= 100:
        return False
    before = text[:start].split()[-1:] or [""]
    named = before[0].strip(".,").lower() in MONTHS or (after.split() or [""])[0].strip(".,").lower() in MONTHS
    return named or number < 32


def agrees(typed: Typed, fact: FolioFact) -> bool:
    """Whether a figure, rounded as a number is written, is that number; signs may be told by words."""
    if typed.percent != (fact.unit == "percent"):
        return False
    return _rounded(abs(Decimal(fact.value)), typed.step) == abs(typed.value)


def _rounded(value: Decimal, step: Decimal) -> Decimal:
    return (value / step).quantize(Decimal(1), ROUND_HALF_UP) * step


def judge(lines: Sequence[str], now: Iterable[FolioFact], former: Iterable[FolioFact]) -> list[TypedFigure]:
    """All typed numbers that are equal to a figure, contradict one, or were equal once; in the order of the text."""
    facts, past = list(now), list(former)
    named = _by_words(facts)
    found = []
    for number, line in enumerate(lines):
        for typed in numbers_in(line):
            one = _judged(typed, line, facts, past, named)
            if one is not None:
                found.append(TypedFigure(number, typed, *one))
    return found


def _judged(
    typed: Typed,
    line: str,
    facts: Sequence[FolioFact],
    past: Sequence[FolioFact],
    named: Mapping[tuple[str, ...], list[FolioFact]],
) -> tuple[Judgement, FolioFact] | None:
    meant = _meant(line, typed.start, named)
    telling = typed.digits >= 3 or (typed.digits == 2 and typed.percent)
    same = [fact for fact in facts if agrees(typed, fact)]
    if same:
        of_words = [fact for fact in same if fact in meant]
        return ("equal", (of_words or same)[0]) if of_words or telling else None
    was = [fact for fact in past if agrees(typed, fact)]
    words = {fact.name for fact in meant}  # headings name other periods then
    of_words = [fact for fact in was if fact.name in words or not words]
    if of_words and (telling or words):
        return "stale", of_words[0]
    near = [fact for fact in meant if _is_near(typed, fact)]
    if near and typed.digits >= 2:
        nearest = min(near, key=lambda fact: abs(abs(Decimal(fact.value)) - abs(typed.value)))
        return "contradicts", nearest
    return None


def _is_near(typed: Typed, fact: FolioFact) -> bool:
    value = abs(Decimal(fact.value))
    if typed.percent != (fact.unit == "percent") or not value:
        return False
    if fact.unit == "quantity" and typed.step < 1:  # what is counted has no decimals
        return False
    return NEAR[0] <= abs(typed.value) / value <= NEAR[1]


def _by_words(facts: Sequence[FolioFact]) -> dict[tuple[str, ...], list[FolioFact]]:
    found: dict[tuple[str, ...], list[FolioFact]] = {}
    for fact in facts:
        words = _words(fact.name)
        if words:
            found.setdefault(words, []).append(fact)
    return found


def _words(text: str) -> tuple[str, ...]:
    return tuple(_stem(word) for word in re.findall(r"[^\W\d_]{2,}", text.casefold()))


def _stem(word: str) -> str:
    """A word without what makes it plural, so that 'fare' and 'fares' are the same."""
    return word[:-1] if len(word) > 3 and word.endswith("s") else word


def _meant(line: str, start: int, named: Mapping[tuple[str, ...], list[FolioFact]]) -> list[FolioFact]:
    """The figures that the words before a number name, in its own sentence; the longest name nearest to it."""
    begin = 0
    for mark in SENTENCE.finditer(line):
        if mark.end() <= start:
            begin = mark.end()
    words = _words(line[begin:start])
    best: tuple[int, int] = (-1, 0)
    chosen: list[FolioFact] = []
    for name, facts in named.items():
        size = len(name)
        for at in range(len(words) - size, -1, -1):
            if words[at : at + size] == name:
                if (at + size, size) > best:
                    best, chosen = (at + size, size), facts
                break
    return chosen
