"""What must hold before a filing leaves: each check says what it judged, and every problem where it is."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Final, Literal

from rulka.core.errors import RulkaError
from rulka.core.filings.facts import (
    FITS,
    Fact,
    FilingPlace,
    Material,
    Tagged,
    facts_of,
    tagged_cells,
    text_facts_of,
    unit_of,
)
from rulka.core.filings.reported import number_shown
from rulka.core.filings.taxonomy import KINDS, TIMES, Concept

State = Literal["holds", "fails", "warns", "not judged"]
Code = Literal[
    "who", "whole", "current", "tagged", "found", "once", "known", "period", "unit", "sign", "scale", "members",
    "duplicates", "sums", "texts",
]  # fmt: skip
TITLES: Final[Mapping[Code, str]] = {
    "who": "It says who files",
    "whole": "All of the figures are seen",
    "current": "Every section is of the filing's period",
    "tagged": "Every figure is tagged or left out",
    "found": "Every tag finds its place",
    "once": "No figure has two tags",
    "known": "The taxonomy has every concept",
    "period": "Each concept has its kind of time",
    "unit": "Each concept has its kind of unit",
    "sign": "Signs agree with the accounts",
    "scale": "What is reported is what is booked",
    "members": "Members fit their concepts",
    "duplicates": "What is reported twice agrees",
    "sums": "What adds up in the taxonomy adds up",
    "texts": "Texts are there, and finished",
}


NOWHERE: Final = FilingPlace()


@dataclass(frozen=True)
class Problem:
    """Something that stands against a filing, and where it is."""

    message: str
    hint: str = ""
    place: FilingPlace = NOWHERE
    warns: bool = False


@dataclass(frozen=True)
class FilingCheck:
    """One check: `count` is how much of it was judged."""

    code: Code
    state: State
    count: int
    problems: tuple[Problem, ...] = ()

    @property
    def title(self) -> str:
        return TITLES[self.code]

    @property
    def detail(self) -> str:
        failing = sum(not one.warns for one in self.problems)
        if failing:
            return f"{failing} of {self.count}" if self.count else f"{failing}"
        return f"{len(self.problems)} to look at" if self.problems else f"{self.count}" if self.count else "nothing"


Found = Iterator[Problem | int]
"""What a check yields: problems, and how much it judged."""


def judged(material: Material) -> list[FilingCheck]:
    """All checks in order; one that had nothing to judge says so."""
    done = _Checks(material)
    every: Sequence[tuple[Code, Callable[[], Found]]] = (
        ("who", done.who), ("whole", done.whole), ("current", done.current), ("tagged", done.tagged),
        ("found", done.found), ("once", done.once), ("known", done.known), ("period", done.period),
        ("unit", done.unit), ("sign", done.sign), ("scale", done.scale), ("members", done.members),
        ("duplicates", done.duplicates), ("sums", done.sums), ("texts", done.texts),
    )  # fmt: skip
    return [_judged(code, check()) for code, check in every]


def _judged(code: Code, found: Found) -> FilingCheck:
    problems, count = [], 0
    for one in found:
        if isinstance(one, int):
            count += one
        else:
            problems.append(one)
    if any(not one.warns for one in problems):
        return FilingCheck(code, "fails", count, tuple(problems))
    state: State = "warns" if problems else "holds" if count else "not judged"
    return FilingCheck(code, state, count, tuple(problems))


def verdict_on(checks: Sequence[FilingCheck]) -> State:
    """All checks together; without any figure or text tagged nothing was judged."""
    states = [one.state for one in checks]
    if "fails" in states:
        return "fails"
    if not any(one.count for one in checks if one.code in ("scale", "texts")):
        return "not judged"
    return "warns" if "warns" in states else "holds"


class _Checks:
    def __init__(self, material: Material) -> None:
        self.material, self.filing, self.taxonomy = material, material.filing, material.taxonomy
        self.cells = list(tagged_cells(material))
        self.facts = facts_of(material)
        self.label = {name: one.label for name, one in self.taxonomy.concepts.items()}

    def said(self, name: str) -> str:
        return f"'{self.label.get(name, name)}'"

    def reported(self) -> Iterator[tuple[Tagged, Concept]]:
        """Every tagged figure with its concept, where that is one that the taxonomy has."""
        for one in self.cells:
            if one.is_tagged and len(one.concepts) == 1 and one.concepts[0] in self.taxonomy.concepts:
                yield one, self.taxonomy.concepts[one.concepts[0]]

    # ------------------------------------------------------------------------------------------------------------------

    def who(self) -> Found:
        yield 1
        if not self.filing.identifier or not self.filing.scheme:
            yield Problem("Nothing says who files.", "Give the scheme and the identifier that the registry knows.")

    def whole(self) -> Found:
        yield 1
        if self.material.part:
            yield Problem(
                f"You see a part of the whole: {self.material.part}.", "Let somebody make it who sees everything."
            )
        for one in self.cells:
            if one.cell.word == "sealed" and not one.is_left_out:
                yield Problem(f"{one.name} is sealed for you.", "Let somebody make it who may open it.", one.place)
        for name, why in self.material.problems.items():
            yield Problem(f"The statement '{name}' can't be shown: {why}", "", FilingPlace(name))

    def current(self) -> Found:
        for one in self.material.words:
            yield 1
            if one.of_period and one.of_period != self.material.period:
                yield Problem(
                    f"'{one.title}' is done for {one.of_period}; the filing is for {self.material.period}.",
                    "Begin the folio's next one, or take the section back.", FilingPlace(section=one.key),
                )  # fmt: skip

    def tagged(self) -> Found:
        for reported in self.material.statements:
            tags = self.filing.tags(reported.name)
            own = [one for one in self.cells if one.reported is reported and one.cell.is_shown]
            yield len({one.cell.line for one in own}) + len({one.cell.column for one in own})
            for column in reported.columns:
                if tags.column(column.key) is None and any(one.cell.column == column.key for one in own):
                    yield Problem(
                        f"{reported.title}: nothing says whether the column '{column.title}' is reported.",
                        "Report it, or leave it out.", FilingPlace(reported.name, "", column.key),
                    )  # fmt: skip
            for line in reported.lines:
                left = [
                    one for one in own
                    if one.cell.line == line.key and not one.is_left_out and not one.concepts
                ]  # fmt: skip
                if left:
                    yield Problem(
                        f"{reported.title}: '{line.label}' isn't tagged ({left[0].cell.text}).",
                        "Tag it, or leave it out.", FilingPlace(reported.name, line.key),
                    )  # fmt: skip

    def found(self) -> Found:
        """A tag of a line that hides in this period is no problem; one that the statement doesn't have is."""
        for tags in self.filing.statements:
            reported = self.material.statement(tags.statement)
            if reported is None:
                yield Problem(
                    f"The folio doesn't show the statement '{tags.statement}'.",
                    "Put it back into the folio, or take its tags away.", FilingPlace(tags.statement),
                )  # fmt: skip
                continue
            yield len(tags.lines) + len(tags.columns)
            for line in tags.lines:
                if line.line not in reported.known_lines:
                    yield Problem(
                        f"{reported.title}: the line '{line.label or line.line}' is gone.",
                        "Tag the line that took its place, then take this tag away.",
                        FilingPlace(reported.name, line.line, "", "", line.concept),
                    )  # fmt: skip
            for column in tags.columns:
                if column.column not in reported.known_columns:
                    yield Problem(
                        f"{reported.title}: the column '{column.column}' is gone.", "Take its tag away.",
                        FilingPlace(reported.name, "", column.column),
                    )  # fmt: skip
        known = {one.key for one in self.material.words if one.is_written}
        for text in self.filing.texts:
            yield len(text.sections)
            for key in text.sections:
                if key not in known:
                    yield Problem(
                        f"The folio has no section of words '{key}'.", "Choose another section, or take the tag away.",
                        FilingPlace("", "", "", key, text.concept),
                    )  # fmt: skip

    def once(self) -> Found:
        for tags in self.filing.statements:
            yield len(tags.lines) + len(tags.columns)
            for key, count in Counter(one.line for one in tags.lines).items():
                if count > 1:
                    yield Problem(f"The line '{key}' has {count} tags.", "Keep one.", FilingPlace(tags.statement, key))
            for key, count in Counter(one.column for one in tags.columns).items():
                if count > 1:
                    yield Problem(
                        f"The column '{key}' has {count} tags.", "Keep one.", FilingPlace(tags.statement, "", key)
                    )
        for one in self.cells:
            if one.is_tagged and len(one.concepts) > 1:
                yield Problem(
                    f"{one.name} is {self.said(one.concepts[0])} by its line and {self.said(one.concepts[1])} by its "
                    "column.", "Let one of both say the concept.", one.place,
                )  # fmt: skip
        for key, count in Counter(key for text in self.filing.texts for key in text.sections).items():
            if count > 1:
                yield Problem(f"The section '{key}' has {count} tags.", "Keep one.", FilingPlace(section=key))

    def known(self) -> Found:
        for concept, place in self._named():
            yield 1
            found = self.taxonomy.concepts.get(concept)
            if found is None:
                yield Problem(
                    f"{self.taxonomy.title} {self.taxonomy.version} has no concept '{concept}'.",
                    "Look at what is proposed for it; nothing is moved by itself.", place,
                )  # fmt: skip
            elif found.abstract:
                yield Problem(
                    f"{self.said(concept)} is a heading: nothing is reported as it.", "Choose one of those below it.",
                    place,
                )  # fmt: skip

    def _named(self) -> Iterator[tuple[str, FilingPlace]]:
        for tags in self.filing.statements:
            for line in tags.lines:
                if line.concept:
                    yield line.concept, FilingPlace(tags.statement, line.line, "", "", line.concept)
            for column in tags.columns:
                if column.concept:
                    yield column.concept, FilingPlace(tags.statement, "", column.column, "", column.concept)
        for text in self.filing.texts:
            yield text.concept, FilingPlace("", "", "", text.sections[0] if text.sections else "", text.concept)

    def period(self) -> Found:
        told = set()
        for one, concept in self.reported():
            if not one.cell.is_shown:
                continue
            yield 1
            place = FilingPlace(one.cell.statement, one.cell.line, one.cell.column, "", concept.name)
            if one.cell.time is None:
                yield Problem(f"{one.name} has no time of its own.", "Leave its column out.", place)
            elif one.cell.time.kind != concept.period and (place.statement, place.line) not in told:
                told.add((place.statement, place.line))
                yield Problem(
                    f"{one.name} is a figure {TIMES[one.cell.time.kind]}; {self.said(concept.name)} is reported "
                    f"{TIMES[concept.period]}.",
                    "Choose a concept of that kind, or leave the column out.", place,
                )  # fmt: skip

    def unit(self) -> Found:
        told = set()
        for one, concept in self.reported():
            place = FilingPlace(one.cell.statement, one.cell.line, one.cell.column, "", concept.name)
            if not one.cell.is_shown or (place.statement, place.line) in told:
                continue
            yield 1
            problem = self._unit_problem(one, concept)
            if problem:
                told.add((place.statement, place.line))
                yield Problem(f"{one.name} {problem}", "Choose another concept, or mend the unit.", place)
        for text in self.filing.texts:
            found = self.taxonomy.concepts.get(text.concept)
            if found is not None and not found.abstract:
                yield 1
                if found.kind not in ("block", "text"):
                    yield Problem(
                        f"{self.said(found.name)} is {KINDS[found.kind]}; a section is words.",
                        "Choose a concept for words.", FilingPlace(section=text.sections[0], concept=found.name),
                    )  # fmt: skip

    def _unit_problem(self, one: Tagged, concept: Concept) -> str:
        whats = {"money": "money", "quantity": "a quantity", "ratio": "a ratio"}
        if one.cell.what not in FITS.get(concept.kind, ()):
            return f"shows {whats[one.cell.what]}; {self.said(concept.name)} is {KINDS[concept.kind]}."
        said = one.line.unit if one.line else ""
        own = unit_of(concept, one.cell)
        return f"is in {own}; its tag says {said}." if said and said != own else ""

    def sign(self) -> Found:
        told = set()
        for one, concept in self.reported():
            if not concept.balance or one.cell.what != "money" or not one.cell.side or not one.cell.is_shown:
                continue
            yield 1
            turned, sure = (one.line.turned, one.line.sure) if one.line else (False, False)
            place = FilingPlace(one.cell.statement, one.cell.line, one.cell.column, "", concept.name)
            if turned == turned_for(one.cell.side, concept.balance) or sure or (place.statement, place.line) in told:
                continue
            told.add((place.statement, place.line))
            shows = "debits" if one.cell.side > 0 else "credits"
            yield Problem(
                f"{one.name} shows {shows} as positive{' and is turned' if turned else ''}; {self.said(concept.name)} "
                f"is a {concept.balance}.",
                "Turn its sign; or say that it is right.", place,
            )  # fmt: skip

    def scale(self) -> Found:
        for one in self.cells:
            if one.is_tagged and one.cell.is_shown and number_shown(one.cell.text, one.cell.mark) is None:
                yield Problem(
                    f"{one.name}: '{one.cell.text}' can't be read as a number.",
                    "Write it plainly in its statement, or leave it out.", one.place,
                )  # fmt: skip
        for fact in self.facts:
            if fact.cell.exact is None:
                continue
            yield 1
            turned = next((one.line.turned for one in self.cells if one.cell is fact.cell and one.line), False)
            wanted = -fact.cell.exact if turned else fact.cell.exact
            step = Decimal(1).scaleb(-fact.decimals)
            reported = self.material.statement(fact.cell.statement)
            loose = step if reported is not None and reported.adjusted else step / 2
            if abs(fact.value - wanted) > loose:
                yield Problem(
                    f"{fact.name}: '{fact.cell.text}' is reported as {fact.value:,f}; the statement's figure is "
                    f"{wanted:,f}.",
                    f"Its scale is {fact.scale}; the statement shows it in {fact.cell.scale}.", fact.place,
                )  # fmt: skip

    def members(self) -> Found:
        told = set()
        for fact in self.facts:
            where = (fact.cell.statement, fact.cell.line, fact.members)
            if where in told:
                continue
            told.add(where)
            yield 1
            try:
                for axis, member in fact.members:
                    self.taxonomy.check_member(axis, member)
            except RulkaError as error:
                yield Problem(f"{fact.name}: {error.message}", error.hint, fact.place)
                continue
            if not self.taxonomy.takes(fact.concept, dict(fact.members)):
                shown = ", ".join(self.label.get(one, one) for _, one in fact.members) or "no member"
                yield Problem(
                    f"{fact.name}: {self.said(fact.concept)} isn't reported for {shown}.",
                    "Choose other members, or another concept.", fact.place,
                )  # fmt: skip

    def duplicates(self) -> Found:
        by_key: dict[object, list[Fact]] = defaultdict(list)
        for fact in self.facts:
            by_key[fact.key].append(fact)
        yield len(by_key)
        for same in by_key.values():
            least, most = max(one.bounds[0] for one in same), min(one.bounds[1] for one in same)
            equal = len({one.value for one in same if one.decimals == max(fact.decimals for fact in same)}) == 1
            if least > most or not equal:
                first, other = same[0], next((one for one in same if one.value != same[0].value), same[-1])
                yield Problem(
                    f"{self.said(first.concept)}, {first.time.told}, is {first.value:,f} by {first.name} and "
                    f"{other.value:,f} by {other.name}.",
                    "Tag one of both as something else, or leave it out.", other.place,
                )  # fmt: skip
        for concept, count in Counter(one.concept for one in text_facts_of(self.material)).items():
            yield 1
            if count > 1:
                yield Problem(
                    f"{self.said(concept)} is reported as {count} texts.", "Let one tag name all its sections.",
                    FilingPlace(concept=concept),
                )  # fmt: skip

    def sums(self) -> Found:
        """By calculations 1.1, rounded to nearest: the bounds of a total and of what adds up to it meet."""
        bounds: dict[tuple[object, ...], dict[str, list[Fact]]] = defaultdict(lambda: defaultdict(list))
        for fact in self.facts:
            bounds[fact.time, fact.members, fact.unit][fact.concept].append(fact)
        for sum_ in self.taxonomy.sums:
            for own in bounds.values():
                parts = [(name, weight) for name, weight in sum_.parts if name in own]
                if sum_.total not in own or not parts:
                    continue
                yield 1
                low, high = _met(own[sum_.total])
                least = most = Decimal(0)
                for name, weight in parts:
                    first, last = _met(own[name])
                    least += weight * (first if weight > 0 else last)
                    most += weight * (last if weight > 0 else first)
                if least <= high and low <= most:
                    continue
                yield self._sum_problem(sum_.total, own, parts, [name for name, _ in sum_.parts if name not in own])

    def _sum_problem(
        self, total: str, own: Mapping[str, list[Fact]], parts: Sequence[tuple[str, Decimal]], missing: Sequence[str]
    ) -> Problem:
        whole = own[total][0]
        comes = sum((weight * own[name][0].value for name, weight in parts), Decimal(0))
        said = ", ".join(f"{self.label.get(name, name)} {own[name][0].value:,f}" for name, _ in parts[:6])
        more = f" and {len(parts) - 6} more" if len(parts) > 6 else ""
        none = ", ".join(self.label.get(name, name) for name in missing[:6])
        return Problem(
            f"{self.said(total)}, {whole.time.told}, is {whole.value:,f}; what adds up to it comes to {comes:,f} "
            f"({said}{more}): {whole.value - comes:,f} between them.",
            f"Not reported: {none}." if none else "Mend a tag, or show more decimals where rounding does it.",
            whole.place,
        )  # fmt: skip

    def texts(self) -> Found:
        words = {one.key: one for one in self.material.words}
        for text in self.filing.texts:
            for key in text.sections:
                if key not in words:
                    continue
                yield 1
                one, place = words[key], FilingPlace("", "", "", key, text.concept)
                if one.form not in ("text", "docx"):
                    yield Problem(
                        f"'{one.title}' is a file of pages: its words can't be reported.",
                        "Write it as a text.", place,
                    )  # fmt: skip
                elif one.is_empty:
                    yield Problem(f"Nothing was written as '{one.title}'.", "Write it in the folio.", place)
                elif not one.is_begun:
                    yield Problem(
                        f"Nobody wrote '{one.title}' yet: it stands as it begins.", "Write it in the folio.", place,
                        warns=True,
                    )  # fmt: skip
                elif not one.finished:
                    yield Problem(
                        f"'{one.title}' isn't done yet.",
                        "Hand it in, and let its reviewers accept it.",
                        place,
                        warns=True,
                    )


def turned_for(side: int, balance: str) -> bool:
    """Whether a figure's sign is turned to be reported as a debit or credit: the figure shows debits (1) or credits
    (-1) as positive."""
    return (side > 0) != (balance == "debit")


def _met(facts: Sequence[Fact]) -> tuple[Decimal, Decimal]:
    """Where the bounds of facts about the same meet."""
    return max(one.bounds[0] for one in facts), min(one.bounds[1] for one in facts)
