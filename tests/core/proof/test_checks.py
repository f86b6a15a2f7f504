"""What checks say together: a statement foots only where what matters was judged and holds."""

from __future__ import annotations

import pytest

from rulka.core.errors import first_of
from rulka.core.proof.checks import ADDS_UP, CORE, FAILS, FOOTS, HOLDS, NOT_JUDGED, WARNS, Check, verdict_on

ALL = [Check(code, HOLDS) for code in CORE]


def test_it_foots_where_all_that_matters_was_judged_and_holds():
    told = verdict_on(ALL)
    assert (told.text, told.exit_code, told.stands) == (FOOTS, 0, True)
    assert verdict_on([*ALL, Check("result", HOLDS)]).stands


@pytest.mark.parametrize("missing", CORE)
def test_without_one_of_these_nothing_is_said_to_foot(missing):
    told = verdict_on([check for check in ALL if check.code != missing])
    assert not told.stands and (told.text, told.exit_code) == ("Not judged: nothing", 4)


def test_what_places_nothing_by_design_adds_up_where_its_totals_were_judged():
    assert verdict_on([Check("totals", HOLDS)]).text == ADDS_UP
    assert not verdict_on([Check("result", HOLDS)]).stands
    for code in ("placed", "placed-once", "ledger-tie"):
        assert not verdict_on([Check("totals", HOLDS), Check(code, HOLDS)]).stands


@pytest.mark.parametrize(
    ("state", "words", "code"), [(FAILS, "Fails", 3), (WARNS, "Warns", 4), (NOT_JUDGED, "Not judged", 4)]
)
def test_what_doesnt_hold_is_named(state, words, code):
    told = verdict_on([*ALL, Check("columns", state), Check("own-check", state, title="Own"), Check("columns", state)])
    assert (told.text, told.exit_code) == (f"{words}: The columns are complete, Own", code)
    assert not told.stands


def test_the_gravest_comes_first_and_decides():
    told = verdict_on([Check("columns", NOT_JUDGED), Check("result", WARNS), Check("totals", FAILS)])
    assert told.text == "Fails: Totals foot. Warns: The result ties. Not judged: The columns are complete"
    assert told.exit_code == 3
    assert Check("totals", HOLDS).ok and not Check("totals", WARNS).ok


@pytest.mark.parametrize(("count", "told"), [(0, ""), (2, "0; 1"), (3, "0; 1; and 1 more"), (5, "0; 1; and 3 more")])
def test_the_first_are_named_and_the_others_counted(count, told):
    assert first_of([str(at) for at in range(count)], 2, "; ") == told
    assert first_of([str(at) for at in range(count)], 2) == told.replace("; and", " and").replace(";", ",")
