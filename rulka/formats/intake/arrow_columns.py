"""Blocks of CSV to columns of text, by Arrow; only where strict CSV says the same."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.intake.columns import GivenColumn, Part
from rulka.core.later import later

if TYPE_CHECKING:
    import pyarrow as pa
    import pyarrow.compute as pc
    import pyarrow.csv as pcsv
else:
    pa = later("pyarrow")
    pc = later("pyarrow.compute")
    pcsv = later("pyarrow.csv")

NEWLINE, RETURN, QUOTE, COMMA = b'\n\r",'
MOST_IN_A_ROW = 1_000_000
MARK = b"\xef\xbb\xbf"
CONTROLS = bytes(byte for byte in range(128) if (byte < 32 and byte not in (NEWLINE, RETURN)) or byte == 127)
LEAD, FIRST_CONTROL, LAST_CONTROL = 0xC2, 0x80, 0x9F
"""Control characters beyond ASCII are two bytes in UTF-8: this lead and one of these."""


def whole_rows(data: bytes) -> int:
    """How many bytes of the data are whole rows; a line end within quotes ends none."""
    if QUOTE not in data:
        return data.rfind(NEWLINE) + 1
    held = np.frombuffer(data, dtype=np.uint8)
    ends = _row_ends(held, np.flatnonzero(held == QUOTE))
    return int(ends[-1]) + 1 if len(ends) else 0


def _row_ends(held: np.ndarray, quotes: IntArray) -> IntArray:
    ends = np.flatnonzero(held == NEWLINE)
    return ends[np.searchsorted(quotes, ends) % 2 == 0] if len(quotes) else ends


def plain_table(data: bytes, width: int) -> pa.Table | None:
    """Whole rows as a table of text, its columns called 0, 1, 2 ...; None where anything is doubtful: a control
    character, an empty row, a quote in an odd place, a row of another width, bytes that are no UTF-8."""
    if not data.endswith(b"\n"):
        data += b"\n"
    held = np.frombuffer(data, dtype=np.uint8)
    quotes = np.flatnonzero(held == QUOTE) if QUOTE in data else np.zeros(0, dtype=np.int64)
    if not _is_plain(data, held, quotes):
        return None
    names = [str(at) for at in range(width)]
    try:
        return pcsv.read_csv(
            pa.BufferReader(data),
            pcsv.ReadOptions(column_names=names, block_size=len(data) + 1),
            pcsv.ParseOptions(newlines_in_values=bool(len(quotes)), ignore_empty_lines=False),
            pcsv.ConvertOptions(column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=False),
        )
    except pa.ArrowInvalid:
        return None


def _is_plain(data: bytes, held: np.ndarray, quotes: IntArray) -> bool:
    if data.startswith(MARK) or len(data.translate(None, CONTROLS)) < len(data):
        return False
    if data.count(b"\r") != data.count(b"\r\n"):
        return False
    if LEAD in data:
        leads = np.flatnonzero(held[:-1] == LEAD) + 1
        if ((held[leads] >= FIRST_CONTROL) & (held[leads] <= LAST_CONTROL)).any():
            return False
    ends = _row_ends(held, quotes)
    if not len(ends):
        return False
    lengths = np.diff(ends, prepend=-1) - 1
    lengths = lengths - (held[ends - 1] == RETURN)
    return bool(lengths.min() > 0 and lengths.max() < MOST_IN_A_ROW and _are_plain(held, quotes))


def _are_plain(held: np.ndarray, quotes: IntArray) -> bool:
    """Whether quotes stand only around cells, and doubled within them."""
    if len(quotes) % 2:
        return False
    opening, closing = quotes[::2], quotes[1::2]
    before = held[opening - 1]
    opens: BoolArray = (opening == 0) | (before == COMMA) | (before == NEWLINE) | (before == QUOTE)
    after = held[closing + 1]
    closes = (after == COMMA) | (after == NEWLINE) | (after == RETURN) | (after == QUOTE)
    return bool(opens.all() and closes.all())


def table_of(rows: Sequence[Sequence[str]], width: int) -> pa.Table:
    """Rows that were read one by one as the same kind of table."""
    columns = zip(*rows, strict=True)
    return pa.table({str(at): pa.array(cells, pa.string()) for at, cells in zip(range(width), columns, strict=True)})


def column_of(texts: pa.ChunkedArray) -> GivenColumn:
    """A column of a table as codes."""
    encoded = pc.dictionary_encode(texts.combine_chunks())
    return GivenColumn(encoded.indices.to_numpy().astype(np.int64), encoded.dictionary.to_pylist())


def join(parts: Sequence[Part], rows: int) -> tuple[memoryview, IntArray]:
    """Texts joined row by row, as `columns.join` does it."""
    held = [part if isinstance(part, str) else _array(part) for part in parts]
    if not any(isinstance(part, pa.Array) for part in held):
        held[0] = pa.array([parts[0]] * rows, pa.large_string())
    joined = pc.binary_join_element_wise(*(_large(part) for part in held), pa.scalar("", pa.large_string()))
    _, offsets, data = joined.buffers()
    places = np.frombuffer(offsets, dtype=np.int64)[joined.offset : joined.offset + rows + 1]
    return memoryview(data) if data else memoryview(b""), places


def _array(part: GivenColumn | IntArray) -> pa.Array:
    if isinstance(part, GivenColumn):
        return pa.array(part.values, pa.large_string()).take(pa.array(part.codes))
    return pa.array(part).cast(pa.large_string())


def _large(part: str | pa.Array) -> pa.Scalar | pa.Array:
    return pa.scalar(part, pa.large_string()) if isinstance(part, str) else part
