"""Tables of made ledgers are found again: their columns, node and scale, their structure, the accounts of each line."""

from __future__ import annotations

import numpy as np
import pytest

from rulka.core.rebuild.proposing import TableProposal, proposed
from rulka.core.rebuild.statement import bodies_of, odd_cells
from rulka.core.rebuild.structure import structure_of
from tests.core.rebuild.world import COLUMNS, Yard, table_of, yard

CENTS = [(seed, ordered) for seed in range(6) for ordered in (True,)]


def found_groups(made: Yard, proposal: TableProposal) -> tuple[int, int, int]:
    """(lines whose selection holds just the accounts of their group, lines that are called sure, wrong ones of these).
    Accounts without figures in the table's company don't count."""
    codes = sorted(one["code"] for one in made.works.accounts)
    booked = {one.account for one in made.works.lines if one.entity == proposal.found.node}
    right = sure = wrong = 0
    for line, group in zip(proposal.lines, made.groups, strict=False):
        accounts = selected(line.selection, codes) & booked if line.selection else set()
        is_right = accounts == set(group) & booked
        right += is_right
        sure += line.state == "sure"
        wrong += line.state == "sure" and not is_right
    return right, sure, wrong


def selected(text: str, codes: list[str]) -> set[str]:
    """The accounts of a range, a prefix or a code; read here by hand."""
    plain = text.replace('"', "")
    if " to " in plain:
        first, _, last = plain.partition(" to ")
        return {code for code in codes if first <= code <= last}
    if plain.endswith("*"):
        return {code for code in codes if code.startswith(plain[:-1])}
    return {plain} & set(codes)


@pytest.mark.parametrize(("seed", "ordered"), CENTS)
def test_a_table_in_cents_is_found_whole(seed, ordered):
    made = yard(seed, ordered=ordered)
    columns = ["month", "budget", "year", "before"]
    proposal = proposed(table_of(made, "A", columns), made.view())
    assert (proposal.found.node, proposal.found.scale) == ("A", 0)
    calendar = made.works.fiscal_calendar()
    for name, reading in zip(columns, proposal.readings, strict=True):
        scenario, months = COLUMNS[name]
        assert reading is not None and (reading.scenario, reading.measure) == (scenario, "activity")
        periods = [calendar.periods[place] for place in range(reading.first, reading.last + 1)]
        assert [(one.start.year, one.start.month) for one in periods] == months
    assert proposal.lines[-1].kind == "total" and len(proposal.lines[-1].of) == len(made.groups)
    bodies = bodies_of(table_of(made, "A", columns), proposal, made.view(), "Again")
    assert odd_cells(table_of(made, "A", columns), proposal, bodies, made.view()) == []
    right, sure, wrong = found_groups(made, proposal)
    assert (right, wrong) == (len(made.groups), 0) and sure == len(made.groups)


def test_structure_is_read_from_figures_alone():
    #        a  b  total  c  d  total  result = first - second
    rows = [[5, 7], [3, 1], [8, 8], [2, 2], [4, 1], [6, 3], [2, 5], [0, 0]]
    shown = np.ones((8, 2), dtype=bool)
    shown[7] = False
    parts = structure_of(np.array(rows, dtype=np.int64), shown, rounded=np.zeros(2, dtype=bool))
    assert [one.kind for one in parts] == ["line", "line", "total", "line", "line", "total", "calculation", "words"]
    assert parts[2].of == ((0, 1), (1, 1)) and parts[6].of == ((2, 1), (5, -1))


def test_rounded_totals_may_be_off_by_half_a_step_a_part():
    rows = np.array([[3, 3], [3, 3], [3, 3], [10, 10]], dtype=np.int64)  # 3.4 + 3.4 + 3.4 = 10.2
    shown = np.ones((4, 2), dtype=bool)
    assert structure_of(rows, shown, rounded=np.ones(2, dtype=bool))[3].kind == "total"
    assert structure_of(rows, shown, rounded=np.zeros(2, dtype=bool))[3].kind == "line"
