"""What a line might be reported as: by the words of its label, by its kind of figure, by how it was tagged before."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Final

from rulka.core.filings.facts import FITS, Material
from rulka.core.filings.reported import Reported, ReportedCell, ReportedLine
from rulka.core.filings.taxonomy import Concept, Concepts, words_of

LEAST: Final = 0.5
"""Below that nothing is proposed."""

SEEN: Final = 0.35
"""Below that nothing is shown to choose from."""

MOST: Final = 6
CANDIDATES: Final = 30
"""Concepts that are looked at letter by letter: those with most words in common."""

UNLIKE: Final = 0.65
"""What a total is worth for a line that is none, and the other way round."""


@dataclass(frozen=True)
class ConceptProposal:
    """A concept for a line, how well it fits (at most 1), and why."""

    concept: Concept
    fits: float
    why: str


def alike(first: str, second: str) -> float:
    """How alike two labels are, from 0 to 1: by the words that they share, then by their letters; 0 where they share
    none."""
    own, other = words_of(first), words_of(second)
    common = len(own & other)
    if not common:
        return 0.0
    shared = common / max(len(own), len(other))
    return 0.7 * shared + 0.3 * SequenceMatcher(None, first.casefold(), second.casefold()).ratio()


def best_label(concept: Concept, label: str) -> float:
    """How well a label fits any of a concept's names."""
    local = concept.name.partition(":")[2]
    return max(alike(label, one) for one in (concept.label, *concept.labels, local))


def fits_cells(concept: Concept, cells: Iterable[ReportedCell]) -> bool:
    """Whether a concept takes all of some figures, by kind of unit and time."""
    shown = [one for one in cells if one.is_shown]
    return concept.is_numeric and all(
        one.what in FITS[concept.kind] and (one.time is None or one.time.kind == concept.period) for one in shown
    )


def proposals(
    material: Material, reported: Reported, line: ReportedLine, former: Mapping[str, str], most: int = MOST
) -> list[ConceptProposal]:
    """The concepts nearest to a line; `former` says by label what lines were tagged as elsewhere or before."""
    taxonomy = material.taxonomy
    cells = [cell for (key, _), cell in reported.cells.items() if key == line.key]
    said = former.get(line.label.casefold(), "")
    near = [*taxonomy.near(line.label, CANDIDATES), *([taxonomy.concepts[said]] if said in taxonomy.concepts else [])]
    totals = {one.total for one in taxonomy.sums}
    found = []
    for concept in dict.fromkeys(near):
        if not fits_cells(concept, cells):
            continue
        fits, why = best_label(concept, line.label), "alike by its label"
        if line.above:
            fits = max(fits, 0.9 * best_label(concept, f"{line.above[-1]} {line.label}"))
        if totals and line.strong != (concept.name in totals):
            fits *= UNLIKE
        if said == concept.name:
            fits, why = 1.0, "tagged so before"
        if fits >= SEEN:
            found.append(ConceptProposal(concept, 1.0 if concept.name == said else min(fits, 0.99), why))
    return sorted(found, key=lambda one: -one.fits)[:most]


def all_proposals(
    material: Material, former: Mapping[str, str]
) -> Iterator[tuple[Reported, ReportedLine, ConceptProposal]]:
    """The best proposal for each line that nothing was said of yet, each concept for one line of a statement."""
    for reported in material.statements:
        tags = material.filing.tags(reported.name)
        taken = {one.concept for one in tags.lines}
        waiting = [
            (one.fits, place, line, one)
            for place, line in enumerate(reported.lines)
            if line.has_figures and tags.line(line.key) is None
            for one in proposals(material, reported, line, former)
            if one.fits >= LEAST
        ]
        done: dict[int, tuple[ReportedLine, ConceptProposal]] = {}
        for _, place, line, one in sorted(waiting, key=lambda each: (-each[0], each[1])):
            if place not in done and one.concept.name not in taken:
                done[place] = line, one
                taken.add(one.concept.name)
        for place in sorted(done):
            yield reported, *done[place]


def moved_to(taxonomy: Concepts, name: str, former: Concepts | None, most: int = 4) -> list[ConceptProposal]:
    """What a concept that a taxonomy doesn't have may be called there, nearest first."""
    old = former.concepts.get(name) if former is not None else None
    local = name.partition(":")[2]
    found = []
    for concept in taxonomy.reportable:
        if old is not None and (concept.kind, concept.period, concept.balance) != (old.kind, old.period, old.balance):
            continue
        by_name = alike(local, concept.name.partition(":")[2])
        by_label = best_label(concept, old.label) if old is not None else 0.0
        same = old is not None and old.label.casefold() == concept.label.casefold()
        fits = 1.0 if same else max(by_name, by_label)
        if fits >= LEAST:
            why = "the same label" if same else "alike by its label" if by_label > by_name else "alike by its name"
            found.append(ConceptProposal(concept, fits, why))
    return sorted(found, key=lambda one: -one.fits)[:most]


def searched(taxonomy: Concepts, text: str, *, most: int = 40) -> list[Concept]:
    """The concepts whose labels, name or explanation hold every word that somebody types, those that begin so first."""
    wanted = re.findall(r"[^\W_]+", text.casefold())
    if not wanted:
        return []
    found = []
    for concept in taxonomy.reportable:
        local = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", concept.name.partition(":")[2])
        labels = " ".join((concept.label, *concept.labels, local)).casefold()
        inside = f"{labels} {concept.about.casefold()}"
        if all(word in inside for word in wanted):
            begins = concept.label.casefold().startswith(wanted[0])
            rank = 0 if begins else 1 if all(word in labels for word in wanted) else 2
            found.append((rank, len(concept.label), concept))
    return [one for *_, one in sorted(found, key=lambda each: each[:2])[:most]]
