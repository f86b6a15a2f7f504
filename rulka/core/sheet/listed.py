"""A row list from elsewhere brought over: its columns are told what they are, then become working rows or lines of a
statement; what isn't understood is listed."""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.selection import KEYWORDS, PATTERN_MEANT, SelectionPart, evaluate, parse_selection
from rulka.core.definitions.keys import slug
from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, cell_text
from rulka.core.sheet.blocks import quoted
from rulka.core.sheet.inputs import literal
from rulka.core.sheet.workbook import Cell, Look, Sheet, Step, Workbook, cells_step
from rulka.core.values import is_whole

ROLES = {
    "": "not used",
    "caption": "caption",
    "codes": "codes",
    "low": "lowest code",
    "high": "highest code",
    "sign": "sign",
    "number": "row number",
    "total": "total of rows",
}
MOST_LISTED = 2_000
CODE = re.compile(r"[0-9A-Za-z]+(?:[._-][0-9A-Za-z]+)*", re.ASCII)
TOTALS = re.compile(r"[0-9+\-,;.:\s]+|.*\bto\b.*")
TERM = re.compile(r"([+-])?\s*([0-9A-Za-z]+)(?:\s*(?:\.{2,}|:|\bto\b)\s*([0-9A-Za-z]+))?\s*[,;]?\s*")
RUN = re.compile(r"([0-9A-Za-z]+)\s*[-–—]\s*([0-9A-Za-z]+)")
"""A total that says two rows with a line between means all from one to the other; beside other signs the line is a
minus."""

MINUS = ("-", "minus", "c", "cr", "credit", "flipped", "-1", "neg", "negative")
PLUS = ("", "+", "plus", "d", "dr", "debit", "as booked", "1", "pos", "positive")


@dataclass(frozen=True)
class Brought:
    """One row as it was understood: the accounts it selects, whether they are turned, the rows it adds up with their
    signs; `problem` says what wasn't understood, the row is kept as text then."""

    at: int
    caption: str
    number: str = ""
    accounts: str = ""
    is_turned: bool = False
    adds: tuple[tuple[int, int], ...] = ()
    problem: str = ""

    @property
    def is_heading(self) -> bool:
        return not self.accounts and not self.adds


def guessed_roles(rows: Sequence[Sequence[str]], view: View) -> list[str]:
    """What each column seems to be: codes by how many of its cells name accounts, the first text the caption."""
    width = max(map(len, rows), default=0)
    found = [""] * width
    columns = [[row[at].strip() if at < len(row) else "" for row in rows] for at in range(width)]
    named = [sum(bool(_accounts(cell, view)[0]) for cell in cells if cell) for cells in columns]
    filled = [sum(bool(cell) for cell in cells) for cells in columns]
    for at, cells in enumerate(columns):
        texts = sum(bool(re.search(r"[^\W\d_]{3}", cell)) for cell in cells)
        if texts * 2 > filled[at] and "caption" not in found and named[at] * 2 <= filled[at]:
            found[at] = "caption"
    likely = [at for at in range(width) if not found[at] and named[at] * 2 > max(filled[at], 1)]
    if len(likely) > 1 and filled[likely[0]] == len(rows) and _counts_up(columns[likely[0]]):
        found[likely[0]], likely = "number", likely[1:]  # rows are numbered, and some numbers are codes as well
    if len(likely) == 2 and likely[1] == likely[0] + 1 and all("," not in cell for cell in columns[likely[1]]):
        found[likely[0]], found[likely[1]] = "low", "high"
    elif likely:
        first, last = likely[0], likely[0] + 1
        if last < width and not found[last] and _are_ends(columns[first], columns[last]):
            found[first], found[last] = "low", "high"  # a highest code need not be an account itself
        else:
            found[first] = "codes"
    for at, cells in enumerate(columns):
        words = {cell.casefold() for cell in cells if cell}
        if found[at] or not words:
            continue
        if words <= {*MINUS, *PLUS} - {"1", "-1"}:
            found[at] = "sign"
        elif "number" not in found and len(words) == filled[at] and all(is_whole(word) for word in words):
            found[at] = "number"
        elif "total" not in found and all(TOTALS.fullmatch(word) for word in words):
            found[at] = "total"
    return found


def _are_ends(low: Sequence[str], high: Sequence[str]) -> bool:
    """Whether the cells of a column are, row by row, as long as those of another one and not below them."""
    pairs = [(one, other) for one, other in zip(low, high, strict=True) if one and other]
    return bool(pairs) and all(len(one) == len(other) and one <= other for one, other in pairs)


def _counts_up(cells: Sequence[str]) -> bool:
    numbers = [int(cell) for cell in cells if is_whole(cell)]
    return len(numbers) == len(cells) and all(a < b for a, b in itertools.pairwise(numbers))


def bring(rows: Sequence[Sequence[str]], roles: Sequence[str], view: View) -> list[Brought]:
    """Rows as they are understood with the roles of their columns; raises RulkaError where nothing can be."""
    if not rows or not any(any(cell.strip() for cell in row) for row in rows):
        raise RulkaError("There is nothing to bring over.", hint="Copy some rows first.", subject="rows")
    if len(rows) > MOST_LISTED:
        raise RulkaError(f"{len(rows):,} rows are too many.", hint=f"Bring at most {MOST_LISTED:,}.", subject="rows")
    for role in roles:
        if role not in ROLES:
            raise RulkaError(f"'{role[:40]}' is nothing a column can be.", hint="Choose from the list.", subject="rows")
    several = [
        role for role, count in Counter(role for role in roles if role not in ("", "caption")).items() if count > 1
    ]
    if several:
        raise RulkaError(f"Several columns are {ROLES[several[0]]}.", hint="Let one of them be it.", subject="rows")
    if not {"codes", "low", "total"} & set(roles):
        raise RulkaError("No column has codes.", hint="Say which column names the accounts.", subject="rows")
    cells = [dict.fromkeys(roles, "") for _ in rows]
    for at, row in enumerate(rows):
        for role, cell in zip(roles, row, strict=False):
            text = " ".join(cell.split())
            cells[at][role] = f"{cells[at][role]} {text}".strip() if role == "caption" else text
    numbers = {own["number"] or str(at + 1): at for at, own in enumerate(cells)} if "number" in roles else {
        str(at + 1): at for at in range(len(cells))
    }  # fmt: skip
    return [_understood(at, own, numbers, view) for at, own in enumerate(cells) if any(own.values())]


def _understood(at: int, cells: Mapping[str, str], numbers: Mapping[str, int], view: View) -> Brought:
    caption, problems = cells.get("caption", ""), []
    text = cells.get("codes", "")
    if cells.get("low") or cells.get("high"):
        low, high = cells.get("low") or cells["high"], cells.get("high") or cells.get("low", "")
        text = f"{low} to {high}" if low != high else low
        if low > high:
            problems.append(f"{low} comes after {high}")
    accounts, problem = _accounts(text, view) if text else ("", "")
    problems += [problem] if problem else []
    adds: list[tuple[int, int]] = []
    if total := cells.get("total", ""):
        adds, problem = _adds(total, numbers, at)
        problems += [problem] if problem else []
        if adds and accounts:
            problems.append("it has codes and adds rows up; the rows count")
            accounts = ""
    sign = cells.get("sign", "").casefold()
    if sign not in MINUS and sign not in PLUS:
        problems.append(f"'{sign[:20]}' is no sign")
    if not caption and accounts:
        codes = view.frame.accounts
        caption = codes[text].name if text in codes.index else accounts
    return Brought(at, caption, cells.get("number", ""), accounts, sign in MINUS, tuple(adds), "; ".join(problems))


def _accounts(text: str, view: View) -> tuple[str, str]:
    """A cell of codes as a selection that means some accounts, and what is wrong otherwise."""
    codes, visible = view.frame.accounts, view.visible_accounts()
    parts = [part.strip() for part in re.split(r"[,;\n]+|\s\+\s", text) if part.strip()]
    found, unknown = [], []
    for part in parts:
        meant = _part(part, codes.index)
        try:
            mask = evaluate(parse_selection(meant), codes, told=False).mask & visible
        except RulkaError:
            mask = None
        if mask is not None and mask.any():
            found.append(meant)
        else:
            unknown.append(part)
    problem = f"{', '.join(unknown[:5])} {'names' if len(unknown) == 1 else 'name'} no account" if unknown else ""
    return ", ".join(found), problem


def _part(part: str, index: Mapping[str, int]) -> str:
    """One code, range or pattern as selections write it, however it was written elsewhere."""
    if part in index:
        return SelectionPart("code", part).text()
    meant = re.fullmatch(r"(\S+?)\s*(?:-|–|—|\.{2,}|:)\s*(\S+)", part)
    if meant and CODE.fullmatch(meant[1]) and CODE.fullmatch(meant[2]) and meant[1].casefold() not in KEYWORDS:
        return SelectionPart("range", meant[1], meant[2]).text()
    pattern = PATTERN_MEANT.fullmatch(part)
    if pattern and pattern[1]:
        return pattern[1] + "?" * len(pattern[2]) if pattern[2] != "%" else pattern[1] + "*"
    words = part.split()
    if len(words) > 1 and all(word in index for word in words):
        return ", ".join(SelectionPart("code", word).text() for word in words)
    return part


def _adds(text: str, numbers: Mapping[str, int], own: int) -> tuple[list[tuple[int, int]], str]:
    """The rows that a total adds up, each with its sign, and what is wrong otherwise."""
    found: list[tuple[int, int]] = []
    place = 0
    text = re.sub(r"^\s*=?\s*(?:sum|total)?\s*(?:of)?\s*(?:rows?)?\s*", "", text, flags=re.IGNORECASE)
    if run := RUN.fullmatch(text.strip()):
        text = f"{run[1]}..{run[2]}"
    while place < len(text):
        term = TERM.match(text, place)
        if term is None or not term[0]:
            return [], f"'{text[place : place + 20]}' names no rows"
        place = term.end()
        sign = -1 if term[1] == "-" else 1
        ends = [term[2], term[3] or term[2]]
        unknown = [end for end in ends if end not in numbers]
        if unknown:
            return [], f"there is no row {unknown[0]}"
        first, last = sorted(numbers[end] for end in ends)
        found += [(row, sign) for row in range(first, last + 1) if row != own]
    if not found:
        return [], "it adds up nothing"
    return found, ""


def rows_steps(
    workbook: Workbook, sheet: Sheet, row: int, column: int, brought: Sequence[Brought], period: str = ""
) -> list[Step]:
    """Working rows from a cell down: caption, accounts, amount; a total adds the amounts of its rows."""
    row_of = {line.at: row + 1 + place for place, line in enumerate(brought)}
    if row + 1 + len(brought) > MOST_ROWS or column + 3 > MOST_COLUMNS:
        raise RulkaError(f"{len(brought):,} rows don't fit.", hint="Begin further up.", subject="rows")
    head: Look = {"bold": True, "bottom": "single"}
    cells = {
        (row, column): Cell("Caption", workbook.look_number(head)),
        (row, column + 1): Cell("Accounts", workbook.look_number(head)),
        (row, column + 2): Cell(period or "=RULKA.PERIODNAME()", workbook.look_number({**head, "align": "right"})),
    }
    for line in brought:
        own_row = row_of[line.at]
        look: Look = {"bold": True} if line.adds or line.is_heading else {}
        above: Look = {"top": "single"} if line.adds else {}
        cells[own_row, column] = Cell(literal(line.caption), workbook.look_number(look))
        if line.accounts:
            place = cell_text(own_row, column + 1)
            cells[own_row, column + 1] = Cell(literal(line.accounts))
            call = f"RULKA.ACTIVITY({place}" + (f",{period[1:]})" if period.startswith("=") else ")")
            cells[own_row, column + 2] = Cell(f"={'-' if line.is_turned else ''}{call}")
        elif line.adds:
            text = _sum(
                [(row_of[added], sign) for added, sign in line.adds if added in row_of], column + 2, line.is_turned
            )
            cells[own_row, column + 2] = Cell(text, workbook.look_number({**look, **above}))
    taken = next((place for place in cells if sheet.cell(*place).input), None)
    if taken is not None:
        raise RulkaError(f"{cell_text(*taken)} is not empty.", hint="Choose an empty place.", subject="rows")
    return [cells_step(sheet, {place: cell for place, cell in cells.items() if not cell.is_nothing})]


def _sum(rows: Sequence[tuple[int, int]], column: int, is_turned: bool) -> str:
    if rows and all(sign > 0 for _, sign in rows) and not is_turned:
        first, last = min(row for row, _ in rows), max(row for row, _ in rows)
        if len({row for row, _ in rows}) == last - first + 1 == len(rows):
            return f"=SUM({cell_text(first, column)}:{cell_text(last, column)})"
    text = "".join(f"{'-' if sign < 0 else '+'}{cell_text(row, column)}" for row, sign in rows)
    return f"=-({text})" if is_turned else "=" + text.removeprefix("+")


def statement_lines(brought: Sequence[Brought]) -> list[dict[str, Any]]:
    """Lines of a statement as plain data, in order: account lines, calculations, headings."""
    labels = Counter(one.caption.casefold() for one in brought)
    keys: dict[int, str] = {}
    for one in brought:
        base = slug(one.caption)[:60] or "row"
        wanted = (
            base if labels[one.caption.casefold()] == 1 and base not in keys.values() else f"{base}-row-{one.at + 1}"
        )
        keys[one.at] = wanted
    found: list[dict[str, Any]] = []
    by_at = {one.at: one for one in brought}
    for one in brought:
        label = one.caption or "Row"
        if one.adds:
            terms = ""
            for other, sign in one.adds:
                if other not in by_at or by_at[other].is_heading:
                    continue
                named = by_at[other].caption if labels[by_at[other].caption.casefold()] == 1 else keys[other]
                terms += f" {'-' if sign < 0 else '+'} {quoted(named)}"
            text = terms.strip().removeprefix("+").strip()
            if text:
                formula = f"0 - ({text})" if one.is_turned else f"0 {text}" if text.startswith("-") else text
                found.append({"calculation": label, "key": keys[one.at], "formula": formula})
                continue
        if one.accounts:
            shown = "flipped" if one.is_turned else "as booked"
            found.append({"line": label, "key": keys[one.at], "accounts": one.accounts, "sign": shown})
        else:
            found.append({"heading": label, "key": keys[one.at]})
    return found
