"""The selection language: text such as `4*, 5010 to 5099 only type:expense except 5050` to a mask over codes."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from fnmatch import translate
from functools import lru_cache

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList, Item
from rulka.core.errors import RulkaError, one_of

KEYWORDS = ("under", "type", "category")
JOINTS = ("to", "only", "except")
"""Words between parts; a code that reads like one stands in quotes."""

RANGE_MEANT = re.compile(r"([^-–—.]+)(?:[-–—]|\.\.+)([^-–—.]+)")
"""How people write a range elsewhere: 4000-4999, 4000..4999."""

PATTERN_MEANT = re.compile(r"(.*?[^xX#%_])([xX]+|#+|%|_+)")
"""How people write that any end will do: 66xx, 66##."""

BARE = re.compile(r'[^\s,":]+')


class SelectionError(RulkaError):
    """A selection that cannot be read; `position` counts characters from 0."""

    code = "selection"

    def __init__(self, text: str, position: int, expected: str) -> None:
        self.position = position
        self.text = text
        self.expected = expected
        found = f"'{text[position : position + 12].split(' ')[0]}'" if position < len(text.rstrip()) else "the end"
        super().__init__(
            f"At character {position + 1} of the selection: expected {expected}, found {found}.",
            hint=f"It reads: {text}" if text.strip() else "",
        )


@dataclass(frozen=True)
class SelectionPart:
    """One part of a selection; `kind` is code, pattern, range, under, type or category."""

    kind: str
    first: str
    last: str = ""
    position: int = 0

    def text(self) -> str:
        if self.kind == "range":
            return f"{_quoted(self.first)} to {_quoted(self.last)}"
        if self.kind in KEYWORDS:
            return f"{self.kind}:{_quoted(self.first)}"
        return self.first if self.kind == "pattern" else _quoted(self.first)


@dataclass(frozen=True)
class Selection:
    """Parts that are meant; of what they mean only what each further condition means too; and parts taken away from
    that."""

    included: tuple[SelectionPart, ...]
    excluded: tuple[SelectionPart, ...] = ()
    only: tuple[tuple[SelectionPart, ...], ...] = ()

    def text(self) -> str:
        """The selection in its plainest writing."""
        text = ", ".join(part.text() for part in self.included)
        text += "".join(" only " + ", ".join(part.text() for part in parts) for parts in self.only)
        return text + (" except " + ", ".join(part.text() for part in self.excluded) if self.excluded else "")


def joined(selections: Iterable[Selection]) -> Selection:
    """What all of some selections mean together."""
    first, *others = selections
    only = [*first.only, *(parts for one in others for parts in (one.included, *one.only))]
    excluded = dict.fromkeys(part for one in (first, *others) for part in one.excluded)
    return Selection(first.included, tuple(excluded), tuple(only))


@dataclass(frozen=True)
class _Token:
    kind: str  # word, quoted, comma, colon
    text: str
    position: int


def _quoted(code: str) -> str:
    plain = BARE.fullmatch(code) and code.lower() not in JOINTS and not re.search(r"[*?;]", code)
    return code if plain else '"' + code.replace('"', '""') + '"'


def _tokens(text: str) -> list[_Token]:
    found: list[_Token] = []
    place = 0
    while place < len(text):
        character = text[place]
        if character.isspace():
            place += 1
        elif character in ",:":
            found.append(_Token("comma" if character == "," else "colon", character, place))
            place += 1
        elif character == '"':
            match = re.compile(r'"((?:[^"]|"")*)"').match(text, place)
            if match is None:
                raise SelectionError(text, place, "a closing quote")
            found.append(_Token("quoted", match[1].replace('""', '"'), place))
            place = match.end()
        else:
            match = BARE.match(text, place)
            assert match is not None  # every other character is one of the bare ones
            found.append(_Token("word", match[0], place))
            place = match.end()
    return found


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = _tokens(text)
        self.place = 0

    def parse(self) -> Selection:
        included = self._parts()
        only: list[tuple[SelectionPart, ...]] = []
        excluded: tuple[SelectionPart, ...] = ()
        while self._keyword("only"):
            self.place += 1
            only.append(self._parts())
        if self._keyword("except"):
            self.place += 1
            excluded = self._parts()
        if self.place < len(self.tokens):
            raise SelectionError(self.text, self.tokens[self.place].position, "a comma, 'to', 'only' or 'except'")
        return Selection(included, excluded, tuple(only))

    def _parts(self) -> tuple[SelectionPart, ...]:
        parts = [self._part()]
        while self._peek() == "comma":
            self.place += 1
            parts.append(self._part())
        return tuple(parts)

    def _part(self) -> SelectionPart:
        token = self._take_code("a code, a pattern, 'under:', 'type:' or 'category:'")
        if token.kind == "word" and token.text.lower() in KEYWORDS and self._peek() == "colon":
            self.place += 1
            kind = token.text.lower()
            wanted = {"under": "a code", "type": "an account type", "category": "a category"}[kind]
            value = self._take_code(f"{wanted} after '{kind}:'")
            return SelectionPart(kind, value.text, position=token.position)
        if self._peek() == "colon":
            raise SelectionError(self.text, token.position, "'under', 'type' or 'category' before a colon")
        if self._keyword("to"):
            self.place += 1
            last = self._take_code("the code that ends the range")
            return SelectionPart("range", token.text, last.text, token.position)
        is_pattern = token.kind == "word" and re.search(r"[*?]", token.text)
        return SelectionPart("pattern" if is_pattern else "code", token.text, position=token.position)

    def _peek(self) -> str:
        return self.tokens[self.place].kind if self.place < len(self.tokens) else "end"

    def _keyword(self, word: str) -> bool:
        if self._peek() != "word":
            return False
        return self.tokens[self.place].text.lower() == word

    def _take_code(self, expected: str) -> _Token:
        if self._peek() not in ("word", "quoted") or any(self._keyword(word) for word in JOINTS):
            end = self.place >= len(self.tokens)
            raise SelectionError(self.text, len(self.text) if end else self.tokens[self.place].position, expected)
        token = self.tokens[self.place]
        self.place += 1
        return token


@lru_cache(maxsize=4096)
def parse_selection(text: str) -> Selection:
    """Read a selection; raises SelectionError that points at the character and says what was expected."""
    return _Parser(text).parse()


@dataclass(frozen=True)
class Matched:
    """What a selection means now: a mask over the code list, and a warning for each part that means nothing."""

    mask: BoolArray
    warnings: tuple[str, ...]


def evaluate(selection: Selection, codes: CodeList, *, told: bool = True) -> Matched:
    """The items that exist now and are meant; ranges compare codes as text, ends included. Warnings only where they are
    told."""
    warnings: list[str] = []

    def meant(parts: tuple[SelectionPart, ...]) -> BoolArray:
        found = np.zeros(len(codes), dtype=bool)
        for part in parts:
            places = _places(part, codes)
            if told and not places:
                warnings.append(f"'{part.text()}' matches no {codes.kind}{_perhaps(part, codes)}")
            found[places] = True
        return found

    mask = meant(selection.included)
    had_any = bool(mask.any())
    for parts in selection.only:
        mask &= meant(parts)
    mask &= ~meant(selection.excluded)
    if had_any and not mask.any() and selection.text() != NOTHING:
        warnings.append(f"'{selection.text()}' leaves no {codes.kind}")
    return Matched(mask, tuple(warnings))


NOTHING = "* except *"
"""A selection that means none on purpose: what a line selects that has no accounts yet."""


def _perhaps(part: SelectionPart, codes: CodeList) -> str:
    """What was perhaps meant by a part that matches nothing; empty where nothing comes near."""
    text = part.first
    if part.kind == "range" and part.last < part.first:
        return f"; did you mean {_quoted(part.last)} to {_quoted(part.first)}?"
    if part.kind not in ("code", "pattern"):
        return ""
    meant: SelectionPart | None = None
    if found := RANGE_MEANT.fullmatch(text):
        first, last = sorted((found[1], found[2]))
        meant = SelectionPart("range", first, last)
    elif found := PATTERN_MEANT.fullmatch(text):
        meant = SelectionPart("pattern", found[1] + "*")
    if meant is not None and _places(meant, codes):
        return f"; did you mean {meant.text()}?"
    nearest = one_of(text, codes.index) if codes.index else ""
    return f"; did you mean {nearest.removeprefix('Did you mean ')}" if nearest.startswith("Did you mean") else ""


def select(text: str, codes: CodeList) -> Matched:
    """Read and evaluate in one step."""
    return evaluate(parse_selection(text), codes)


def _places(part: SelectionPart, codes: CodeList) -> list[int]:
    if part.kind == "code":
        return [codes.index[part.first]] if part.first in codes.index else []
    if part.kind == "under":
        return codes.below.get(part.first, [])
    return [place for place, item in enumerate(codes.items) if _matches(part, item)]


def _matches(part: SelectionPart, item: Item) -> bool:
    if part.kind == "range":
        return part.first <= item.code <= part.last
    if part.kind == "pattern":
        return _pattern(part.first).match(item.code) is not None
    value = item.type if part.kind == "type" else item.category
    return value.casefold() == part.first.casefold()


@lru_cache(maxsize=1024)
def _pattern(text: str) -> re.Pattern[str]:
    return re.compile(translate(text.replace("[", "[[]")))
