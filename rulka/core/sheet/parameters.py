"""Parameters: cells whose value a reader may choose, within what the author and the reader's fence allow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.compute.nodes import nodes_of
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.amounts import visible_accounts, visible_codes
from rulka.core.sheet.inputs import literal, read_input
from rulka.core.sheet.periods import read_time
from rulka.core.sheet.values import SheetError, as_text

KINDS = ("period", "scenario", "entity", "node", "selection", "free")
MOST_CHOICES = 500


@dataclass(frozen=True)
class Parameter:
    """One parameter: where its cell is, what it is for, what may be chosen.

    `choices` are typed ones (code, name), `listed` says which cells hold them; none leaves them to the ledger, or for
    free ones to the reader. `follows` says that it takes the reporting period; `ask` that it is asked for on opening;
    `until` names the parameter that ends what this one begins.
    """

    name: str
    kind: str
    sheet: int
    cell: tuple[int, int]
    title: str = ""
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    listed: str = ""
    """Cells that hold the choices, as a formula: `=Lists!A2:A9`."""
    follows: bool = False
    ask: bool = False
    until: str = ""

    @property
    def label(self) -> str:
        return self.title or self.name


def parameter_from(raw: Mapping[str, Any]) -> Parameter:
    """A parameter as it is stored."""
    choices = tuple((str(one[0]), str(one[1]) if len(one) > 1 else "") for one in raw.get("choices", ()))
    return Parameter(
        raw["name"],
        raw["kind"],
        raw["sheet"],
        (raw["cell"][0], raw["cell"][1]),
        raw.get("title", ""),
        raw.get("hint", ""),
        choices,
        raw.get("listed", ""),
        bool(raw.get("follows")),
        bool(raw.get("ask")),
        raw.get("until", ""),
    )


def choices_of(parameter: Parameter, view: View, listed: Sequence[str] = ()) -> list[tuple[str, str]]:
    """What a reader may choose from: the author's choices (`listed` are those that stand in cells) as far as they are
    inside of the fence, else the ledger's."""
    known = _of_ledger(parameter.kind, view)
    own = [(text, "") for text in listed] if parameter.listed else list(parameter.choices)
    if not own and not parameter.listed:
        return known[:MOST_CHOICES]
    if parameter.kind not in ("scenario", "entity", "node"):
        return own[:MOST_CHOICES]
    names = dict(known)
    return [(code, title or names[code]) for code, title in own if code in names]


def _of_ledger(kind: str, view: View) -> list[tuple[str, str]]:
    frame = view.frame
    if kind == "period":
        return [(period.code, period.title) for period in frame.calendar.periods]
    if kind == "scenario":
        return [(code, "" if code == of_kind else of_kind) for code, of_kind in frame.scenarios.items()]
    if kind == "entity":
        seen = visible_codes(view, "entity")
        return [(item.code, item.name) for item, is_seen in zip(frame.entities.items, seen, strict=True) if is_seen]
    if kind == "node":
        return [(node.code, node.name) for node in nodes_of(view)]
    return []


def checked_value(parameter: Parameter, text: str, view: View, reporting: Period, listed: Sequence[str] = ()) -> str:
    """A chosen value; raises RulkaError in words where it is none of the allowed."""
    text = text.strip()
    subject = parameter.label
    if not text:
        raise RulkaError("It is empty.", hint=parameter.hint or "Choose a value.", subject=subject)
    choices = choices_of(parameter, view, listed)
    codes = [code for code, _ in choices]
    if parameter.choices or parameter.listed or parameter.kind in ("scenario", "entity", "node"):
        if text not in codes:
            raise NotFound(f"'{text[:40]}' can't be chosen.", hint=one_of(text, codes), subject=subject)
        return text
    if parameter.kind == "period":
        try:
            read_time(view.frame.calendar, text, reporting)
        except RulkaError as error:
            error.subject = subject
            raise
    if parameter.kind == "selection":
        found = visible_accounts(view, text)
        if isinstance(found, SheetError):
            raise NotFound(found.note.removeprefix("Argument accounts: "), subject=subject)
    if len(text) > 500:
        raise RulkaError("It is longer than 500 characters.", hint="Shorten it.", subject=subject)
    return text


def check_pairs(parameters: Sequence[Parameter], values: Mapping[str, str], view: View, reporting: Period) -> None:
    """Refuse from-to pairs that run backwards."""
    by_name = {parameter.name: parameter for parameter in parameters}
    for parameter in parameters:
        other = by_name.get(parameter.until)
        if other is None or parameter.name not in values or other.name not in values:
            continue
        first, last = values[parameter.name], values[other.name]
        if parameter.kind == "period":
            calendar = view.frame.calendar
            one, two = (read_time(calendar, text, reporting).window for text in (first, last))
            backwards = (
                (one.first, one.start or 0) > (two.last, two.end or 0)
                if one.start and two.end
                else one.first > two.last
            )
        else:
            backwards = _order(first) > _order(last)
        if backwards:
            raise RulkaError(
                f"{parameter.label} {first} comes after {other.label} {last}.",
                hint="Swap them.",
                subject=parameter.label,
            )


def _order(text: str) -> tuple[int, Any]:
    value = read_input(text).value
    return (1, text) if isinstance(value, str) or value is None else (0, value)


def values_of(
    parameters: Sequence[Parameter], typed: Mapping[str, str], chosen: Mapping[str, str], reporting: Period
) -> dict[str, str]:
    """The value of each parameter: what the reader chose, the reporting period where it follows that, else what stands
    in its cell."""
    return {
        parameter.name: chosen.get(parameter.name)
        or (reporting.code if parameter.follows and parameter.kind == "period" else typed.get(parameter.name, ""))
        for parameter in parameters
    }


def input_of(parameter: Parameter, value: str) -> str:
    """What has to stand in the parameter's cell for a value: codes and periods are never read as numbers or dates."""
    if parameter.kind == "free":
        return value if not value.startswith("=") else "'" + value
    return literal(value) if value else ""


def typed_value(text: str) -> str:
    """What an input in a parameter's cell means as a value."""
    if text.startswith("="):
        return ""
    value = read_input(text).value
    return "" if isinstance(value, SheetError) else as_text(value) if not text.startswith("'") else text[1:]
