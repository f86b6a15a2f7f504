"""Texts: cut, joined, found, replaced, and numbers written as text."""

from __future__ import annotations

import re
from decimal import Decimal

from rulka.core.sheet.functions.criteria import has_wildcard, wildcard
from rulka.core.sheet.functions.maths import rounded
from rulka.core.sheet.number_format import FormatFault, write
from rulka.core.sheet.registry import Cells, Flag, Given, Number, Single, Text, Whole, sheet_function
from rulka.core.sheet.values import (
    MOST_TEXT,
    NA,
    VALUE,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    array_of,
    as_number,
    as_text,
    number_in,
)


def fitting(text: str) -> str:
    """A text that a cell can hold; Fault for a longer one."""
    if len(text) > MOST_TEXT:
        raise Fault(VALUE, f"A text holds at most {MOST_TEXT:,} characters.")
    return text


@sheet_function("text", aliases=("CONCATENATE",), area=True)
def CONCAT(*values: Given) -> Value:
    """Joins texts and cells. `=CONCAT(A2, " ", B2)`"""
    pieces, size = [], 0
    for value in values:
        for cell in array_of(value).flat():
            pieces.append(as_text(cell))
            size += len(pieces[-1])
            if size > MOST_TEXT:
                fitting("x" * (MOST_TEXT + 1))
    return "".join(pieces)


@sheet_function("text", area=True)
def TEXTJOIN(between: Text, leave_out_empty: Flag, *values: Given) -> Value:
    """Joins texts with something between them. `=TEXTJOIN(", ", TRUE, A2:A9)`"""
    pieces = [as_text(cell) for value in values for cell in array_of(value).flat()]
    return fitting(between.join(piece for piece in pieces if piece or not leave_out_empty))


def _count(count: int) -> int:
    if count < 0:
        raise Fault(VALUE, "A number of characters is not negative.")
    return count


@sheet_function("text")
def LEFT(text: Text, count: Whole = 1) -> Value:
    """The first characters. `=LEFT("4010", 2)` is 40"""
    return text[: _count(count)]


@sheet_function("text")
def RIGHT(text: Text, count: Whole = 1) -> Value:
    """The last characters. `=RIGHT("4010", 2)` is 10"""
    return text[len(text) - count :] if 0 < _count(count) < len(text) else text if count else ""


@sheet_function("text")
def MID(text: Text, start: Whole, count: Whole) -> Value:
    """Characters from the middle. `=MID("2027-P07", 6, 3)` is P07"""
    if start < 1:
        raise Fault(VALUE, "Characters are counted from 1.")
    return text[start - 1 : start - 1 + _count(count)]


@sheet_function("text")
def LEN(text: Text) -> Value:
    """How many characters. `=LEN("4010")` is 4"""
    return Decimal(len(text))


@sheet_function("text")
def UPPER(text: Text) -> Value:
    """In capitals. `=UPPER("fuel")` is FUEL"""
    return text.upper()


@sheet_function("text")
def LOWER(text: Text) -> Value:
    """In small letters. `=LOWER("Fuel")` is fuel"""
    return text.lower()


@sheet_function("text")
def PROPER(text: Text) -> Value:
    """Each word with a capital. `=PROPER("port dues")` is Port Dues"""
    return re.sub(r"[^\W\d_]+", lambda word: word[0][0].upper() + word[0][1:].lower(), text)


@sheet_function("text")
def TRIM(text: Text) -> Value:
    """Without spaces at the ends and with single ones between words. `=TRIM("  a  b ")` is a b"""
    return re.sub(" +", " ", text.strip(" "))


@sheet_function("text")
def CLEAN(text: Text) -> Value:
    """Without characters that can't be printed. `=CLEAN(A2)`"""
    return "".join(character for character in text if ord(character) >= 32)


@sheet_function("text")
def FIND(wanted: Text, text: Text, start: Whole = 1) -> Value:
    """Where a text stands in another one, by case. `=FIND("-", "2027-P07")` is 5"""
    found = text.find(wanted, start - 1) if 1 <= start <= len(text) + 1 else -1
    if found < 0:
        raise Fault(VALUE, f"'{wanted[:40]}' is not in it.")
    return Decimal(found + 1)


@sheet_function("text")
def SEARCH(wanted: Text, text: Text, start: Whole = 1) -> Value:
    """Where a text stands in another one, whatever the case, with * and ?. `=SEARCH("p", "2027-P07")` is 6"""
    if not 1 <= start <= len(text) + 1:
        raise Fault(VALUE, "The start lies outside of the text.")
    if has_wildcard(wanted):
        match = wildcard(wanted).search(text, start - 1)
        place = match.start() if match else -1
    else:
        place = text.casefold().find(wanted.casefold(), start - 1)
    if place < 0:
        raise Fault(VALUE, f"'{wanted[:40]}' is not in it.")
    return Decimal(place + 1)


@sheet_function("text")
def REPLACE(text: Text, start: Whole, count: Whole, new: Text) -> Value:
    """Puts a text in place of some characters. `=REPLACE("2026-P07", 1, 4, "2027")`"""
    if start < 1:
        raise Fault(VALUE, "Characters are counted from 1.")
    return fitting(text[: start - 1] + new + text[start - 1 + _count(count) :])


@sheet_function("text")
def SUBSTITUTE(text: Text, old: Text, new: Text, which: Whole = 0) -> Value:
    """Puts a text in place of another one, everywhere or once. `=SUBSTITUTE("a-b", "-", "+")`"""
    if not old:
        return text
    if not which:
        if text.count(old) * max(len(new) - len(old), 0) + len(text) > MOST_TEXT:
            fitting("x" * (MOST_TEXT + 1))
        return text.replace(old, new)
    if which < 1:
        raise Fault(VALUE, "Places are counted from 1.")
    place = -1
    for _ in range(which):
        place = text.find(old, place + 1)
        if place < 0:
            return text
    return fitting(text[:place] + new + text[place + len(old) :])


@sheet_function("text")
def REPT(text: Text, times: Whole) -> Value:
    """A text several times over. `=REPT("-", 3)` is ---"""
    if _count(times) * len(text) > MOST_TEXT:
        fitting("x" * (MOST_TEXT + 1))
    return text * times


@sheet_function("text")
def EXACT(first: Text, second: Text) -> Value:
    """Whether two texts are the same, by case. `=EXACT("a", "A")` is FALSE"""
    return first == second


@sheet_function("text")
def CHAR(number: Whole) -> Value:
    """The character of a number from 1 to 255. `=CHAR(65)` is A"""
    if not 1 <= number <= 255:
        raise Fault(VALUE, "Give a number from 1 to 255.")
    return bytes([number]).decode("cp1252", "replace")


@sheet_function("text")
def CODE(text: Text) -> Value:
    """The number of the first character. `=CODE("A")` is 65"""
    if not text:
        raise Fault(VALUE, "The text is empty.")
    return Decimal(text[0].encode("cp1252", "replace")[0])


@sheet_function("text")
def UNICHAR(number: Whole) -> Value:
    """The character of a Unicode number. `=UNICHAR(8211)`"""
    if not 1 <= number <= 0x10FFFF or 0xD800 <= number <= 0xDFFF:
        raise Fault(VALUE, "No character has this number.")
    return chr(number)


@sheet_function("text")
def UNICODE(text: Text) -> Value:
    """The Unicode number of the first character. `=UNICODE("A")` is 65"""
    if not text:
        raise Fault(VALUE, "The text is empty.")
    return Decimal(ord(text[0]))


@sheet_function("text", "VALUE")
def value_(text: Single) -> Value:
    """The number that a text reads as. `=VALUE("1,234.50")` is 1234.5"""
    if isinstance(text, bool):
        raise Fault(VALUE, "It is no text.")
    return as_number(text)


@sheet_function("text")
def NUMBERVALUE(text: Text, decimal_mark: Text = ".", group_mark: Text = ",") -> Value:
    """The number that a text reads as, by its own marks. `=NUMBERVALUE("1.234,50", ",", ".")` is 1234.5"""
    mark, group = decimal_mark[:1], group_mark[:1]
    whole, point, decimals = text.replace(" ", "").partition(mark)
    if group and group in decimals:
        raise Fault(VALUE, f"'{text[:40]}' is not a number.")
    plain = whole.replace(group, "") + ("." if point else "") + decimals
    found = number_in(plain) if plain else Decimal(0)
    if found is None:
        raise Fault(VALUE, f"'{text[:40]}' is not a number.")
    return found


@sheet_function("text")
def T(value: Given) -> Value:
    """A value where it is text, else nothing. `=T(A2)`"""
    cell = array_of(value).rows[0][0]
    return cell if isinstance(cell, (str, SheetError)) else ""


@sheet_function("text", "TEXT")
def text_(value: Single, format: Text) -> Value:
    """A number or day written in a format. `=TEXT(1234.5, "#,##0.00")` is 1,234.50"""
    try:
        return fitting(write(value, format))
    except FormatFault as fault:
        raise Fault(VALUE, str(fault)) from None


@sheet_function("text")
def FIXED(number: Number, decimals: Whole = 2, no_commas: Flag = False) -> Value:
    """A number rounded and written. `=FIXED(1234.567, 1)` is 1,234.6"""
    if decimals > 127:
        raise Fault(VALUE, "At most 127 decimals.")
    shown = rounded(number, decimals, "ROUND_HALF_UP")
    return write(shown, ("0" if no_commas else "#,##0") + ("." + "0" * decimals if decimals > 0 else ""))


@sheet_function("text")
def TEXTBEFORE(
    text: Text, mark: Text, which: Whole = 1, any_case: Whole = 0, at_end: Whole = 0, otherwise: Single = NA
) -> Value:
    """What stands before a mark. `=TEXTBEFORE("TF-4010", "-")` is TF"""
    place, _ = _marked(text, mark, which, any_case, at_end)
    return otherwise if place is None else text[:place]


@sheet_function("text")
def TEXTAFTER(
    text: Text, mark: Text, which: Whole = 1, any_case: Whole = 0, at_end: Whole = 0, otherwise: Single = NA
) -> Value:
    """What stands after a mark. `=TEXTAFTER("TF-4010", "-")` is 4010"""
    _, end = _marked(text, mark, which, any_case, at_end)
    return otherwise if end is None else text[end:]


def _marked(text: str, mark: str, which: int, any_case: int, at_end: int) -> tuple[int | None, int | None]:
    """Where the chosen mark begins and ends; counted from the end where it is negative."""
    if which == 0:
        raise Fault(VALUE, "Places are counted from 1, or from -1 at the end.")
    if not mark:
        return (0, 0) if which > 0 else (len(text), len(text))
    found = [match.span() for match in re.finditer(re.escape(mark), text, re.IGNORECASE if any_case else 0)]
    if at_end:
        found = [*found, (len(text), len(text))] if which > 0 else [(0, 0), *found]
    if abs(which) > len(found):
        return None, None
    return found[which - 1] if which > 0 else found[which]


@sheet_function("text")
def TEXTSPLIT(
    text: Text,
    column_mark: Given,
    row_mark: Given = None,
    leave_out_empty: Flag = False,
    any_case: Whole = 0,
    fill: Single = NA,
) -> Value:
    """Cuts a text into cells. `=TEXTSPLIT("4010,4020", ",")`"""
    rows = _cut(text, row_mark, leave_out_empty, any_case)
    cells = [_cut(row, column_mark, leave_out_empty, any_case) for row in rows] or [[""]]
    width = max((len(row) for row in cells), default=1) or 1
    return Array([[*row, *[fill] * (width - len(row))] for row in cells])


def _cut(text: str, marks: Value, leave_out_empty: bool, any_case: int) -> list[str]:
    if marks is None:
        return [text]
    wanted = [as_text(cell) for cell in array_of(marks).flat()]
    if not all(wanted):
        raise Fault(VALUE, "A mark is empty.")
    pattern = "|".join(re.escape(mark) for mark in sorted(wanted, key=len, reverse=True))
    pieces = re.split(pattern, text, flags=re.IGNORECASE if any_case else 0)
    return [piece for piece in pieces if piece or not leave_out_empty]


@sheet_function("text", area=True)
def ARRAYTOTEXT(area: Cells, form: Whole = 0) -> Value:
    """An area as one text. `=ARRAYTOTEXT(A1:B2)`"""
    if form not in (0, 1):
        raise Fault(VALUE, "Form is 0 or 1.")
    if form == 0:
        return fitting(", ".join(as_text(cell) for cell in area.flat()))
    return fitting("{" + ";".join(",".join(_constant(cell) for cell in row) for row in area.rows) + "}")


def _constant(cell: Scalar) -> str:
    return '"' + cell.replace('"', '""') + '"' if isinstance(cell, str) else as_text(cell)


@sheet_function("text")
def VALUETOTEXT(value: Single, form: Whole = 0) -> Value:
    """A value as text. `=VALUETOTEXT(A2)`"""
    if form not in (0, 1):
        raise Fault(VALUE, "Form is 0 or 1.")
    return _constant(value) if form else as_text(value)
