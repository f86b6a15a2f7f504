"""Names in formulas and checks: a label as the reader sees it to the line it means, ranges to the lines between."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rulka.core.definitions.expressions import Name, Range, Tree, parts_in
from rulka.core.definitions.spines import LineDef, SpineDef
from rulka.core.errors import RulkaError, one_of

NAMED = ("line", "calculation", "section")


def _named(spine: SpineDef) -> Iterator[tuple[str, str]]:
    for line in spine.walk():
        if line.kind in NAMED:
            yield line.key, line.label
        if (
            (line.kind == "section" or line.has_periods)
            and line.total
            and line.total.casefold() != line.label.casefold()
        ):
            yield line.key, line.total


def tree_of(line: LineDef) -> Tree:
    """The formula of a calculation or check."""
    assert line.formula is not None  # a line of these kinds has one
    return line.formula.tree


class Names:
    """The lines of a spine by label, whatever the case of its letters."""

    def __init__(self, spine: SpineDef) -> None:
        self.lines = {line.key: line for line in spine.walk()}
        self.keys_by_label: dict[str, list[str]] = {}
        self.labels: list[str] = []
        for key, label in _named(spine):
            self.keys_by_label.setdefault(label.casefold(), []).append(key)
            self.labels.append(label)
        self.siblings: dict[str, Sequence[LineDef]] = {}
        for group in (spine.lines, *(line.lines for line in self.lines.values())):
            self.siblings.update({line.key: group for line in group})

    def find(self, label: str) -> LineDef:
        """The one line of this label, else of this key; raises RulkaError when there is none or several."""
        found = self.keys_by_label.get(label.casefold(), [])
        if not found and label in self.lines and self.lines[label].kind in NAMED:
            return self.lines[label]
        if len(found) != 1:
            raise RulkaError(
                f"No line is called '{label}'." if not found else f"{len(found)} lines are called '{label}'.",
                hint=one_of(label, self.labels) if not found else "Rename one of them.",
                code="unknown-line",
            )
        return self.lines[found[0]]

    def between(self, first: str, last: str) -> list[LineDef]:
        """The account lines, calculations and sections from one line to another of the same section, both included."""
        start, end = self.find(first), self.find(last)
        group = self.siblings[start.key]
        if end not in group or list(group).index(end) < list(group).index(start):
            raise RulkaError(
                f"'{first}' to '{last}' is no range of lines.",
                hint="Both must stand in one section, the first above the last.",
                code="range",
            )
        places = [list(group).index(line) for line in (start, end)]
        return [line for line in group[places[0] : places[1] + 1] if line.kind in NAMED]

    def operands(self, tree: Tree) -> list[LineDef]:
        """Every line a formula works on, ranges spelled out, each once."""
        found: list[LineDef] = []
        for part in parts_in(tree):
            if isinstance(part, Name):
                found.append(self.find(part.text))
            elif isinstance(part, Range):
                found += self.between(part.first.text, part.last.text)
        return list({line.key: line for line in found}.values())


def check_names(spine: SpineDef) -> Names:
    """Refuse formulas and checks that name a line which does not exist, or a label that several lines have."""
    names = Names(spine)
    for line in spine.walk():
        try:
            if line.formula:
                for name in line.formula.names:
                    names.find(name)
                names.operands(line.formula.tree)
            for label in line.agree:
                names.find(label)
        except RulkaError as error:
            error.subject = f"line {line.label}"
            raise
    _check_circles(spine, names)
    return names


def _check_circles(spine: SpineDef, names: Names) -> None:
    """Refuse calculations that need themselves, through whatever lines."""
    done: set[str] = set()
    path: list[LineDef] = []

    def follow(line: LineDef) -> None:
        if line.key in done:
            return
        if line in path:
            labels = [one.label for one in [*path[path.index(line) :], line]]
            raise RulkaError(
                f"Calculations go in a circle: {' > '.join(labels)}.",
                hint="Change one of these formulas.",
                subject=f"line {line.label}",
                code="circular",
            )
        path.append(line)
        for part in line.lines if line.kind == "section" else names.operands(line.formula.tree) if line.formula else ():
            if part.kind in NAMED and not (line.kind == "section" and part.kind == "calculation"):
                follow(part)
        path.pop()
        done.add(line.key)

    for line in spine.walk():
        if line.kind in NAMED:
            follow(line)
