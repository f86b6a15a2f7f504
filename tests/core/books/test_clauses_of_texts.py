"""Which plain texts of journal lines, such as sources, pass what was written about them."""

from __future__ import annotations

import pytest

from rulka.core.books.narrowing import matches_text, parse_narrowing, read_narrowing

SOURCES = ("", "pay", "pay-run", "shop", "web")


@pytest.mark.parametrize(
    ("text", "passing"),
    [
        ("source: pay", ["pay"]),
        ("source: pay*", ["pay", "pay-run"]),
        ("source: not pay*", ["", "shop", "web"]),
        ("source: pay*; source: not pay", ["pay-run"]),
        ("source: not pay; source: not web", ["", "pay-run", "shop"]),
        ("counterparty: pay", list(SOURCES)),
        ("source: web; counterparty: pay", ["web"]),
        ("source: nowhere", []),
    ],
)
def test_clauses_of_a_name_all_have_to_be_passed(text, passing):
    clauses = read_narrowing(text).clauses
    mask = matches_text(clauses, "source", SOURCES)
    assert [value for value, inside in zip(SOURCES, mask, strict=True) if inside] == passing


def test_an_empty_text_heads_no_others():
    """Codes without a parent stand below none, not below the empty one."""
    assert matches_text(read_narrowing("source: under:pay").clauses, "source", SOURCES).tolist() == [
        False, True, False, False, False
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("written", "plain"),
    [
        ("40", "40"), ("not 4*", "not 4*"), ("account: 40", "40"), ("40;department:d", "40; department: d"),
        ("department: not under:s; source: shop, web", "department: not under:s; source: shop, web"),
        ('source: "a;b"; "x;"', 'source: "a;b"; "x;"'),
    ],
)  # fmt: skip
def test_a_narrowing_is_written_plainly(written, plain):
    assert read_narrowing(written).text() == plain
    assert read_narrowing(plain).text() == plain


def test_a_semicolon_in_quotes_ends_no_clause():
    clauses = parse_narrowing.__wrapped__('source: "a;b";4*; kind: opening').clauses  # nothing kept from before
    assert [(clause.name, clause.selection.text()) for clause in clauses] == [
        ("source", '"a;b"'), ("account", "4*"), ("kind", "opening")]  # fmt: skip
