"""Cutting of long lists: every row is in one piece, and one who asks for a piece gets what a page left out."""

from types import SimpleNamespace

import pytest
from django.http import QueryDict

from rulka.ledger.pages.pieces import MANY, ListPieces


def cutter(query: str = "") -> ListPieces:
    seat = SimpleNamespace(ledger=SimpleNamespace(code="L"), period=SimpleNamespace(code="2026-P01"), node="TF")
    return ListPieces(SimpleNamespace(GET=QueryDict(query)), seat)


@pytest.mark.parametrize("rows", [0, 1, 59, 60, MANY, MANY + 1, 180, 181, 500, 5000])
def test_every_row_is_in_one_piece(rows):
    pieces = cutter().cut(rows)
    assert [row for piece in pieces for row in range(piece.start, piece.stop)] == list(range(rows))
    assert all(piece.count for piece in pieces)
    assert [piece.number for piece in pieces] == list(range(len(pieces)))


def test_a_page_writes_its_first_rows_and_what_is_needed_only():
    cut = cutter()
    first, second = cut.cut(1000, needed=700), cut.cut(1000)
    assert [piece.number for piece in first if piece.written] == [0, 6] and first[6].start <= 700 < first[6].stop
    assert not any(piece.written for piece in second)
    assert all(piece.written for piece in cutter("piece=all").cut(1000))
    asked = cutter("piece=3")
    assert [piece.number for piece in asked.cut(1000) if piece.written] == [3]
