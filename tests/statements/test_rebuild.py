"""Finished statements of the demo, given as files without a hint, are found again by the command."""

from __future__ import annotations

import json

import pytest
from django.core.management import CommandError

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize(
    ("name", "node", "period"), [("income-statement", "TF", "2027-P06"), ("balance-sheet", "NF", "2027-P07")]
)
def test_a_file_becomes_the_statement_that_shows_it(ternwick, command, tmp_path, name, node, period):
    file = tmp_path / "table.csv"
    command("run_statement", name, ledger="ternwick", node=node, period=period, format="csv", out=file)
    told = json.loads(command("rebuild", file, ledger="ternwick"))
    assert told["found"] == {"node": node, "period": period, "scale": 0} and told["cells"] == []
    assert {one["state"] for one in told["columns"]} == {"found"}
    assert {one["state"] for one in told["lines"]} <= {"sure", "total", "words"}
    # its texts load, and show the same a month before as what it was made of
    text = command("rebuild", file, ledger="ternwick", format="yaml", title="Again")
    again = tmp_path / "again.yaml"
    again.write_text(text)
    command("load_statement", again, ledger="ternwick")
    former = {"ledger": "ternwick", "node": node, "period": f"{period[:-1]}{int(period[-1]) - 1}", "format": "json"}
    first, second = (json.loads(command("run_statement", one, **former)) for one in (name, "again"))
    sums = {line["label"]: line["values"] for line in second["lines"]}
    same = [line for line in first["lines"] if line["label"] in sums and line["kind"] in ("line", "total")]
    columns = [at for at, one in enumerate(first["columns"]) if one["key"] in ("actual", "ytd-actual", "now")]
    assert len(same) > 10 and columns
    for line in same:
        for at in columns:
            assert sums[line["label"]][at] == line["values"][at], line["label"]


def test_what_is_doubtful_or_not_found_ends_with_3(ternwick, command, tmp_path):
    file = tmp_path / "table.csv"
    command("run_statement", "balance-sheet", ledger="ternwick", node="TF", period="2027-P07", format="csv", out=file)
    text = file.read_text().replace("\nReceivables,", "\nReceivables,1", 1)
    assert text != file.read_text()
    file.write_text(text)
    with pytest.raises(SystemExit) as ended:
        command("rebuild", file, ledger="ternwick")
    assert ended.value.code == 3
    file.write_text("Line,A\nWords,and\nno,figures\n")
    with pytest.raises(CommandError, match="No column of figures"):
        command("rebuild", file, ledger="ternwick")
