"""A plain ledger folder (LEDGER_FORMAT.md) to rows of text, with file and row named in every error."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeAlias

import numpy as np

from rulka.core.books.calendar import FiscalCalendar, Period, listed_calendar, monthly_calendar
from rulka.core.books.chart import IntArray
from rulka.core.errors import NotFound, RulkaError, RulkaErrors
from rulka.core.intake.blocks import FIELDS, EntryBlock
from rulka.core.intake.columns import GivenColumn
from rulka.core.intake.entries import BudgetRow, EntryRow, parse_date, row_error
from rulka.core.later import later
from rulka.formats.intake.arrow_columns import MOST_IN_A_ROW, column_of, plain_table, table_of, whole_rows

if TYPE_CHECKING:
    import pyarrow as pa
else:
    pa = later("pyarrow")

BLOCK = 16_384
"""Rows of entries that are read at a time where they are read one by one."""
CHUNK = 8 << 20
"""Bytes of entries that are read and checked at a time."""
MOST_HELD = 64 << 20
"""Bytes without the end of a row, from which on they are read row by row, which says what is wrong."""
TOGETHER = 65_536
"""Rows in a block of entries that were brought together."""
CONTROL = re.compile(r"[\x00-\x09\x0b\x0c\x0e-\x1f\x7f-\x9f]")
UNREADABLE = re.compile("[\udc80-\udcff]")
"""What bytes become that are no UTF-8."""
MOST_ERRORS = 2000
csv.field_size_limit(MOST_IN_A_ROW)


@dataclass(frozen=True)
class FolderTable:
    """Columns of one file: which it must and may have."""

    file: str
    required: tuple[str, ...]
    optional: tuple[str, ...] = ()
    must_exist: bool = False


TABLES = {
    table.file: table
    for table in (
        FolderTable("periods.csv", ("year", "number", "start", "end"), ("name", "adjusting", "calendar")),
        FolderTable("entities.csv", ("code", "name", "currency"), ("parent", "calendar"), True),
        FolderTable(
            "accounts.csv",
            ("code", "name", "type"),
            ("category", "parent", "unit", "intercompany", "rate", "active"),
            True,
        ),
        FolderTable("members.csv", ("dimension", "code", "name"), ("parent",)),
        FolderTable("scenarios.csv", ("code", "name", "kind")),
        FolderTable("counterparties.csv", ("code", "name"), ("kind", "address")),
        FolderTable(
            "entries.csv",
            ("entity", "entry", "line", "date", "account", "debit", "credit"),
            EntryRow._fields[8:-2],
            True,
        ),
        FolderTable("budgets.csv", ("scenario", "entity", "account", "period", "amount"), ("note",)),
        FolderTable("rates.csv", ("period", "from", "to", "closing"), ("average",)),
        FolderTable("controls.csv", ("entity", "period", "debit", "credit"), ("lines",)),
    )
}
SETTINGS = ("name", "group_currency", "calendar", "retained_earnings", "translation_reserve", "dimensions", "calendars")


class _Read(NamedTuple):
    """What of a file was read: its header, the place of each known column, bytes and rows."""

    header: Sequence[str]
    place: dict[str, int]
    offset: int
    row: int


EntryTable: TypeAlias = "tuple[IntArray, pa.Table, _Read]"
"""Rows of entries.csv: their numbers, their cells by column, the file."""


@dataclass(frozen=True)
class LedgerSettings:
    """What ledger.json and periods.csv say; `calendar_text` is kept as the ledger's own record of its calendar."""

    name: str
    group_currency: str
    retained_earnings: str
    translation_reserve: str
    dimensions: tuple[str, ...]
    calendar: FiscalCalendar
    calendar_text: dict[str, Any]
    calendars: dict[str, Any] = field(
        default_factory=dict
    )  # further calendars that entities may name, as calendar_text


@dataclass
class LedgerFolder:
    """A folder opened for reading. `errors` collects what single rows have wrong, `notes` what was ignored."""

    path: Path
    name: str = ""
    errors: list[RulkaError] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    keep: bool = False  # unknown columns of entries.csv become named attributes of the line
    watch: Callable[[int, int], None] | None = None  # told rows and bytes of entries.csv read so far

    @classmethod
    def open(cls, path: Path, *, name: str = "") -> LedgerFolder:
        """Check that this is a ledger folder at all: every required file is there. `name` is what it is called."""
        folder = cls(path, name or str(path))
        required = ["ledger.json", *(table.file for table in TABLES.values() if table.must_exist)]
        missing = [name for name in required if not (path / name).is_file()]
        if "ledger.json" in missing:
            raise NotFound(
                f"{folder.name} is not a ledger folder: it has no ledger.json.",
                hint="See LEDGER_FORMAT.md for its files.",
                subject="ledger folder",
            )
        if missing:
            raise RulkaErrors(
                [
                    RulkaError("The file is missing.", hint="Add it; a header alone is an empty table.", subject=name)
                    for name in missing
                ]
            )
        known = {"ledger.json", *TABLES}
        folder.notes += [
            f"{entry.name}: unknown file, ignored"
            for entry in sorted(path.iterdir())
            if entry.is_file() and entry.name not in known
        ]
        return folder

    def settings(self) -> LedgerSettings:
        """Read ledger.json and, when there is one, periods.csv."""
        raw = self._json()
        for name in SETTINGS[:4]:
            if name not in raw:
                raise RulkaError(f"'{name}' is missing.", hint="Add it.", subject="ledger.json")
        self.notes += [f"ledger.json: unknown setting '{name}', ignored" for name in raw if name not in SETTINGS]
        for name in ("name", "group_currency", "retained_earnings", "translation_reserve"):
            if not isinstance(raw.get(name, ""), str) or CONTROL.search(raw.get(name, "")):
                raise RulkaError(f"'{name}' is not plain text.", hint="Write it in quotes.", subject="ledger.json")
        dimensions = raw.get("dimensions", [])
        if not isinstance(dimensions, list) or not all(isinstance(key, str) and key for key in dimensions):
            raise RulkaError(
                "'dimensions' is not a list of names.", hint='Write ["department", "crossing"].', subject="ledger.json"
            )
        taken = {
            *TABLES["entries.csv"].required,
            *TABLES["entries.csv"].optional,
            *TABLES["budgets.csv"].required,
            "note",
        }
        for key in dimensions:
            if key in taken or dimensions.count(key) > 1:
                raise RulkaError(
                    f"A dimension can't be called '{key}'.",
                    hint="Choose another key.",
                    subject="ledger.json, dimensions",
                )
        calendar, further = self._calendars(raw["calendar"], raw.get("calendars", {}))
        return LedgerSettings(
            raw["name"],
            raw["group_currency"],
            raw["retained_earnings"],
            raw.get("translation_reserve", ""),
            tuple(dimensions),
            calendar,
            calendar_text(calendar),
            {name: calendar_text(other) for name, other in further.items()},
        )

    def _json(self) -> dict[str, Any]:
        data = (self.path / "ledger.json").read_bytes()
        if not data:
            raise RulkaError("The file has zero bytes.", hint="Write its settings.", subject="ledger.json")
        try:
            raw = json.loads(data.decode("utf-8-sig"))
        except UnicodeDecodeError:
            raise RulkaError("The file is not UTF-8.", hint="Save it as UTF-8.", subject="ledger.json") from None
        except json.JSONDecodeError as error:
            raise RulkaError(
                f"Not JSON: {error.msg}.", subject=f"ledger.json, line {error.lineno}, character {error.colno}"
            ) from None
        if not isinstance(raw, dict):
            raise RulkaError("The file holds no settings.", hint='Write { "name": ... }.', subject="ledger.json")
        return raw

    def _calendars(self, raw: Any, further: Any) -> tuple[FiscalCalendar, dict[str, FiscalCalendar]]:
        """The group's calendar and those that entities may name: computed in ledger.json, or listed in periods.csv."""
        if not isinstance(further, dict) or not all(further):
            raise RulkaError(
                "'calendars' is no list of named calendars.",
                hint='Write { "calendar year": { "first_month": 1, ... } }.',
                subject="ledger.json",
            )
        listed: dict[str, list[Period]] = {}
        if (self.path / "periods.csv").is_file():
            for row, values in self.table("periods.csv"):
                period = self._listed(row, values)
                if period:
                    listed.setdefault(values.get("calendar", ""), []).append(period)
            self.refuse_if_errors()
            if not listed:
                listed[""] = []
        calendar = listed_calendar(listed.pop("")) if "" in listed else self._calendar(raw, "ledger.json, calendar")
        named = {name: self._calendar(one, f"ledger.json, calendars, {name}") for name, one in further.items()}
        return calendar, named | {name: listed_calendar(periods) for name, periods in listed.items()}

    def _calendar(self, raw: Any, where: str) -> FiscalCalendar:
        if not isinstance(raw, dict):
            raise RulkaError("The calendar holds no settings.", hint='Write { "first_month": 4, ... }.', subject=where)
        values: dict[str, Any] = {}
        for name, default in (
            ("first_month", None),
            ("year_label", None),
            ("first_year", None),
            ("last_year", None),
            ("adjusting_periods", 0),
        ):
            value = raw.get(name, default)
            wanted = str if name == "year_label" else int
            if type(value) is not wanted:
                raise RulkaError(
                    f"'{name}' is missing or not {'text' if wanted is str else 'a whole number'}.", subject=where
                )
            values[name] = value
        return monthly_calendar(**values)

    def _listed(self, row: int, values: Mapping[str, str]) -> Period | None:
        subject = f"periods.csv, row {row}"
        try:
            if not re.fullmatch(r"[0-9]{4}", values["year"], re.ASCII):
                raise ValueError(f"'{values['year']}' is not a year")
            if not re.fullmatch(r"[0-9]{1,2}", values["number"], re.ASCII) or int(values["number"]) < 1:
                raise ValueError(f"'{values['number']}' is not a period number from 1 to 99")
            if values.get("adjusting", "") not in ("", "0", "1"):
                raise ValueError(f"adjusting is '{values['adjusting']}', not 0 or 1")
            return Period(
                int(values["year"]),
                int(values["number"]),
                parse_date(values["start"]),
                parse_date(values["end"]),
                values.get("name", ""),
                values.get("adjusting", "") == "1",
            )
        except ValueError as error:
            self.errors.append(RulkaError(f"{error}.", subject=subject))
            return None

    def table(self, name: str, dimensions: Sequence[str] = ()) -> Iterator[tuple[int, dict[str, str]]]:
        """Rows of a file as text by column, with their row numbers; nothing when an optional file is absent."""
        for row, cells, place in self._rows(name, dimensions):
            yield row, {column: cells[at] for column, at in place.items()}

    def entry_blocks(self, dimensions: Sequence[str], *, together: bool = False) -> Iterator[EntryBlock]:
        """Rows of entries.csv column by column, a block at a time; absent optional columns are empty. `together`
        brings the rows of an entry together that stand apart in the file, for which it is held whole."""
        tables = self._entry_tables(dimensions)
        for rows, table, file in _brought_together(tables) if together else tables_of_whole_entries(tables):
            columns = [column_of(table.column(at)) for at in range(table.num_columns)]
            empty = GivenColumn.empty(len(rows))
            picked = {name: columns[at] for name, at in file.place.items()}
            unknown = [(name, columns[at]) for at, name in enumerate(file.header) if name not in file.place]
            if self.keep and unknown:
                picked["attributes"] = GivenColumn.of(_attributes(unknown))
            yield EntryBlock(
                rows,
                tuple(picked.get(name, empty) for name in FIELDS),
                tuple(picked.get(key, empty) for key in dimensions),
            )

    def _entry_tables(self, dimensions: Sequence[str]) -> Iterator[EntryTable]:
        """entries.csv in pieces: as a whole piece where it is plain; from the first that isn't on, row by row."""
        name = "entries.csv"
        file: _Read | None = None
        with (self.path / name).open("rb") as raw:
            start = raw.readline(MOST_IN_A_ROW)
            plain = start.endswith(b"\n") and start.count(b'"') % 2 == 0 and b"\r" not in start[:-2]
            if plain and (header := _plain_header(start)):
                place = self._header(TABLES[name], header, dimensions)
                if place is None:
                    return
                file = _Read(header, place, len(start), 1)
                data = b""
                while more := raw.read(CHUNK):
                    data += more
                    whole = whole_rows(data) if len(more) == CHUNK else len(data)
                    if not whole and len(data) < MOST_HELD:
                        continue
                    table = plain_table(data[:whole], len(header)) if whole else None
                    if table is None:
                        break
                    data = data[whole:]
                    yield _numbers(file.row, table.num_rows), table, file
                    file = _Read(header, place, file.offset + whole, file.row + table.num_rows)
                    if self.watch:
                        self.watch(file.row - 1, file.offset)
                else:
                    if not data:
                        return
        for rows, block, known in self._blocks(name, dimensions, BLOCK, file):
            yield np.array(rows, dtype=np.int64), table_of(block, len(known.header)), known

    def budgets(self, dimensions: Sequence[str]) -> Iterator[BudgetRow]:
        """Rows of budgets.csv."""
        for row, cells, place in self._rows("budgets.csv", dimensions):
            values = [cells[place[name]] if name in place else "" for name in BudgetRow._fields[1:-1]]
            yield BudgetRow._make(
                (row, *values, tuple(cells[place[key]] if key in place else "" for key in dimensions))
            )

    def _rows(self, name: str, dimensions: Sequence[str]) -> Iterator[tuple[int, list[str], dict[str, int]]]:
        for rows, block, file in self._blocks(name, dimensions, 500):
            for row, cells in zip(rows, block, strict=True):
                yield row, cells, file.place

    def _begun(self, name: str, header: list[str], dimensions: Sequence[str]) -> _Read | None:
        """Where a file stands behind its header; None, with an error, where the header is none."""
        if UNREADABLE.search("".join(header)):
            self._unreadable(name, 1)
            return None
        place = self._header(TABLES[name], header, dimensions)
        return None if place is None else _Read(header, place, 0, 1)

    def _blocks(
        self, name: str, dimensions: Sequence[str], size: int, read: _Read | None = None
    ) -> Iterator[tuple[list[int], list[list[str]], _Read]]:
        """Sound rows with their numbers, after what was read before."""
        path = self.path / name
        if not path.is_file():
            return
        if path.stat().st_size == 0:
            hint = "Write at least its header row."
            self.errors.append(RulkaError("The file has zero bytes.", hint=hint, subject=name))
            return
        row = read.row if read else 1
        try:
            with path.open("rb") as raw:
                raw.seek(read.offset if read else 0)
                encoding = "utf-8" if read else "utf-8-sig"
                with io.TextIOWrapper(raw, encoding=encoding, errors="surrogateescape", newline="") as file:
                    reader = csv.reader(file, strict=True)
                    if read is None:
                        read = self._begun(name, next(reader, []), dimensions)
                        if read is None:
                            return
                    while True:
                        block: list[list[str]] = []
                        try:
                            block.extend(islice(reader, size))
                        finally:  # what was read before a damaged row is sound
                            rows, sound, readable = self._sound(name, read.header, row, block)
                            row += len(block)
                        if self.watch and name == "entries.csv":
                            self.watch(row - 1, raw.tell())
                        if sound:
                            yield rows, sound, read
                        if not readable or len(block) < size or len(self.errors) >= MOST_ERRORS:
                            return
        except csv.Error as error:
            self._refuse(f"Not readable as CSV: {error}.", name, row + 1, "Quote cells as RFC 4180 says.")

    def _sound(
        self, name: str, header: Sequence[str], before: int, block: list[list[str]]
    ) -> tuple[list[int], list[list[str]], bool]:
        """The rows of a block that are as wide as the header and hold no control character; the others are told. Last,
        whether all of it is UTF-8; after a row that isn't, nothing is looked at."""
        width = len(header)
        if set(map(len, block)) <= {width} and "".join(map("".join, block)).isprintable():
            return list(range(before + 1, before + 1 + len(block))), block, True
        rows: list[int] = []
        sound: list[list[str]] = []
        for row, cells in enumerate(block, before + 1):
            if UNREADABLE.search("".join(cells)):
                self._unreadable(name, row)
                return rows, sound, False
            if len(cells) != width:
                what = "is empty" if not cells else f"has {len(cells)} cells where the header has {width}"
                self._refuse(f"The row {what}.", name, row, "Quote cells that hold a comma; remove empty lines.")
            elif CONTROL.search("".join(cells)):
                at = next(i for i, cell in enumerate(cells) if CONTROL.search(cell))
                self._refuse("The cell holds a control character.", name, row, "Remove it.", header[at])
            else:
                rows.append(row)
                sound.append(cells)
        return rows, sound, True

    def _unreadable(self, file: str, row: int) -> None:
        self._refuse("The file is not UTF-8 here.", file, row, "Save it as UTF-8 and load again.")

    def _refuse(self, message: str, file: str, row: int, hint: str = "", column: str = "") -> None:
        self.errors.append(in_file(file, row_error(message, row, column, hint)))

    def _header(self, table: FolderTable, header: list[str], dimensions: Sequence[str]) -> dict[str, int] | None:
        takes_dimensions = table.file in ("entries.csv", "budgets.csv")
        known = {*table.required, *table.optional, *(dimensions if takes_dimensions else ())}
        doubled = sorted({column for column in header if header.count(column) > 1 and column in known})
        missing = [column for column in table.required if column not in header]
        if CONTROL.search("".join(header)):
            self._refuse("The header holds a control character.", table.file, 1, "Remove it.")
        for column in missing:
            self._refuse(f"The column '{column}' is missing.", table.file, 1, f"The header reads: {', '.join(header)}")
        for column in doubled:
            self._refuse(f"The column '{column}' stands twice.", table.file, 1, "Keep one.")
        done = "kept with the line" if self.keep and table.file == "entries.csv" else "ignored"
        self.notes += [f"{table.file}: unknown column '{column}', {done}" for column in header if column not in known]
        if missing or doubled:
            return None
        return {column: header.index(column) for column in header if column in known}

    def refuse_if_errors(self) -> None:
        """Raise all collected errors as one."""
        if self.errors:
            count = len(self.errors)
            more = " or more" if count >= MOST_ERRORS else ""
            raise RulkaErrors(
                self.errors, message=f"Refused, nothing was loaded: {count}{more} error{'s' if count > 1 else ''}."
            )


def _plain_header(line: bytes) -> list[str]:
    """The header's cells; nothing where it is no plain CSV."""
    try:
        return next(csv.reader([line.decode("utf-8-sig")], strict=True), [])
    except (UnicodeDecodeError, csv.Error):
        return []


def _numbers(after: int, rows: int) -> IntArray:
    return np.arange(after + 1, after + 1 + rows, dtype=np.int64)


def tables_of_whole_entries(tables: Iterable[EntryTable]) -> Iterator[EntryTable]:
    """Tables that no entry is cut by: the last one's rows wait for the next table."""
    waiting: EntryTable | None = None
    for rows, table, file in tables:
        if waiting is not None:
            rows, table = np.concatenate([waiting[0], rows]), pa.concat_tables([waiting[1], table])
        starts = np.flatnonzero(np.diff(_entries(table, file)))
        last = int(starts[-1]) + 1 if len(starts) else 0
        waiting = (rows[last:], table.slice(last), file)
        if last:
            yield rows[:last], table.slice(0, last), file
    if waiting is not None:
        yield waiting


def _brought_together(tables: Iterable[EntryTable]) -> Iterator[EntryTable]:
    """All rows, those of an entry behind each other, entries in the order in which they appear first."""
    held = list(tables)
    if not held:
        return
    file, table = held[-1][2], pa.concat_tables([table for _, table, _ in held])
    entries = _entries(table, file)
    _, first, group = np.unique(entries, return_index=True, return_inverse=True)
    order = np.argsort(first[group], kind="stable")
    rows, table = np.concatenate([rows for rows, _, _ in held])[order], table.take(order)
    pieces = ((rows[at : at + TOGETHER], table.slice(at, TOGETHER), file) for at in range(0, len(rows), TOGETHER))
    yield from tables_of_whole_entries(pieces)


def _entries(table: pa.Table, file: _Read) -> IntArray:
    """A number for each row that says of which entry it is, whole in this table."""
    entity, entry = (column_of(table.column(file.place[name])) for name in ("entity", "entry"))
    return entity.codes * len(entry.values) + entry.codes


def _attributes(columns: Sequence[tuple[str, GivenColumn]]) -> list[str]:
    """Each row's filled cells of these columns as a JSON object, nothing where all are empty."""
    texts = []
    for cells in zip(*(column.texts() for _, column in columns), strict=True):
        filled = {name: cell for (name, _), cell in zip(columns, cells, strict=True) if cell}
        texts.append(json.dumps(filled, ensure_ascii=False, separators=(",", ":")) if filled else "")
    return texts


def in_file(file: str, error: RulkaError) -> RulkaError:
    """Name the file in front of an error's row."""
    error.subject = f"{file}, {error.subject}" if error.subject else file
    return error


def calendar_text(calendar: FiscalCalendar) -> dict[str, Any]:
    """A calendar as plain data, every period listed."""
    return {
        "periods": [
            [p.year, p.number, p.start.isoformat(), p.end.isoformat(), p.name, int(p.adjusting)]
            for p in calendar.periods
        ]
    }


def calendar_from(text: Mapping[str, Any]) -> FiscalCalendar:
    """The calendar that `calendar_text` wrote."""
    from datetime import date

    return listed_calendar(
        Period(year, number, date.fromisoformat(start), date.fromisoformat(end), name, bool(adjusting))
        for year, number, start, end, name, adjusting in text["periods"]
    )
