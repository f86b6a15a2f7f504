"""A table of any shape to a file of the plain ledger folder, through a mapping that a person built and saved.

The mapping says which column is which field, how dates and numbers are written, and what to put where there is no
column.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Generator, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field
from datetime import date, timedelta
from itertools import islice
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError, one_of
from rulka.core.intake.entries import row_error
from rulka.formats.intake.ledger_folder import CONTROL, TABLES
from rulka.formats.intake.table_file import TableLook, read_rows

TARGETS = {
    "entries": "Journal lines",
    "accounts": "Accounts",
    "budgets": "Budget rows",
    "members": "Dimension members",
    "counterparties": "Counterparties",
    "rates": "Rates",
    "side": "A table beside the ledger",
}
DATES = {
    "YYYY-MM-DD": r"(?P<y>\d{4})-(?P<m>\d{1,2})-(?P<d>\d{1,2})",
    "DD.MM.YYYY": r"(?P<d>\d{1,2})\.(?P<m>\d{1,2})\.(?P<y>\d{4}|\d{2})",
    "DD/MM/YYYY": r"(?P<d>\d{1,2})/(?P<m>\d{1,2})/(?P<y>\d{4}|\d{2})",
    "MM/DD/YYYY": r"(?P<m>\d{1,2})/(?P<d>\d{1,2})/(?P<y>\d{4}|\d{2})",
    "DD-MM-YYYY": r"(?P<d>\d{1,2})-(?P<m>\d{1,2})-(?P<y>\d{4}|\d{2})",
    "YYYY/MM/DD": r"(?P<y>\d{4})/(?P<m>\d{1,2})/(?P<d>\d{1,2})",
    "YYYYMMDD": r"(?P<y>\d{4})(?P<m>\d{2})(?P<d>\d{2})",
    "D Mon YYYY": r"(?P<d>\d{1,2})[ -](?P<mon>[A-Za-z]{3})[A-Za-z]*[ -](?P<y>\d{4}|\d{2})",
    "serial number": r"(?P<serial>\d{4,5})(?:\.0+)?",
}
MONTHS = {
    name: at
    for at, name in enumerate(("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"), 1)
}
SERIAL_START = date(1899, 12, 30)
AMOUNTS = ("debit and credit", "signed amount", "amount and side")
NUMBERS = {
    "1234.56": (".", ""),
    "1,234.56": (".", ","),
    "1234,56": (",", ""),
    "1.234,56": (",", "."),
    "1 234,56": (",", " "),
    "1'234.56": (".", "'"),
}
"""How numbers may be written: decimal mark and grouping."""

SIDES = {
    "d": "debit",
    "dr": "debit",
    "s": "debit",
    "debit": "debit",
    "c": "credit",
    "cr": "credit",
    "h": "credit",
    "k": "credit",
    "credit": "credit",
}
DATE_FIELDS = ("date",)
AMOUNT_FIELDS = ("debit", "credit", "amount", "historical_amount", "transaction_amount", "average", "closing")


@dataclass(frozen=True)
class FieldSource:
    """Where a field's value comes from: columns joined by `-`, or one constant; `translate` replaces whole values."""

    columns: tuple[str, ...] = ()
    constant: str = ""
    translate: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class MappingDefinition:
    """A saved mapping; `segments` cuts one column into the fields named by `parts` (empty parts are skipped)."""

    table: str
    look: TableLook
    date: str
    number: str
    amounts: str
    fields: Mapping[str, FieldSource]
    segments_column: str = ""
    segments_separator: str = "-"
    segments_parts: tuple[str, ...] = ()
    keep: tuple[str, ...] = ()
    side_name: str = ""

    def as_data(self) -> dict[str, Any]:
        """As plain data that JSON can hold."""
        return {
            "table": self.table,
            "encoding": self.look.encoding,
            "delimiter": self.look.delimiter,
            "sheet": self.look.sheet,
            "header": self.look.header,
            "date": self.date,
            "number": self.number,
            "amounts": self.amounts,
            "fields": {
                name: {
                    "columns": list(source.columns),
                    "constant": source.constant,
                    "translate": dict(source.translate),
                }
                for name, source in self.fields.items()
            },
            "segments": {
                "column": self.segments_column,
                "separator": self.segments_separator,
                "parts": list(self.segments_parts),
            },
            "keep": list(self.keep),
            "side_name": self.side_name,
        }

    @classmethod
    def from_data(cls, data: Mapping[str, Any]) -> MappingDefinition:
        """What `as_data` gave; RulkaError where it says something that can't be."""
        if data.get("table") not in TARGETS:
            raise RulkaError(
                f"'{data.get('table')}' is nothing to map to.",
                hint="Choose " + ", ".join(TARGETS) + ".",
                subject="mapping",
            )
        for name, known in (("date", DATES), ("number", NUMBERS), ("amounts", AMOUNTS)):
            if data.get(name) not in known:
                raise RulkaError(
                    f"'{data.get(name)}' is no way to write a {name}.",
                    hint=one_of(str(data.get(name)), known),
                    subject=f"mapping, {name}",
                )
        segments = data.get("segments") or {}
        return cls(
            data["table"],
            TableLook(
                data.get("encoding") or "utf-8-sig",
                data.get("delimiter") or ",",
                data.get("sheet", ""),
                int(data.get("header") or 1),
            ),
            data["date"],
            data["number"],
            data["amounts"],
            {
                name: FieldSource(
                    tuple(source.get("columns", ())), source.get("constant", ""), dict(source.get("translate", {}))
                )
                for name, source in data.get("fields", {}).items()
            },
            segments.get("column", ""),
            segments.get("separator", "-"),
            tuple(segments.get("parts", ())),
            tuple(data.get("keep", ())),
            data.get("side_name", ""),
        )


@dataclass
class Converted:
    """What a conversion wrote: the file's name and, for each of its rows, the row of the source."""

    file: str
    rows: list[int] = field(default_factory=list)
    errors: list[RulkaError] = field(default_factory=list)


def target_fields(mapping_table: str, dimensions: Sequence[str], amounts: str) -> tuple[list[str], list[str]]:
    """Fields that must, and that may, be mapped for a kind of table."""
    if mapping_table == "side":
        return [], []
    table = TABLES[f"{mapping_table}.csv"]
    must, may = list(table.required), list(table.optional)
    if mapping_table == "entries":
        must = [name for name in must if name not in ("line", "debit", "credit")]
        may = ["line", *(dimensions), *may]
        must += {
            "debit and credit": ["debit", "credit"],
            "signed amount": ["amount"],
            "amount and side": ["amount", "side"],
        }[amounts]
    if mapping_table == "budgets":
        may = [*dimensions, *may]
    return must, may


def parse_number(text: str, style: str) -> str:
    """A number as somebody writes it to `-?digits(.digits)?`; ValueError says what is wrong."""
    decimal, grouping = NUMBERS[style]
    plain = text.replace("\u2212", "-").strip()
    negative = False
    if plain.startswith("(") and plain.endswith(")"):
        negative, plain = True, plain[1:-1].strip()
    if plain.endswith("-"):
        negative, plain = not negative, plain[:-1].strip()
    if plain.startswith("-"):
        negative, plain = not negative, plain[1:].strip()
    if plain.startswith("+"):
        plain = plain[1:]
    if grouping == " ":
        plain = plain.replace("\u00a0", " ").replace("\u202f", " ")
    whole, mark, part = plain.partition(decimal)
    if grouping and grouping in whole:
        if not re.fullmatch(rf"[0-9]{{1,3}}({re.escape(grouping)}[0-9]{{3}})+", whole, re.ASCII):
            raise ValueError(f"'{text}' is not a number written as {style}")
        whole = whole.replace(grouping, "")
    if not re.fullmatch(r"[0-9]+", whole or ("0" if part else ""), re.ASCII) or (
        mark and not re.fullmatch(r"[0-9]+", part, re.ASCII)
    ):
        raise ValueError(f"'{text}' is not a number written as {style}")
    value = (whole or "0") + (f".{part}" if part else "")
    return f"-{value}" if negative and value.strip("0.") else value


def parse_day(text: str, style: str) -> str:
    """A date as somebody writes it to YYYY-MM-DD; ValueError says what is wrong. Two digits of a year mean 2000 and
    later."""
    iso = re.fullmatch(DATES["YYYY-MM-DD"] + r"(?:[T ].*)?", text, re.ASCII)
    match = (
        re.fullmatch(DATES[style] + r"(?:[T ]\d{1,2}:\d{2}.*)?", text, re.ASCII) or iso
    )  # a workbook's own dates come as ISO
    if match is None:
        raise ValueError(f"'{text}' is not a date written as {style}")
    parts = match.groupdict()
    try:
        if "serial" in parts:
            return (SERIAL_START + timedelta(days=int(parts["serial"]))).isoformat()
        month = MONTHS.get(parts["mon"].lower(), 0) if "mon" in parts else int(parts["m"])
        year = int(parts["y"])
        return date(year + 2000 if year < 100 else year, month, int(parts["d"])).isoformat()
    except ValueError as error:
        raise ValueError(f"'{text}' is not a day of the calendar") from error


def convert(
    path: Path,
    mapping: MappingDefinition,
    folder: Path,
    dimensions: Sequence[str],
    *,
    watch: Callable[[int], None] | None = None,
) -> Converted:
    """Write the table as a file of a ledger folder. Errors of rows collect; a column that is gone raises RulkaError at
    once.

    `watch` is told the rows read now and then, and may raise to end it.
    """
    with closing(read_rows(path, mapping.look)) as rows:
        return _converted(path, mapping, folder, dimensions, rows, watch)


def _converted(
    path: Path,
    mapping: MappingDefinition,
    folder: Path,
    dimensions: Sequence[str],
    rows: Iterator[tuple[int, list[str]]],
    watch: Callable[[int], None] | None,
) -> Converted:
    header = next((cells for number, cells in rows if number >= mapping.look.header), [])
    place = {name: at for at, name in reversed(list(enumerate(header)))}
    _fits(mapping, place, path.name)
    must, may = target_fields(mapping.table, dimensions, mapping.amounts)
    unmapped = [name for name in must if name not in mapping.fields and name not in mapping.segments_parts]
    if unmapped:
        raise RulkaError(
            f"Nothing is mapped to {', '.join(unmapped)}.",
            hint="Choose a column or write a constant.",
            subject="mapping",
        )
    wanted = [name for name in [*must, *may] if name in mapping.fields or name in mapping.segments_parts]
    converted = Converted(f"{mapping.table}.csv")
    rower = _Rower(mapping, place, wanted, converted)
    columns = rower.columns
    with (folder / converted.file).open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow([*columns, *mapping.keep])
        for number, cells in rows:
            if number <= mapping.look.header:
                continue
            if watch and number % 2_000 == 0:
                watch(number)
            values = rower.row(number, [*cells, *[""] * (len(header) - len(cells))])
            if values is not None:
                writer.writerow(values)
                converted.rows.append(number)
    return converted


def _fits(mapping: MappingDefinition, place: Mapping[str, int], file: str) -> None:
    named = {column for source in mapping.fields.values() for column in source.columns} | set(mapping.keep)
    named |= {mapping.segments_column} - {""}
    missing = sorted(named - set(place))
    if missing:
        raise RulkaError(
            f"The mapping no longer fits: the file has no column '{missing[0]}'"
            + (f" and {len(missing) - 1} more" if len(missing) > 1 else "")
            + ".",
            hint=f"Its row {mapping.look.header} reads: {', '.join(place)}. Change the mapping or the file.",
            subject=file,
            code="mapping",
        )


class _Rower:
    """Turns one row after another; numbers lines where the source doesn't."""

    def __init__(
        self, mapping: MappingDefinition, place: Mapping[str, int], wanted: Sequence[str], converted: Converted
    ) -> None:
        self.mapping, self.place, self.wanted, self.converted = mapping, place, wanted, converted
        self.lines: dict[tuple[str, str], int] = {}
        self.numbered = mapping.table == "entries" and "line" not in wanted
        self.entries = mapping.table == "entries"
        self.columns = [name for name in wanted if not (self.entries and name in ("amount", "side", "debit", "credit"))]
        if self.numbered:
            self.columns.append("line")
        if self.entries:
            self.columns += ["debit", "credit"]
        self.readers: dict[str, Callable[[str], str]] = {}
        for name in wanted:
            if name in DATE_FIELDS:
                self.readers[name] = lambda text: parse_day(text, mapping.date)
            elif name in AMOUNT_FIELDS:
                self.readers[name] = lambda text: parse_number(text, mapping.number)

    def row(self, number: int, cells: list[str]) -> list[str] | None:
        values: dict[str, str] = {}
        segments = self._segments(number, cells)
        failed = segments is None
        for name in self.wanted:
            text = (segments or {}).get(name) if name in self.mapping.segments_parts else self._value(name, cells)
            text = text or ""
            if CONTROL.search(text):
                self._error("The cell holds a control character.", number, name, "Remove it.")
                failed = True
            elif text and name in self.readers:
                try:
                    text = self.readers[name](text)
                except ValueError as error:
                    self._error(
                        f"{error}.", number, name, "Correct the cell, or choose how the file writes it in the mapping."
                    )
                    failed = True
            values[name] = text
        if failed or (self.entries and not self._sides(values, number)):
            return None
        if self.numbered:
            entry = (values.get("entity", ""), values["entry"])
            self.lines[entry] = self.lines.get(entry, 0) + 1
            values["line"] = str(self.lines[entry])
        return [values[name] for name in self.columns] + [cells[self.place[name]] for name in self.mapping.keep]

    def _error(self, message: str, number: int, name: str, hint: str) -> None:
        self.converted.errors.append(
            row_error(
                message,
                number,
                ", ".join(self.mapping.fields[name].columns) if name in self.mapping.fields else name,
                hint,
            )
        )

    def _value(self, name: str, cells: list[str]) -> str:
        source = self.mapping.fields[name]
        if not source.columns:
            return source.constant
        text = "-".join(filter(None, (cells[self.place[column]] for column in source.columns)))
        return source.translate.get(text, text) or source.constant

    def _segments(self, number: int, cells: list[str]) -> dict[str, str] | None:
        mapping = self.mapping
        if not mapping.segments_column:
            return {}
        text = cells[self.place[mapping.segments_column]]
        parts = text.split(mapping.segments_separator)
        if len(parts) != len(mapping.segments_parts):
            self.converted.errors.append(
                row_error(
                    f"'{text}' has {len(parts)} segments where {len(mapping.segments_parts)} are mapped.",
                    number,
                    mapping.segments_column,
                )
            )
            return None
        return {name: part.strip() for name, part in zip(mapping.segments_parts, parts, strict=True) if name}

    def _sides(self, values: dict[str, str], number: int) -> bool:
        """Debit and credit from whatever the file has; a negative one goes to the other side."""
        debit, credit = values.get("debit", ""), values.get("credit", "")
        if self.mapping.amounts != "debit and credit":
            amount = values.get("amount", "") or "0"
            side = "debit"
            if self.mapping.amounts == "amount and side":
                side = SIDES.get(values.get("side", "").lower(), "")
                if not side:
                    self._error(
                        f"'{values.get('side', '')}' is neither debit nor credit.",
                        number,
                        "side",
                        "Translate it to debit or credit in the mapping.",
                    )
                    return False
            debit, credit = (amount, "") if side == "debit" else ("", amount)
        if debit.startswith("-") and not credit.strip("0."):
            debit, credit = "", debit[1:]
        elif credit.startswith("-") and not debit.strip("0."):
            debit, credit = credit[1:], ""
        values["debit"], values["credit"] = debit, credit
        return True


def side_rows(path: Path, mapping: MappingDefinition) -> tuple[list[str], list[list[str]]]:
    """A table beside the ledger, whole, as text."""
    with closing(read_rows(path, mapping.look)) as rows:
        header = next((cells for number, cells in rows if number >= mapping.look.header), [])
        return header, [[*cells, *[""] * (len(header) - len(cells))][: len(header)] for _, cells in rows]


def preview_rows(path: Path, look: TableLook, most: int = 12) -> Generator[tuple[int, list[str]], None, None]:
    """The first rows of a file as it is read."""
    with closing(read_rows(path, look)) as rows:
        yield from islice(rows, most)
