"""entries.csv in large pieces and row by row: the same rows, the same errors, whatever stands in the file."""

from __future__ import annotations

import csv
import io
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.errors import RulkaErrors
from rulka.formats.intake import ledger_folder
from rulka.formats.intake.ledger_folder import LedgerFolder
from tests.lengths import several

HEADER = "entity,entry,line,date,account,debit,credit,department,note"
CELLS = [
    "",
    "a",
    "4711",
    "x,y",
    'say "so"',
    "two\nlines",
    "two\r\nlines",
    "-",
    " b ",
    "ü",
    "12.00",
    "\u2003",
    "=1",
    '"',
]
ODD = ["\x00", "\x07", "\x85", "\x7f", "\r", 'a"b', '"a"b', "a\rb", '"', "\ufeff"]


def told(folder: LedgerFolder, **how: bool) -> tuple[list[tuple], list[str]]:
    """Rows and errors."""
    rows = []
    try:
        for block in folder.entry_blocks(["department"], **how):
            cells = zip(*(column.texts() for column in (*block.columns, *block.members)), strict=True)
            rows += zip(block.rows.tolist(), cells, strict=True)
    except RulkaErrors as error:
        return rows, [str(one) for one in error.errors]
    return rows, [str(error) for error in folder.errors]


def random_file(dice: random.Random) -> bytes:
    text = io.StringIO()
    writer = csv.writer(
        text,
        lineterminator=dice.choice(["\n", "\r\n"]),
        quoting=dice.choice([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    )
    rows = dice.randrange(0, 30)
    odd = dice.randrange(0, rows * 3 + 1)
    for at in range(rows):
        entry = f"E{at // 2 if dice.random() < 0.9 else dice.randrange(9)}"
        writer.writerow(["A", entry, *(dice.choice(CELLS) for _ in range(7))])
        if at == odd:
            cells = ["A", "E", *(dice.choice(CELLS[:3]) for _ in range(7))]
            cells[dice.randrange(9)] = dice.choice(ODD)
            text.write(",".join(cells[: dice.choice([9, 9, 9, 8])]) + "\n")
        if dice.random() < 0.01:
            text.write("\n")
    start = dice.choice([b"", b"\xef\xbb\xbf"]) + HEADER.encode() + dice.choice([b"\n", b"\r\n"])
    data = start + text.getvalue().encode()
    if dice.random() < 0.3:
        data = data.rstrip(b"\r\n")
    if dice.random() < 0.05:
        cut = dice.randrange(len(data) + 1)
        data = data[:cut] + b"\xff" + data[cut:]
    return data


@pytest.fixture(scope="module")
def place(tmp_path_factory):
    folder = tmp_path_factory.mktemp("csv")
    for name in ("ledger.json", "entities.csv", "accounts.csv", "entries.csv"):
        (folder / name).write_text("x")
    return folder


@settings(max_examples=several(400), deadline=None)
@given(seed=st.integers(0, 10**9))
def test_pieces_and_rows_give_the_same(place, seed):
    dice = random.Random(seed)
    (place / "entries.csv").write_bytes(random_file(dice))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(ledger_folder, "plain_table", lambda data, width: None)
        slow = told(LedgerFolder.open(place))
    for size in (1 << 20, dice.randrange(40, 400)):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(ledger_folder, "CHUNK", size)
            rows, errors = told(LedgerFolder.open(place))
            assert errors == slow[1]  # of rows before a damaged one more may be told; nothing of them is loaded
            if not errors:
                assert rows == slow[0]
                entries: dict[tuple, list] = {}
                for row in rows:
                    entries.setdefault(row[1][:2], []).append(row)
                together = [row for whole in entries.values() for row in whole]
                assert told(LedgerFolder.open(place), together=True) == (together, [])


def test_plain_files_are_read_in_pieces(place, monkeypatch):
    """What is plain never comes to be read row by row."""
    data = io.StringIO()
    csv.writer(data).writerows([["A", f"E{at}", *CELLS[:7]] for at in range(500)])
    (place / "entries.csv").write_text(f"{HEADER}\n{data.getvalue()}", newline="")
    monkeypatch.setattr(ledger_folder, "CHUNK", 1_000)
    monkeypatch.setattr(LedgerFolder, "_blocks", lambda *_: pytest.fail("read row by row"))
    rows, errors = told(LedgerFolder.open(place))
    assert len(rows) == 500 and rows[-1][0] == 501 and not errors
