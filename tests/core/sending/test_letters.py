"""Texts with tokens, addresses, and names of files."""

from __future__ import annotations

import re
from pathlib import PurePosixPath, PureWindowsPath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.core.sending.letters import (
    LetterToken,
    addresses_in,
    file_name,
    filled,
    folder_parts,
    letter_from,
    one_line,
    tokens_in,
)

FUEL = LetterToken("figure", ("income-statement", "fuel", "actual"))


def test_tokens_are_read_and_filled_in():
    letter = letter_from(
        "{node}, {period}: {figure income-statement/fuel /actual} thousand. {node}", where="subject"
    )  # fmt: skip
    assert tokens_in([letter]) == [LetterToken("node"), LetterToken("period"), FUEL]
    values = {LetterToken("node"): "Deck", LetterToken("period"): "October 2026", FUEL: "−466.3"}
    assert filled(letter, values.get, where="subject") == "Deck, October 2026: −466.3 thousand. Deck"
    assert FUEL.text == "{figure income-statement / fuel / actual}"
    assert letter_from(FUEL.text, where="x") == (FUEL,)
    # what is filled in is never read again
    twice = letter_from("{node} {period}", where="subject")
    assert (
        filled(twice, {LetterToken("node"): "{period}", LetterToken("period"): "{node}"}.get, where="x")
        == "{period} {node}"
    )


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("{nodes}", "Did you mean"),
        ("{}", "is no token"),
        ("{node", "brace"),
        ("node}", "brace"),
        ("{{node}}", "brace"),
        ("{figure income-statement / fuel}", "figure statement / line / column"),
        ("{figure a / / b}", "figure statement / line / column"),
        ("{figure}", "figure statement / line / column"),
        ("{cell sums}", "cell worksheet / place"),
        ("{table income-statement}", "text of a letter only"),
        ("x" * 30_000, "20,000 characters"),
        ("{node}" * 300, "200 tokens"),
    ],
)
def test_what_is_no_token_is_told(text, told):
    with pytest.raises(RulkaError, match=told):
        letter_from(text, where="subject")


def test_a_table_stands_in_the_text():
    assert letter_from("{table income-statement}", where="text", tables=True) == (
        LetterToken("table", ("income-statement",)),
    )


def test_nothing_is_sent_while_a_token_has_no_value():
    letter = letter_from("{node}: {figure a / b / c}", where="subject")
    for value in (None, "", "  "):
        with pytest.raises(RulkaError, match=r"\{figure a / b / c\} has no value"):
            filled(
                letter,
                {LetterToken("node"): "Deck", LetterToken("figure", ("a", "b", "c")): value}.get,
                where="subject",
            )
    with pytest.raises(RulkaError, match=r"\{node\}, \{figure a / b / c\} have no value"):
        filled(letter, lambda token: None, where="subject")


def test_one_line_is_one_line():
    assert one_line(" Deck, October: −466.3 ", where="subject") == "Deck, October: −466.3"
    for text in ("a\nb", "a\r\nBcc: x@example.org", "a\x00b", "a\u2028b", "a\x85b", "", "  ", "x" * 300):
        with pytest.raises(RulkaError):
            one_line(text, where="subject")


def test_addresses():
    assert addresses_in("", where="to") == ()
    assert addresses_in(" deck.lead@Ternwick.Example; a+b@example.org, deck.lead@ternwick.example,", where="to") == (
        "deck.lead@ternwick.example", "a+b@example.org"
    )  # fmt: skip
    for text in ("nobody", "a@b", "a b@example.org", "<a@example.org>", "a@example.org\r\nBcc: b@example.org",
                 "a@@example.org", ".a@example.org", "a@-example.org", "a@example..org", '"a"@example.org',
                 "a@example.org>", "ä@example.org", "a@" + "x" * 300 + ".org"):  # fmt: skip
        with pytest.raises(RulkaError):
            addresses_in(text, where="to")


@given(st.text(max_size=300), st.sampled_from(["pdf", "xlsx"]))
def test_a_file_name_is_one_everywhere(text, ending):
    name = file_name(text, ending)
    assert name.endswith(f".{ending}") and len(name) <= 120 + len(ending)
    assert PurePosixPath(name).name == name and PureWindowsPath(name).name == name
    assert not name.startswith((".", " ", "-")) and not re.search(r"[\x00-\x1f]", name)
    assert file_name(name.removesuffix(f".{ending}"), ending) == name, "made again it is the same"


def test_file_names_by_hand():
    assert file_name("Deck/2026-10: final?", "pdf") == "Deck-2026-10- final.pdf"
    assert file_name("../../etc/passwd", "csv") == "etc-passwd.csv"
    assert file_name("", "csv") == "file.csv" and file_name("CON", "csv") == "file-CON.csv"
    assert file_name("Übersicht\u202efdp", "pdf") == "Übersicht-fdp.pdf"


def test_folders_stay_below():
    assert folder_parts("finance/2026-10", where="folder") == ("finance", "2026-10")
    assert folder_parts("finance\\a:b", where="folder") == ("finance", "a-b")
    for text in ("..", "../x", "a/../b", "/etc", "a//b", "C:\\x", "a/./b", "", "a\nb"):
        with pytest.raises(RulkaError):
            folder_parts(text, where="folder")
