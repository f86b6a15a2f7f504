"""Definition files: what is read, what is refused and how, and the way there and back."""

from __future__ import annotations

from pathlib import Path

import pytest

from rulka.core.errors import RulkaError
from rulka.formats.definition_file import read_definitions, write_definitions

SHIPPED = sorted((Path(__file__).parent.parent.parent / "demo" / "definitions").glob("*.yaml"))


@pytest.mark.parametrize("path", SHIPPED, ids=lambda path: path.stem)
def test_shipped_definitions_read_write_and_read_the_same(path):
    bodies = read_definitions(path.read_text())
    text = write_definitions(bodies)
    assert read_definitions(text) == bodies
    assert write_definitions(read_definitions(text)) == text


def test_every_scalar_is_text():
    (spine,) = read_definitions(
        "spine: s\nlines:\n  - line: NO\n    accounts: 0100\n  - line: 12:30\n    accounts: 1_000\n"
    )
    assert [(line["line"], line["accounts"]) for line in spine["lines"]] == [("NO", "0100"), ("12:30", "1_000")]
    assert read_definitions(write_definitions([spine])) == [spine]


LINE = "spine: s\nlines:\n  - line: Fuel\n    accounts: '61*'\n"
REFUSED = {
    "nothing": ("", "holds no definition"),
    "not YAML": ("spine: [s", "f.yaml, line 1, character 10: Not readable as YAML"),
    "no kind": ("lines: []", "neither a spine, a span, a scope nor a statement"),
    "a list": ("- a", "neither a spine, a span, a scope nor a statement"),
    "unknown setting": (LINE + "    colour: red\n", "spine s, line Fuel: Unknown settings ('colour' was unexpected)"),
    "unknown sign": (LINE + "    sign: up\n", "spine s, line Fuel, sign: 'up' is not one of as booked, flipped"),
    "missing accounts": ("spine: s\nlines:\n  - line: Fuel\n", "spine s, line Fuel: 'accounts' is missing"),
    "no kind of line": (
        "spine: s\nlines:\n  - accounts: '1'\n",
        "spine s, 0: This should be one of section, line, calculation, heading, text, spacer, page break, check",
    ),
    "no lines": ("spine: s\n", "spine s: 'lines' is missing"),
    "bad name": ("spine: My spine\nlines:\n  - heading: x\n", "'My spine' is not written as it must be"),
    "key twice": ("spine: s\nspine: t\n", "'spine' is written twice"),
    "alias": ("spine: s\nlines: &a\n  - heading: x\ntitle: *a\n", "aliases are not used"),
    "difference of one": ("span: s\ncolumns:\n  - column: a\n    difference: [b]\n", "span s, column a, difference"),
    "difference with a window": (
        "span: s\ncolumns:\n  - column: a\n    difference: [b, c]\n    window: year\n",
        "span s, column a: Unknown settings ('window' was unexpected)",
    ),
    "deep line": (
        "spine: s\nlines:\n  - section: S\n    lines:\n      - line: Fuel\n        accounts: ''\n",
        "spine s, section S, line Fuel, accounts: This must not be empty",
    ),
    "tag": ("spine: !!python/object:os.system x\n", "Not readable as YAML"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_broken_file_is_refused_with_its_place(case):
    text, message = REFUSED[case]
    with pytest.raises(RulkaError) as caught:
        read_definitions(text, "f.yaml")
    assert message in str(caught.value)


REFUSED_BY_LOADING = {
    LINE.replace("61*", "61* to"): "line Fuel: At character 7 of the selection: expected the code that ends the range",
    LINE + "---\nstatement: t\nspine: s\nspan: none\n": "The span 'none' does not exist",
    "span: s\ncolumns:\n  - column: a\n    difference: [b, c]\n": "span s, column a: It works on 'b', which is no "
    "column to the left of it",
    "span: s\ncolumns:\n  - column: a\n    window: decade\n": "span s, column a: 'decade' is not a window. Use "
    "period, quarter",
    "span: s\ncolumns:\n  - column: a\n    shift: last year\n": "'last year' is not a shift. Write -1 year",
    "span: s\ncolumns:\n  - column: a\n    heading: '{perod.end}'\n": "'{perod.end}' is no token of a heading. "
    "Did you mean period.end",
    "scope: s\nnodes:\n  - node: a\n    of: 'entity TF'\n": "scope s, node a: At character 8 of the selection",
    "spine: s\nlines:\n  - calculation: a\n    formula: Fule + 1\n  - line: Fuel\n    accounts: "
    "'5*'\n": "line a: No line is called 'Fule'. Did you mean Fuel?",
    "spine: s\nlines:\n  - heading: a\n    key: k\n  - heading: b\n    key: k\n": "The key 'k' is used twice",
    "span: s\ncolumns:\n  - column: a\n    scenario: bugdet\n": "column a: Scenario 'bugdet' does not exist in "
    "this ledger.",
    "span: s\ncolumns:\n  - column: a\n    then: forcast\n": "column a: Scenario 'forcast' does not exist in this "
    "ledger.",
    "span: s\ncolumns:\n  - column: a\n    narrow: 'deparment: "
    "1'\n": "column a: 'deparment' is nothing that a selection can narrow.",
    "span: s\ncolumns:\n  - series: a\n    each: crossing\n": "column a: There is no series of each 'crossing'.",
    "scope: s\nnodes:\n  - grow: crossing\n": "node crossing: No nodes grow from 'crossing'.",
    "scope: s\nnodes:\n  - {node: a, of: 'crossing: x'}\n": "node a: 'crossing' is nothing that a selection can "
    "narrow.",
    LINE + "    scenario: plan\n": "line Fuel: Scenario 'plan' does not exist in this ledger.",
    LINE + "    expand: [entries, accounts]\n": "line Fuel: Nothing expands entries further. Put entries last.",
    LINE + "    expand: crossing\n": "line Fuel: It can't be expanded by 'crossing'.",
    LINE.replace("61*", "61*; crossing: N"): "line Fuel: 'crossing' is nothing that a selection can narrow.",
    "spine: s\nlines:\n  - {calculation: a, formula: b + 1}\n  - {calculation: b, formula: a * "
    "2}\n": "line a: Calculations go in a circle: a > b > a.",
    "spine: s\nlines:\n  - {section: S, lines: [{line: a, accounts: '5*'}], total: T}\n  - {calculation: b, "
    "formula: T + b}\n": "line b: Calculations go in a circle: b > b.",
}
"""Texts, and what is said of each."""


@pytest.mark.django_db
def test_commands_refuse_and_change_nothing(small, command, tmp_path):
    from django.core.management.base import CommandError

    from rulka.statements.models import Definition

    command("load_ledger", small(), ledger="s")
    file = tmp_path / "x.yaml"
    for text, message in REFUSED_BY_LOADING.items():
        file.write_text(text)
        with pytest.raises(CommandError) as caught:
            command("load_statement", file, ledger="s")
        assert message in str(caught.value)
        assert not Definition.objects.filter(ledger__code="s").exists()
    for name, options in {
        "run_statement": {"period": "2025-P01"},
        "dump_statement": {},
        "footing": {"period": "2025-P01"},
    }.items():
        with pytest.raises(CommandError, match="The statement 'none' does not exist"):
            command(name, "none", ledger="s", **options)
    with pytest.raises(CommandError, match=r"nowhere\.yaml does not exist"):
        command("load_statement", tmp_path / "nowhere.yaml", ledger="s")


def test_footing_command_ends_with_3_when_a_check_fails(ternwick, command):
    options = {"ledger": "ternwick", "period": "2027-P07"}
    with pytest.raises(SystemExit) as caught:
        command("footing", "income-statement", **options)
    assert caught.value.code == 3
    told = command("footing", "balance-sheet", **options)
    assert told.count("holds  ") >= 5 and told.endswith("Foots: every check holds\n")
