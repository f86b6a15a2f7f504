"""Number formats as workbooks write them (ECMA-376 part 1, 18.8.31): `#,##0.00;[Red]-#,##0.00`, `yyyy-mm-dd`, `@`."""

from __future__ import annotations

import calendar
import re
from dataclasses import dataclass
from datetime import datetime
from decimal import ROUND_HALF_UP, Context, Decimal
from functools import lru_cache

from rulka.core.sheet.values import MOST_TEXT, Fault, Scalar, SheetError, as_text, general, moment_of, number_in

GENERAL = "General"
MOST_FORMAT = 255
PIECE = re.compile(
    r'"(?P<quoted>[^"]*)"?|\\(?P<escaped>.)|_(?P<blank>.)|\*(?P<fill>.)|\[(?P<bracket>[^\]]*)\]'
    r"|(?P<general>General)|(?P<ampm>AM/PM|A/P)|(?P<date>y+|m+|d+|h+|s+)|(?P<exponent>E[+-]0+)|(?P<digits>[0#?]+)"
    r"|(?P<mark>[.,%@/])|(?P<literal>.)",
    re.IGNORECASE | re.DOTALL,
)
CONDITION = re.compile(r"(<=|>=|<>|<|>|=)(-?[0-9]+(?:\.[0-9]+)?)")


class FormatFault(ValueError):
    """A number format that can't be read."""


@dataclass(frozen=True)
class _Piece:
    kind: str
    text: str


@dataclass(frozen=True)
class _Section:
    """One part of a format; what it is for is said by `condition`, or by its place."""

    pieces: tuple[_Piece, ...]
    condition: tuple[str, Decimal] | None = None

    @property
    def is_date(self) -> bool:
        return any(piece.kind == "date" or (piece.kind == "elapsed") for piece in self.pieces)

    @property
    def is_text(self) -> bool:
        return any(piece.kind == "mark" and piece.text == "@" for piece in self.pieces)


@lru_cache(maxsize=2048)
def sections(code: str) -> tuple[_Section, ...]:
    """The parts of a format between semicolons; raises FormatFault."""
    if len(code) > MOST_FORMAT:
        raise FormatFault(f"A format has at most {MOST_FORMAT} characters.")
    found: list[list[_Piece]] = [[]]
    conditions: list[tuple[str, Decimal] | None] = [None]
    place = 0
    while place < len(code):
        if code[place] == ";":
            found.append([])
            conditions.append(None)
            place += 1
            continue
        match = PIECE.match(code, place)
        assert match is not None  # the last alternative takes any character
        place = match.end()
        kind = match.lastgroup or ""
        text = match[kind]
        if kind in ("quoted", "escaped", "literal"):
            found[-1].append(_Piece("literal", text))
        elif kind == "blank":
            found[-1].append(_Piece("literal", " "))
        elif kind == "bracket":
            if condition := CONDITION.fullmatch(text):
                conditions[-1] = (condition[1], Decimal(condition[2]))
            elif re.fullmatch("h+|m+|s+", text, re.IGNORECASE):
                found[-1].append(_Piece("elapsed", text.lower()))
            elif text.startswith("$"):
                found[-1].append(_Piece("literal", text[1:].partition("-")[0]))
        elif kind != "fill":
            found[-1].append(_Piece(kind, text))
    if len(found) > 4:
        raise FormatFault("A format has at most four parts.")
    return tuple(_Section(tuple(pieces), condition) for pieces, condition in zip(found, conditions, strict=True))


def write(value: Scalar, code: str, *, gap: str = ",", minus: str = "-") -> str:
    """A value in a format; `gap` stands between thousands, `minus` before negative numbers. Raises FormatFault."""
    if isinstance(value, SheetError):
        raise Fault(value)
    if isinstance(value, bool):
        return as_text(value)
    parts = sections(code)
    if isinstance(value, str):
        number = None if any(part.is_text for part in parts) else number_in(value)
        if number is None:
            own = parts[3] if len(parts) == 4 else next((part for part in parts if part.is_text), None)
            return "".join(value if piece.text == "@" else piece.text for piece in own.pieces) if own else value
        value = number
    number = Decimal(0) if value is None else value
    if not code:
        return ""
    part, number, signed = _section_for(parts, number)
    if part.is_date:
        return _written_day(part, number)
    text = _written_number(part, abs(number), gap)
    if number < 0 and not signed:
        return text.replace("-", minus, 1)
    return minus + text if number < 0 and signed else text


def _section_for(parts: tuple[_Section, ...], number: Decimal) -> tuple[_Section, Decimal, bool]:
    """Which part a number is written by, and whether it shows its sign by itself."""
    if any(part.condition for part in parts):
        for part in parts[:3]:
            if part.condition is None or _holds(part.condition, number):
                return (
                    part,
                    number,
                    part.condition is None or not (len(parts) > 1 and number < 0 and part.condition[0] in ("<", "<=")),
                )
        return parts[-1], number, True
    if number > 0 or len(parts) == 1:
        return parts[0], number, True
    if number < 0:
        return parts[1], number, False
    return (parts[2] if len(parts) > 2 else parts[0]), number, True


def _holds(condition: tuple[str, Decimal], number: Decimal) -> bool:
    operator, limit = condition
    return {
        "<": number < limit, ">": number > limit, "=": number == limit,
        "<=": number <= limit, ">=": number >= limit, "<>": number != limit,
    }[operator]  # fmt: skip


def _written_number(part: _Section, number: Decimal, gap: str) -> str:
    pieces = part.pieces
    marks = [piece.text for piece in pieces if piece.kind == "mark"]
    number = number.scaleb(2 * marks.count("%"))
    digit_places = [place for place, piece in enumerate(pieces) if piece.kind == "digits"]
    if any(piece.kind == "exponent" for piece in pieces):
        return _written_exponent(pieces, number)
    if not digit_places:
        return "".join(
            general(number) if piece.kind == "general" else as_text(number) if piece.text == "@" else piece.text
            for piece in pieces
        )
    point = next((place for place, piece in enumerate(pieces) if piece.kind == "mark" and piece.text == "."), None)
    whole_places = [place for place in digit_places if point is None or place < point]
    decimal_places = [place for place in digit_places if point is not None and place > point]
    last = max(whole_places, default=-1)
    comma = _Piece("mark", ",")
    inner = set(range(min(whole_places, default=0), last))
    is_grouped = any(place in inner and piece == comma for place, piece in enumerate(pieces))
    commas = {place for place, piece in enumerate(pieces) if piece == comma and place in inner}
    after = digit_places[-1] + 1  # commas right behind the last digit stand for thousands that aren't shown
    trailing = 0
    while after < len(pieces) and pieces[after] == comma:
        commas.add(after)
        trailing, after = trailing + 1, after + 1
    if last >= 0 and last + 1 < len(pieces) and pieces[last + 1] == comma and decimal_places:
        commas.add(last + 1)
        trailing += 1
    number = number.scaleb(-3 * trailing)
    pattern = "".join(pieces[place].text for place in decimal_places)
    size = max(len(f"{number:f}"), 30) + 10
    shown = number.quantize(Decimal(1).scaleb(-len(pattern)), ROUND_HALF_UP, Context(prec=max(size, 60)))
    whole, _, decimals = f"{shown:f}".partition(".")
    whole = whole.lstrip("0")
    mask = "".join(pieces[place].text for place in whole_places)
    needed = len(mask) - len(mask.lstrip("#"))
    whole = whole.rjust(len(mask) - needed, "0") if len(whole) < len(mask) - needed else whole
    padded = whole
    if len(padded) < len(mask.replace("#", "")):
        padded = padded.rjust(len(mask.replace("#", "")), "0")
    if is_grouped:
        padded = _grouped(padded, gap)
    for place in range(len(pattern) - 1, -1, -1):
        if pattern[place] == "0" or decimals[place] != "0":
            break
        decimals = decimals[:place] + (" " if pattern[place] == "?" else "")
    result, written, at = [], False, 0
    for place, piece in enumerate(pieces):
        if place in whole_places:
            if len(whole_places) > 1 and not is_grouped:
                # literals between digits: fill from the right
                result.append(_slice(padded, mask, whole_places, pieces, place))
            elif not written:
                result.append(padded)
            written = True
        elif place in decimal_places:
            size = len(piece.text)
            result.append(decimals[at : at + size])
            at += size
        elif place in commas:
            continue
        elif piece.kind == "mark" and piece.text == "@":
            result.append(general(number))
        else:
            result.append(piece.text)
    return "".join(result)[:MOST_TEXT]


def _slice(text: str, mask: str, places: list[int], pieces: tuple[_Piece, ...], place: int) -> str:
    after = sum(len(pieces[other].text) for other in places if other > place)
    own = len(pieces[place].text)
    end = len(text) - after
    start = 0 if place == places[0] else max(end - own, 0)
    return text[start : max(end, 0)]


def _grouped(text: str, gap: str) -> str:
    parts: list[str] = []
    while len(text) > 3:
        text, parts = text[:-3], [text[-3:], *parts]
    return gap.join([text, *parts])


def _written_exponent(pieces: tuple[_Piece, ...], number: Decimal) -> str:
    before = after = 0
    seen_point = False
    for piece in pieces:
        if piece.kind == "mark" and piece.text == ".":
            seen_point = True
        elif piece.kind == "digits":
            before, after = (before, after + len(piece.text)) if seen_point else (before + len(piece.text), after)
        elif piece.kind == "exponent":
            break
    exponent = 0 if number == 0 else number.adjusted() // max(before, 1) * max(before, 1)
    shown = number.scaleb(-exponent).quantize(Decimal(1).scaleb(-after), rounding=ROUND_HALF_UP)
    if before == 1 and shown >= 10:
        exponent, shown = exponent + 1, (shown / 10).quantize(Decimal(1).scaleb(-after), rounding=ROUND_HALF_UP)
    result, done = [], False
    for piece in pieces:
        if piece.kind == "exponent":
            sign = "-" if exponent < 0 else "+" if piece.text[1] == "+" else ""
            result.append(f"E{sign}{abs(exponent):0{len(piece.text) - 2}d}")
        elif piece.kind == "digits" or piece == _Piece("mark", "."):
            if not done:
                result.append(f"{shown:f}")
                done = True
        else:
            result.append(piece.text)
    return "".join(result)


def _written_day(part: _Section, number: Decimal) -> str:
    if number < 0:
        raise FormatFault("A day is not negative.")
    moment = moment_of(number)
    pieces = part.pieces
    twelve = any(piece.kind == "ampm" for piece in pieces)
    result = []
    units = [place for place, piece in enumerate(pieces) if piece.kind in ("date", "elapsed")]
    for place, piece in enumerate(pieces):
        text = piece.text.lower()
        if piece.kind == "ampm":
            word = "AM" if moment.hour < 12 else "PM"
            result.append(word if len(text) > 3 else word[0])
        elif piece.kind == "elapsed":
            seconds = int((number * 86_400).to_integral_value(rounding=ROUND_HALF_UP))
            size = {"h": 3600, "m": 60, "s": 1}[text[0]]
            result.append(f"{seconds // size:0{len(text)}d}")
        elif piece.kind != "date":
            result.append(piece.text)
        elif text[0] == "m" and _is_minute(pieces, units, place):
            result.append(f"{moment.minute:0{min(len(text), 2)}d}")
        else:
            result.append(_unit(text, moment, twelve))
    return "".join(result)


def _is_minute(pieces: tuple[_Piece, ...], units: list[int], place: int) -> bool:
    """Whether an m stands for minutes: after hours or before seconds."""
    at = units.index(place)
    before = pieces[units[at - 1]].text[0].lower() if at else ""
    after = pieces[units[at + 1]].text[0].lower() if at + 1 < len(units) else ""
    return before == "h" or after == "s"


def _unit(text: str, moment: datetime, twelve: bool) -> str:
    match text[0]:
        case "y":
            return f"{moment.year:04d}" if len(text) > 2 else f"{moment.year % 100:02d}"
        case "m":
            names = {
                3: calendar.month_abbr[moment.month],
                4: calendar.month_name[moment.month],
                5: calendar.month_name[moment.month][0],
            }
            return names.get(min(len(text), 5), f"{moment.month:0{min(len(text), 2)}d}")
        case "d":
            names = {3: calendar.day_abbr[moment.weekday()], 4: calendar.day_name[moment.weekday()]}
            return names.get(min(len(text), 4), f"{moment.day:0{min(len(text), 2)}d}")
        case "h":
            hour = (moment.hour % 12 or 12) if twelve else moment.hour
            return f"{hour:0{min(len(text), 2)}d}"
        case _:
            return f"{moment.second:0{min(len(text), 2)}d}"
