"""Questions that an extract asks before it runs: their answers read, checked, and put into its conditions."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from rulka.core.books.selection import NOTHING, SelectionPart, parse_selection
from rulka.core.errors import NotFound, RulkaError, one_of, together
from rulka.core.extracting.conditions import Clock, days_of, periods_of
from rulka.core.extracting.definitions import ASKED, YES, AskDef, ConditionDef, ExtractDef
from rulka.core.values import quoted, typed_amount

MOST_VALUES = 10_000
MOST_TEXT = 200_000
SHOWN = 8

Known = Callable[[str], Mapping[str, str] | None]
"""By what a question's answers are of (account, entity, a dimension, counterparty ...), the codes there are with their
names; None where any text will do."""


@dataclass(frozen=True)
class AskedAnswers:
    """What was answered, by question: its texts, and what a person should know of them."""

    texts: Mapping[str, tuple[str, ...]]
    notes: tuple[str, ...] = field(default=())

    def said(self, name: str) -> str:
        """An answer as a person would write it."""
        return ", ".join(self.texts.get(name, ()))


def answers_of(extract: ExtractDef, given: Mapping[str, str], clock: Clock, known: Known) -> AskedAnswers:
    """The answers to an extract's questions: those given, else what each is without one. Raises for what can't be read
    and for what is missing; unknown ones of a list are noted, and left out."""
    names = [one.name for one in extract.asks]
    for name in given:
        if name not in names:
            raise NotFound(f"It asks no '{name[:40]}'.", hint=one_of(name, names), subject=name[:40])
    texts: dict[str, tuple[str, ...]] = {}
    notes: list[str] = []
    errors: list[RulkaError] = []
    for ask in extract.asks:
        text = given.get(ask.name, "").strip() or default_of(ask)
        if len(text) > MOST_TEXT:
            errors.append(RulkaError("It is too long.", hint="Write fewer values.", subject=ask.label))
            continue
        try:
            texts[ask.name] = _read(ask, text, clock, known, notes)
        except RulkaError as error:
            error.subject = ask.label
            errors.append(error)
            continue
        if ask.required and not texts[ask.name]:
            errors.append(RulkaError("It needs an answer.", hint=ask.hint or "Choose a value.", subject=ask.label,
                                     code="unanswered"))  # fmt: skip
    if errors:
        raise together(errors)
    return AskedAnswers(texts, tuple(notes))


def default_of(ask: AskDef) -> str:
    """What a question is answered with where nobody does."""
    if ask.default:
        return ask.default
    return "this" if ask.type == "period" and ask.required else ""


def pasted(text: str) -> tuple[list[str], int]:
    """The values of a pasted list, each once, in order, and how many came again."""
    parts = [part.strip().strip('"') for part in re.split(r"[\n\r\t,;]+", text)]
    values = [part for part in parts if part]
    once = list(dict.fromkeys(values))
    return once, len(values) - len(once)


def _read(ask: AskDef, text: str, clock: Clock, known: Known, notes: list[str]) -> tuple[str, ...]:
    if not text:
        return ()
    match ask.type:
        case "period":
            parts = _parts(ask, text)
            for part in parts:
                periods_of(part, clock)
            return parts
        case "date":
            parts = _parts(ask, text)
            for part in parts:
                days_of(part, clock)
            return tuple(_day(part, clock) for part in parts)
        case "number":
            return tuple(format(typed_amount(part, ask.label), "f") for part in _parts(ask, text, mark=";"))
        case "yes or no":
            if text.casefold() not in (*YES, "no", "false", "0"):
                raise RulkaError(f"{quoted(text)} is neither yes nor no.", hint="Write yes or no.")
            return ("yes",) if text.casefold() in YES else ()
        case "selection":
            return (parse_selection(text).text(),)
        case "list":
            return _listed(ask, text, known, notes)
        case _:
            return (text,) if not ask.several else tuple(pasted(text)[0])


def _day(part: str, clock: Clock) -> str:
    first, last = days_of(part, clock)
    return first.isoformat() if first == last else f"{first.isoformat()} to {last.isoformat()}"


def _parts(ask: AskDef, text: str, mark: str = ",") -> tuple[str, ...]:
    parts = tuple(part.strip() for part in re.split(rf"[\n{mark}]+", text) if part.strip())
    if len(parts) > 1 and not ask.several:
        raise RulkaError("It takes one value.", hint="Write one of them.")
    return parts


def _listed(ask: AskDef, text: str, known: Known, notes: list[str]) -> tuple[str, ...]:
    codes = known(ask.of)
    if not ask.several:
        values, again = [text], 0
    else:
        values, again = pasted(text)
        # one code with a comma in it is one code
        if codes is not None and text in codes:
            values, again = [text], 0
    if len(values) > MOST_VALUES:
        raise RulkaError(f"{len(values):,} values are too many.", hint=f"Give at most {MOST_VALUES:,}, or a selection.")
    unknown = [value for value in values if codes is not None and value not in codes]
    found = tuple(value for value in values if codes is None or value in codes)
    if again:
        notes.append(f"{ask.label}: {again:,} {'value' if again == 1 else 'values'} came more than once")
    if unknown:
        told = ", ".join(unknown[:SHOWN]) + (f" and {len(unknown) - SHOWN:,} more" if len(unknown) > SHOWN else "")
        notes.append(f"{ask.label}: {len(unknown):,} not known, left out: {told}")
    if unknown and not found:
        raise NotFound(
            f"None of {len(values):,} is known: {told}." if len(values) > 1 else f"{quoted(values[0])} is not known.",
            hint=one_of(values[0], codes or ()),
        )
    return found


def with_answers(conditions: Sequence[ConditionDef], answers: AskedAnswers) -> list[ConditionDef]:
    """Conditions with the answers in them; those whose question nobody answered are left out."""
    found = []
    for one in conditions:
        if any(not answers.texts.get(name) for name in one.asks if name == one.given):
            continue
        if one.any_of:
            inner = with_answers(one.any_of, answers)
            if inner:
                found.append(replace(one, any_of=tuple(inner)))
            continue
        if any(not answers.texts.get(name) for name in one.asks):
            continue
        found.append(replace(one, words=filled(one, answers)))
    return found


def filled(condition: ConditionDef, answers: AskedAnswers) -> str:
    """What a condition says with the answers in it."""

    def put(match: re.Match[str]) -> str:
        return ", ".join(answers.texts[match[1]])

    return ASKED.sub(put, condition.words)


def as_codes(values: Iterable[str]) -> tuple[str, ...]:
    """Values as a selection writes codes, so that none is read as anything else."""
    return tuple(SelectionPart("code", value).text() for value in values) or (NOTHING,)


def quoted_lists(extract: ExtractDef, answers: AskedAnswers) -> AskedAnswers:
    """Answers as conditions take them: those of lists are codes, whatever is in them."""
    texts = {
        ask.name: as_codes(answers.texts[ask.name])
        if ask.type == "list" and answers.texts.get(ask.name)
        else answers.texts.get(ask.name, ())
        for ask in extract.asks
    }
    return replace(answers, texts=texts)
