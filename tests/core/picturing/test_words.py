"""Words on drawings: their widths are those of the shipped font, and what is fitted never takes more room than it
has."""

from fractions import Fraction as F

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.picturing.letters import WIDTHS
from rulka.core.picturing.words import PLAIN, STRONG, broken, fitted, widest, width
from rulka.web.styles.letters import widths_of

TEXTS = st.text(st.sampled_from(" abcMWi.,0189-−–ÅÄéß☃"), max_size=60)


@pytest.mark.parametrize("weight", [PLAIN, STRONG])
def test_widths_are_those_of_the_shipped_font(weight: int) -> None:
    assert WIDTHS[weight] == widths_of(weight)


def test_figures_are_equally_wide_so_that_they_stand_under_each_other() -> None:
    assert len({WIDTHS[weight][digit] for weight in WIDTHS for digit in "0123456789−"}) == len(WIDTHS)


def test_a_text_is_as_wide_as_its_letters() -> None:
    a, m = WIDTHS[PLAIN]["a"], WIDTHS[PLAIN]["M"]
    assert width("aM", 14) == F((a + m) * 14, 1000)
    assert width("a☃", 10) == F((a + max(WIDTHS[PLAIN].values())) * 10, 1000), "a letter the font lacks"
    assert widest(["a", "aM", ""], 14) == width("aM", 14) and widest([], 14) == 0


@given(text=TEXTS, room=st.integers(0, 300), weight=st.sampled_from([PLAIN, STRONG]))
def test_a_fitted_text_never_takes_more_than_its_room(text: str, room: int, weight: int) -> None:
    short = fitted(text, room, 13, weight)
    assert width(short, 13, weight) <= room
    assert short == text if width(text, 13, weight) <= room else short in ("", text[: len(short) - 1] + "…")


@given(text=TEXTS, room=st.integers(20, 300), lines=st.integers(1, 4))
def test_a_broken_text_keeps_its_words_its_lines_and_its_room(text: str, room: int, lines: int) -> None:
    made = broken(text, room, 13, lines=lines)
    assert len(made) <= lines
    assert all(width(line, 13) <= room for line in made)
    whole = " ".join(text.split())
    said = " ".join(made)
    assert said == whole or (said.endswith("…") and whole.startswith(said[:-1]))


def test_a_long_name_breaks_between_words_and_is_marked_where_it_ends() -> None:
    name = "Norrsund Fraktlinje Shipping and Forwarding, branch of the Northern Islands"
    made = broken(name, 120, 13, lines=2)
    assert made[0] == "Norrsund Fraktlinje" and made[1].endswith("…") and len(made) == 2
