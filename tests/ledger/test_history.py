"""Any split and order of loads gives the balances of one load of the final state; former revisions come back as they
were."""

from __future__ import annotations

import csv
import io
import itertools
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.ledger.feeds import asking, pulling
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import changes_between, view_at
from rulka.people.models import Person
from standins.ledger_service import SECRET, start
from tests.conftest import SMALL, table
from tests.formats.intake.test_ledger_source import workbook, zipped
from tests.lengths import several
from tests.oracle import Oracle

pytestmark = pytest.mark.django_db
COLUMNS = [
    "entity",
    "entry",
    "line",
    "date",
    "account",
    "department",
    "debit",
    "credit",
    "description",
    "kind",
    "status",
    "partner_entity",
    "modified_at",
]
DAYS = ["2025-01-05", "2025-07-09", "2025-12-31", "2026-01-01", "2026-03-15", "2026-11-30"]
ACCOUNTS = ["1000", "1100", "2000", "3000", "4000", "4100", "5000", "5100"]


def text_of(rows) -> str:
    file = io.StringIO()
    writer = csv.writer(file)
    writer.writerow(COLUMNS)
    writer.writerows(rows)
    return file.getvalue()


def entry(number: int, version: int, *, when: int) -> list[list[str]]:
    """A balanced entry; its version decides what it says, `when` its modified_at."""
    own = random.Random(number * 1000 + version)
    entity = random.Random(number * 1000).choice(["A", "B"])
    day, kind = own.choice(DAYS), own.choice(["", "", "", "opening", "closing"])
    status = own.choice(["", "", "pending"])
    amounts = [own.randrange(1, 99_999) for _ in range(own.randrange(1, 4))]
    moment = f"2026-11-01T00:{when // 60:02d}:{when % 60:02d}+00:00"
    rows = []
    for at, cents in enumerate([*amounts, -sum(amounts)], 1):
        text = f"{abs(cents) // 100}.{abs(cents) % 100:02d}"
        partner = own.choice(["", "", "B" if entity == "A" else "A"])
        rows.append(
            [
                entity,
                f"N{number}",
                str(at),
                day,
                own.choice(ACCOUNTS),
                own.choice(["", "10", "20"]),
                text if cents > 0 else "",
                text if cents < 0 else "",
                f"v{version}",
                kind,
                status,
                partner,
                moment,
            ]
        )
    return rows


EXAMPLE = itertools.count()
LOADS = st.tuples(
    st.sampled_from(["folder", "zip", "workbook", "table", "service"]),
    st.lists(st.tuples(st.integers(1, 8), st.integers(0, 3)), min_size=1, max_size=6),
)
PLANS = st.lists(LOADS, min_size=2, max_size=5)
FIELDS = [name for name in COLUMNS if name != "modified_at"]
SERVICE = {
    "entity": "Company",
    "entry": "Voucher",
    "line": "LineNo",
    "date": "PostingDate",
    "account": "Account",
    "department": "Department",
    "debit": "Debit",
    "credit": "Credit",
    "description": "Text",
    "partner_entity": "PartnerCompany",
    "status": "State",
    "kind": "Kind",
}


def _from_table(ledger: Ledger, folder: Path, person: Person, blind: bool) -> Any:
    feed = {"name": f"table {ledger.revision} {ledger.feeds.count()}", "kind": "table"}
    names = FIELDS if blind else COLUMNS
    mapping = {
        "table": "entries",
        "date": "YYYY-MM-DD",
        "number": "1234.56",
        "amounts": "debit and credit",
        "fields": {name: {"columns": [name]} for name in names},
    }
    made = feed_settings.save_feed(ledger, feed | {"mapping": mapping})
    load = asking.ask(
        made, person=person, upload=io.BytesIO((folder / "entries.csv").read_bytes()), upload_name="part.csv"
    )
    pulling.run(load.pk)
    return load


def _from_service(ledger: Ledger, folder: Path, person: Person, blind: bool) -> Any:
    feed = {"name": f"service {ledger.revision} {ledger.feeds.count()}", "kind": "service"}
    running = start(folder)
    fields = SERVICE if blind else SERVICE | {"modified_at": "ModifiedAt"}
    sets = {"entries": {"set": "JournalLines", "fields": fields, "keys": ["Company", "Voucher", "LineNo"]}}
    made = feed_settings.save_feed(
        ledger,
        feed | {"location": running.address, "mapping": sets, "options": {"sign_in": {"kind": "bearer"}}},
    )
    feed_settings.keep_secret(made, SECRET)
    load = asking.ask(made, person=person)
    pulling.run(load.pk)
    running.shutdown()
    running.server_close()
    return load


def bring(source: str, folder: Path, code: str, command, *, blind: bool) -> None:
    """Load a folder's entries in one of the ways that a ledger can be loaded; the first time it is made from the
    folder."""
    ledger = Ledger.objects.filter(code=code).first()
    if source == "folder" or ledger is None:
        command("load_ledger", folder, ledger=code)
    elif source == "zip":
        command("load_ledger", zipped(folder, folder.parent / "part.zip"), ledger=code)
    elif source == "workbook":
        command("load_ledger", workbook(folder, folder.parent / "part.xlsx"), ledger=code)
    else:
        person, _ = Person.objects.get_or_create(username="maker", defaults={"role": Person.Role.ACCOUNTANT})
        load = (_from_table if source == "table" else _from_service)(ledger, folder, person, blind)
        load.refresh_from_db()
        if load.state == "held":  # a load without news asks nobody
            asking.accept(load, person=person)
            pulling.run(load.pk)
            load.refresh_from_db()
        assert load.state == "accepted", load.report


def trial_balances(command, code: str, **options) -> list[str]:
    return [
        command("trial_balance", "--from", first, "--to", last, *pending, ledger=code, **options)
        for first, last in (("2025-P01", "2025-P12"), ("2026-P01", "2026-P12"), ("2025-P07", "2026-P03"))
        for pending in ([], ["--with-pending"])
    ]


@settings(max_examples=several(15), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(plan=PLANS, blind=st.booleans())
def test_any_split_and_order_of_loads_gives_the_final_state_and_keeps_the_former_ones(plan, blind, small, command):
    """Each load, by some source, brings entries in some version, again or corrected; `blind` leaves modified_at out:
    the later load wins."""
    split, whole = (f"{name}-{next(EXAMPLE)}" for name in ("split", "whole"))
    final, former, newest = {}, [], {}
    for source, load in plan:
        chosen = dict(load)
        rows = []
        for number, version in chosen.items():
            lines = entry(number, version, when=version)
            if blind:
                lines = [[*line[:-1], ""] for line in lines]
            if blind or version >= newest.get(number, -1):
                final[number], newest[number] = lines, version
            rows += lines
        bring(source, small("part", entries__csv=text_of(rows), budgets__csv=None), split, command, blind=blind)
        revision = Ledger.objects.get(code=split).revision
        former.append((revision, trial_balances(command, split)))
    command(
        "load_ledger",
        small("whole", entries__csv=text_of([row for lines in final.values() for row in lines]), budgets__csv=None),
        ledger=whole,
    )
    assert trial_balances(command, split) == trial_balances(command, whole)
    for revision, told in former:
        assert trial_balances(command, split, revision=revision) == told


def test_split_loads_agree_with_the_oracle_too(small, command):
    rows = [row for number in range(1, 30) for row in entry(number, number % 4, when=1)]
    for part in range(3):
        command(
            "load_ledger",
            small("part", entries__csv=text_of([row for row in rows if int(row[1][1:]) % 3 == part])),
            ledger="s",
        )
    oracle = Oracle(small("whole", entries__csv=text_of(rows)))
    for entity in ("A", "B"):
        expected = oracle.trial_balance(entity, (2026, 1), (2026, 11))
        found = table(command("trial_balance", "--from", "2026-P01", "--to", "2026-P11", ledger="s", entity=entity))
        names = ("opening", "debits", "credits", "closing")
        assert {row["account"]: [float(row[name]) for name in names] for row in found} == {
            code: [float(value) for value in values] for code, values in expected.items()
        }


def test_former_types_parents_members_and_settings_come_back(small, command):
    """A changed account type changes the roll, so a former trial balance needs the former type."""
    folder = small()
    command("load_ledger", folder, ledger="s")
    before = trial_balances(command, "s")
    settings_ = {**SMALL["ledger.json"], "retained_earnings": "3000", "dimensions": ["department", "project"]}
    accounts = (
        SMALL["accounts.csv"]
        .replace("5000,Wages,expense,,", "5000,Pay,asset,,1000")
        .replace("4100,Other sales,revenue,,4000", "4100,Other sales,revenue,,")
    )
    members = SMALL["members.csv"].replace("department,11,Counter,10", "department,11,Till,20") + "project,p1,First,\n"
    entries = SMALL["entries.csv"].splitlines()[0] + "\n"
    command(
        "load_ledger",
        small("two", ledger__json=settings_, accounts__csv=accounts, members__csv=members, entries__csv=entries),
        ledger="s",
    )
    after = trial_balances(command, "s")
    assert after != before
    assert trial_balances(command, "s", revision=1) == before
    ledger = Ledger.objects.get(code="s")
    old, new = view_at(ledger, 1, NO_FENCE).frame, view_at(ledger, 2, NO_FENCE).frame
    assert (old.accounts["5000"].name, old.accounts["5000"].type, old.accounts["4100"].parent) == (
        "Wages",
        "expense",
        "4000",
    )
    assert (new.accounts["5000"].name, new.accounts["5000"].type, new.accounts["4100"].parent) == ("Pay", "asset", "")
    assert (old.dimensions["department"]["11"].parent, new.dimensions["department"]["11"].parent) == ("10", "20")
    assert list(old.dimensions) == ["department"] and list(new.dimensions) == ["department", "project"]
    assert (old.retained_earnings, new.retained_earnings) == ("3200", "3000")


def test_unknown_revision_is_told(small, command):
    from django.core.management.base import CommandError

    command("load_ledger", small(), ledger="s")
    with pytest.raises(CommandError, match="Revision 7 does not exist. The newest is 1"):
        command("trial_balance", "--from", "2025-P01", "--to", "2025-P12", ledger="s", revision=7)


def test_what_changed_between_revisions_lists_entries_sums_and_master_data(small, command):
    command("load_ledger", small(), ledger="s")
    header, *rows = SMALL["entries.csv"].splitlines(keepends=True)
    corrected = "".join(row.replace("30.00", "45.00") for row in rows if ",E2," in row)
    fresh = "A,E9,1,2026-02-01,1000,,9.00,,new,,,,\nA,E9,2,2026-02-01,4000,,,9.00,new,,,,\n"
    accounts = SMALL["accounts.csv"].replace("5100,Rent", "5100,Hire") + "5200,Power,expense,,\n"
    command("load_ledger", small("two", entries__csv=header + corrected + fresh, accounts__csv=accounts), ledger="s")
    ledger = Ledger.objects.get(code="s")

    view = view_at(ledger, 2, NO_FENCE)
    found = changes_between(view, ledger, 1, 2)
    assert [(e.number, e.what, e.lines_new, e.lines_gone) for e in found.entries] == [
        ("E2", "changed", 2, 2),
        ("E9", "new", 2, 0),
    ]
    assert {(s.account, s.period): s.net for s in found.sums} == {
        ("1000", "2025-P02"): "-15.00",
        ("5000", "2025-P02"): "15.00",
        ("1000", "2026-P02"): "9.00",
        ("4000", "2026-P02"): "-9.00",
    }
    assert found.master == (("accounts", "5100", "name Rent → Hire"), ("accounts", "5200", "new"))
    inside = changes_between(view_at(ledger, 2, Fence.of(accounts="4000")), ledger, 1, 2)
    assert [e.number for e in inside.entries] == ["E9"] and [s.account for s in inside.sums] == ["4000"]


def test_rows_of_an_entry_may_stand_apart(small, command):
    header, *rows = SMALL["entries.csv"].splitlines(keepends=True)
    command("load_ledger", small(), ledger="whole")
    random.Random(4).shuffle(rows)
    command("load_ledger", small("apart", entries__csv=header + "".join(rows)), ledger="apart")
    assert trial_balances(command, "apart") == trial_balances(command, "whole")


def test_blocks_and_single_rows_give_the_same_entries(demo_folder):
    """Arrays and single entries agree on digests, and on how many lines and amounts there are."""
    from rulka.core.intake.blocks import BlockChecker
    from rulka.core.intake.entries import EntryChecker, group_rows
    from rulka.formats.intake.arrow_columns import join
    from rulka.formats.intake.ledger_folder import LedgerFolder
    from rulka.ledger.loading.master_data import MasterData

    folder = LedgerFolder.open(Path(demo_folder) / "ledger")
    read = folder.settings()
    books = MasterData(None, folder, read).read()
    quick, slow = BlockChecker(books, join), EntryChecker(books)
    found = {}
    for checked in quick.check(folder.entry_blocks(read.dimensions)):
        ends = checked.first + checked.count
        names = zip(checked.entity.texts(), checked.number.texts(), strict=True)
        for name, digest, begin, end in zip(names, checked.digest, checked.first, ends, strict=True):
            found[name] = (digest, checked.lines.line.texts()[begin:end] if len(found) % 50 == 0 else end - begin)
    rows = [
        row
        for block in folder.entry_blocks(read.dimensions)
        for row in block.entry_rows(np.arange(len(block.rows), dtype=np.int64))
    ]
    for at, (name, group) in enumerate(group_rows(rows).items()):
        entry = slow.check(group)
        lines = [line.line for line in entry.lines]
        assert found.pop(name) == (entry.digest(), lines if at % 50 == 0 else len(lines))
    assert not found and at > 10_000
    assert quick.errors == slow.errors == []
