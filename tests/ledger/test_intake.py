"""Loading: what is refused and how it is told, all or nothing, revisions and history, balances kept up."""

from __future__ import annotations

import random

import numpy as np
import pytest
from django.core.management.base import CommandError
from django.db import connection

from rulka.core.books.fence import NO_FENCE
from rulka.ledger.models import (
    Balance,
    BalanceChangeChunk,
    BalanceChunk,
    BudgetLineFormer,
    JournalLine,
    JournalLineFormer,
    Ledger,
    PostingKey,
    Revision,
)
from rulka.ledger.reading.queries import view_of
from tests.conftest import SMALL

pytestmark = pytest.mark.django_db
ENTRIES = SMALL["entries.csv"]
HEADER, *ROWS = ENTRIES.splitlines(keepends=True)


def S(model, code="s"):
    """The rows of a model that belong to the ledger under test."""
    path = "entry__ledger__code" if hasattr(model, "entry") else "scenario__ledger__code"
    return model.objects.filter(**{path: code})


def changed(old: str, new: str) -> str:
    assert old in ENTRIES
    return ENTRIES.replace(old, new, 1)


def settings(**values):
    return {**SMALL["ledger.json"], **values}


def foreign(currency: str, amount: str) -> str:
    """The entries with a batch, and a transaction currency and amount on the first line."""
    head, first, *rest = ENTRIES.splitlines()
    more = [f"{row},B7,," for row in rest]
    return (
        "\n".join([f"{head},batch,transaction_currency,transaction_amount", f"{first},B7,{currency},{amount}", *more])
        + "\n"
    )


REFUSED = {
    "unbalanced": (
        {"entries__csv": changed(",,100.00,,Sale", ",,100.01,,Sale")},
        "entries.csv, row 2: Entry E1 of A does not balance: debit 100.01, credit 100.00, 0.01 apart",
    ),
    "unknown account": (
        {"entries__csv": changed("4000,10", "4001,10")},
        "row 3, column account: Account '4001' does not exist. Did you mean",
    ),
    "unknown entity": (
        {"entries__csv": changed("A,E1,1", "Z,E1,1")},
        "row 2, column entity: Entity 'Z' does not exist",
    ),
    "unknown member": (
        {"entries__csv": changed("4000,10", "4000,77")},
        "row 3, column department: Member '77' does not exist",
    ),
    "wrong date": (
        {"entries__csv": ENTRIES.replace("2025-01-05", "05.01.2025")},
        "column date: '05.01.2025' is not a date; write YYYY-MM-DD",
    ),
    "no such day": (
        {"entries__csv": ENTRIES.replace("2025-01-05", "2025-02-30")},
        "'2025-02-30' is not a day of the calendar",
    ),
    "outside the calendar": (
        {"entries__csv": ENTRIES.replace("2025-01-05", "2024-12-31")},
        "2024-12-31 lies outside the calendar. It runs from 2025-01-01 to 2026-12-31",
    ),
    "three decimals": (
        {"entries__csv": ENTRIES.replace("100.00", "100.005")},
        "column debit: '100.005' has 3 decimals where at most 2 are allowed",
    ),
    "negative debit": (
        {"entries__csv": changed(",100.00,,Sale", ",-100.00,,Sale")},
        "column debit: '-100.00' is negative. Write it positive on the other side",
    ),
    "both sides": (
        {"entries__csv": changed(",,100.00,,Sale", ",,100.00,5,Sale")},
        "column credit: Debit and credit are both filled",
    ),
    "grouped number": ({"entries__csv": changed(",,100.00,,Sale", ',,"1,00.00",,Sale')}, "'1,00.00' is not a number"),
    "duplicate line": (
        {"entries__csv": changed("A,E1,2", "A,E1,1")},
        "row 3, column line: Line 1 of entry E1 stands in row 2 already",
    ),
    "mixed dates": (
        {"entries__csv": changed("A,E1,2,2025-01-05", "A,E1,2,2025-01-06")},
        "row 3, column date: Entry E1 has date '2025-01-06' here and '2025-01-05' in row 2",
    ),
    "bad status": ({"entries__csv": changed("D1,,,", "D1,,maybe,")}, "'maybe' is not a status"),
    "period against date": (
        {"entries__csv": ENTRIES.replace("Hours,,,,", "Hours,,,,2026-P02")},
        "2026-01-10 falls into 2026-P01, not 2026-P02",
    ),
    "adjusting period of another year": (
        {"entries__csv": ENTRIES.replace("Hours,,,,", "Hours,,,,2025-P13")},
        "lies in FY2026, the period 2025-P13 in FY2025",
    ),
    "long code": ({"entries__csv": ENTRIES.replace("H1", "H" * 41)}, "has 41 characters; at most 40 are allowed"),
    "space in code": (
        {"accounts__csv": SMALL["accounts.csv"].replace("5100", "5100 ")},
        "accounts.csv, row 10, column code: The code '5100 ' starts or ends with a space",
    ),
    "code twice": (
        {"accounts__csv": SMALL["accounts.csv"].replace("5100", "5000")},
        "The code '5000' stands in row 9 already",
    ),
    "wrong type": (
        {"accounts__csv": SMALL["accounts.csv"].replace("Rent,expense", "Rent,cost")},
        "column type: 'cost' is not allowed here. Write asset, liability",
    ),
    "parent loop": (
        {"accounts__csv": SMALL["accounts.csv"].replace("4000,Sales,revenue,,", "4000,Sales,revenue,,4100")},
        "Parents go in a circle: 4000 > 4100 > 4000",
    ),
    "unknown parent": (
        {"entities__csv": SMALL["entities.csv"].replace("EUR,A", "EUR,Q")},
        "Parent 'Q' of entity B does not exist",
    ),
    "unknown currency": (
        {"entities__csv": SMALL["entities.csv"].replace("Small,EUR", "Small,EUX")},
        "'EUX' is not a currency of ISO 4217",
    ),
    "no retained earnings": (
        {"ledger__json": settings(retained_earnings="3999")},
        "retained_earnings '3999' is no account",
    ),
    "retained earnings of a wrong type": (
        {"ledger__json": settings(retained_earnings="4000")},
        "retained_earnings '4000' is of type revenue",
    ),
    "missing setting": ({"ledger__json": {"name": "x"}}, "ledger.json: 'group_currency' is missing"),
    "not JSON": ({"ledger__json": "{"}, "ledger.json, line 1, character 2: Not JSON"),
    "missing file": ({"accounts__csv": None}, "accounts.csv: The file is missing"),
    "not a ledger": ({"ledger__json": None}, "is not a ledger folder: it has no ledger.json"),
    "missing column": (
        {"entries__csv": ENTRIES.replace("debit", "Debit", 1)},
        "entries.csv, row 1: The column 'debit' is missing",
    ),
    "wrong encoding": (
        {"entries__csv": ENTRIES.replace("Sale", "Sälé").encode("latin-1")},
        "entries.csv, row 2: The file is not UTF-8 here",
    ),
    "zero bytes": ({"entries__csv": b""}, "entries.csv: The file has zero bytes"),
    "zero bytes of an optional file": ({"members__csv": b""}, "members.csv: The file has zero bytes"),
    "short row": (
        {"entries__csv": ENTRIES + "A,E9,1\n"},
        "entries.csv, row 9: The row has 3 cells where the header has 13",
    ),
    "empty row": ({"entries__csv": ENTRIES + "\n"}, "entries.csv, row 9: The row is empty"),
    "control character": (
        {"entries__csv": ENTRIES.replace("Rent", "Rent").replace("Pay", "Pa\x07y", 1)},
        "row 4, column description: The cell holds a control character",
    ),
    "open quote": ({"entries__csv": ENTRIES + 'A,E9,1,"2025'}, "Not readable as CSV"),
    "budget of unknown scenario": (
        {"budgets__csv": SMALL["budgets.csv"].replace("budget,A,4000", "plan,A,4000")},
        "budgets.csv, row 2, column scenario: Scenario 'plan' does not exist",
    ),
    "budget in actuals": (
        {"budgets__csv": SMALL["budgets.csv"].replace("budget,A,4000", "actual,A,4000")},
        "'actual' holds journal entries only",
    ),
    "budget twice": (
        {"budgets__csv": SMALL["budgets.csv"] + "budget,A,4000,10,2026-P01,1.00,\n"},
        "members and period stand in row 2. Add the two up",
    ),
    "bad rate": (
        {"rates__csv": "period,from,to,closing\n2026-P01,EUR,SEK,0\n"},
        "rates.csv, row 2, column closing: '0' is not a rate",
    ),
    "too large": (
        {
            "entries__csv": ENTRIES
            + "A,X,1,2026-01-01,1000,,40000000000000000.00,,,,,,\nA,X,2,2026-01-01,4000,,,40000000000000000.00,,,,,\n"
        },
        "together reach 2^62 minor units",
    ),
    "transaction amount without a currency": (
        {"entries__csv": foreign("", "5.00")},
        "row 2, column transaction_currency: '' is not a currency of ISO 4217",
    ),
    "transaction amount with too many decimals": (
        {"entries__csv": foreign("JPY", "5.5")},
        "row 2, column transaction_amount: '5.5' has 1 decimals where at most 0 are allowed",
    ),
    "entity with an unknown calendar": (
        {"entities__csv": "code,name,currency,calendar\nA,Small,EUR,lunar\n"},
        "entities.csv, row 2, column calendar: Calendar 'lunar' does not exist",
    ),
    "a dimension called like a column": (
        {"ledger__json": settings(dimensions=["account"])},
        "A dimension can't be called 'account'",
    ),
}


@pytest.mark.parametrize("case", REFUSED)
def test_bad_ledger_is_refused_with_what_where_and_what_to_do(case, small, command):
    files, message = REFUSED[case]
    with pytest.raises(CommandError) as caught:
        command("load_ledger", small(**files), ledger="s")
    assert message in str(caught.value)
    assert not Ledger.objects.filter(code="s").exists()


def test_refused_second_load_changes_nothing(small, command):
    command("load_ledger", small(), ledger="s")
    before = everything()
    broken = ENTRIES.replace("100.00", "90.00") + "A,E9,1,2026-02-01,1000,,1.00,,,,,,\n"
    with pytest.raises(CommandError, match="E9 of A does not balance"):
        command("load_ledger", small(entries__csv=broken), ledger="s")
    assert everything() == before


def test_many_errors_are_capped(small, command):
    rows = "".join(f"A,X{n},1,2026-01-01,1000,,1.00,,,,,,\n" for n in range(60))
    with pytest.raises(CommandError) as caught:
        command("load_ledger", small(entries__csv=HEADER + rows), ledger="s")
    assert "60 errors" in str(caught.value)
    assert str(caught.value).endswith("... and 20 more")


def test_entity_with_lines_keeps_its_currency(small, command):
    command("load_ledger", small(), ledger="s")
    with pytest.raises(CommandError, match="A has lines in EUR and can't change to SEK"):
        command("load_ledger", small(entities__csv=SMALL["entities.csv"].replace("Small,EUR", "Small,SEK")), ledger="s")


def test_forty_character_codes_and_byte_order_mark_are_fine(small, command):
    entries = "\ufeff" + ENTRIES.replace("H1", "H" * 40)
    assert "lines: 7 new" in command("load_ledger", small(entries__csv=entries), ledger="s")


def test_header_without_rows_is_an_empty_table(small, command):
    command("load_ledger", small(entries__csv=HEADER, budgets__csv=None), ledger="s")
    assert S(JournalLine).count() == 0


def test_unknown_columns_and_files_are_reported_and_ignored(small, command):
    folder = small(entities__csv="code,name,currency,colour\nA,Small,EUR,red\n")
    (folder / "readme.txt").write_text("hello")
    told = command("load_ledger", folder, ledger="s")
    assert "entities.csv: unknown column 'colour', ignored" in told
    assert "readme.txt: unknown file, ignored" in told


def everything() -> dict[str, list]:  # type: ignore[type-arg]
    names = [name for name in connection.introspection.table_names() if name.startswith("ledger_")]
    with connection.cursor() as cursor:
        found = {}
        for name in names:
            cursor.execute(f"SELECT * FROM {name} ORDER BY id")
            at = [
                place for place, column in enumerate(cursor.description) if column[0] != "loaded_at"
            ]  # when a source was last looked at
            found[name] = [tuple(row[place] for place in at) for row in cursor.fetchall()]
    return found


def test_second_load_of_the_same_folder_changes_nothing(small, command):
    assert "is at revision 1\n" in command("load_ledger", small(), ledger="s")
    before = everything()
    told = command("load_ledger", small(), ledger="s")
    assert "is at revision 1; nothing changed" in told
    assert "entries: 0 new, 0 changed, 4 same" in told
    assert everything() == before


def test_historical_amount_against_the_sign_of_its_line_is_reported(small, command):
    entries = (
        "entity,entry,line,date,account,debit,credit,historical_amount\n"
        "A,E1,1,2025-01-05,1000,100.00,,90.00\nA,E1,2,2025-01-05,3000,,100.00,90.00\n"
        "A,E2,1,2025-01-06,1000,,7.00,-6.00\nA,E2,2,2025-01-06,3000,7.00,,\n"
    )
    told = command("load_ledger", small(entries__csv=entries), ledger="s")
    assert "historical amounts against the sign of their line: 1" in told
    assert "historical amounts" not in command(
        "load_ledger", small(entries__csv=entries), ledger="s"
    )  # it is the same, nothing comes in


def test_former_line_counts_come_back(small, command):
    from rulka.ledger.reading.history import view_at

    command("load_ledger", small(), ledger="s")
    more = ENTRIES + "A,E1,3,2025-01-05,1100,,5.00,,Sale,D1,,,\nA,E1,4,2025-01-05,1000,,,5.00,Sale,D1,,,\n"
    entries = "".join(line for line in more.splitlines(keepends=True))
    command("load_ledger", small("two", entries__csv=entries), ledger="s")

    def counts(revision):
        book = view_at(Ledger.objects.get(code="s"), revision, NO_FENCE)
        found = book.balances("actual").counts
        first = book.frame.calendar.period("2025-P01").index
        of_account = book.frame.accounts.index["1000"]
        return int(
            (found[book.keys.account == of_account, first + 1] - found[book.keys.account == of_account, first]).sum()
        ), int(found[:, -1].sum())

    lines = [row for row in ROWS if row.strip()]
    assert counts(1) == (1, len(lines))
    assert counts(2) == (2, len(lines) + 2)


def test_a_ledger_that_moved_between_check_and_write_is_refused(small, command, monkeypatch):
    from rulka.ledger.loading import load

    command("load_ledger", small(), ledger="s")
    checked = load._check

    def meanwhile(*arguments):
        found = checked(*arguments)
        Ledger.objects.filter(code="s").update(revision=2)  # as another load leaves it that came in by now
        return found

    monkeypatch.setattr(load, "_check", meanwhile)
    before = S(JournalLine).count()
    changed_entries = ENTRIES.replace("100.00", "101.00")
    with pytest.raises(CommandError, match="Another load came in while this one was checked. Load again."):
        command("load_ledger", small("two", entries__csv=changed_entries), ledger="s")
    assert S(JournalLine).count() == before and not S(JournalLine).filter(debit=10_100).exists()


def test_dry_run_reports_and_changes_nothing(small, command):
    told = command("load_ledger", small(), ledger="s", dry_run=True)
    assert "would be at revision 1" in told
    assert "lines: 7 new" in told
    assert not Ledger.objects.filter(code="s").exists()


def test_changed_entry_keeps_former_lines_in_history(small, command):
    command("load_ledger", small(), ledger="s")
    # E1 gets another amount and a third line, E2 loses nothing, E3 is not mentioned
    entries = HEADER + (
        "A,E1,1,2025-01-05,1000,,110.00,,Sale,D1,,,\nA,E1,2,2025-01-05,4000,10,,100.00,Sale,D1,,,\nA,E1,3,2025-01-05,4000,20,,10.00,Sale,D1,,,\n"
    )
    told = command("load_ledger", small("news", entries__csv=entries, budgets__csv=None), ledger="s")
    assert "entries: 0 new, 1 changed, 0 same" in told
    assert "lines: 1 new, 1 changed, 1 same" in told
    former = S(JournalLineFormer).get()
    assert (former.line, former.debit, former.since_revision, former.until_revision) == ("1", 10000, 1, 1)
    assert list(
        S(JournalLine).filter(entry__number="E1").order_by("line").values_list("line", "debit", "credit", "revision")
    ) == [
        ("1", 11000, 0, 2),
        ("2", 0, 10000, 1),
        ("3", 0, 1000, 2),
    ]
    assert S(JournalLine).filter(entry__number="E3").count() == 2


def test_line_gone_from_an_entry_is_withdrawn_into_history(small, command):
    command("load_ledger", small(), ledger="s")
    swapped = changed("A,E2,1,", "A,E2,9,")
    told = command("load_ledger", small("news", entries__csv=swapped), ledger="s")
    assert "1 withdrawn" in told
    assert S(JournalLineFormer).get().line == "1"
    assert set(S(JournalLine).filter(entry__number="E2").values_list("line", flat=True)) == {"2", "9"}


def stamped(amount: str, moment: str) -> str:
    header = HEADER.replace("period", "period,modified_at")
    return (
        header + f"A,E1,1,2025-01-05,1000,,{amount},,,,,,,{moment}\nA,E1,2,2025-01-05,4000,10,,{amount},,,,,,{moment}\n"
    )


def test_older_version_is_skipped_and_reported(small, command):
    command("load_ledger", small(entries__csv=stamped("5.00", "2025-02-01T12:00:00+02:00")), ledger="s")
    told = command("load_ledger", small(entries__csv=stamped("4.00", "2025-02-01T09:59:59+00:00")), ledger="s")
    assert "1 skipped" in told and "E1 of A is older than what is stored, skipped" in told
    assert set(S(JournalLine).values_list("debit", flat=True)) == {500, 0}
    told = command("load_ledger", small(entries__csv=stamped("6.00", "2025-02-01T10:00:01+00:00")), ledger="s")
    assert "1 changed" in told


def test_moment_without_offset_is_refused(small, command):
    with pytest.raises(CommandError, match="'2025-02-01T12:00:00' has no offset"):
        command("load_ledger", small(entries__csv=stamped("5.00", "2025-02-01T12:00:00")), ledger="s")


def test_later_budget_replaces_the_row_and_absence_leaves_it(small, command):
    command("load_ledger", small(), ledger="s")
    budgets = "scenario,entity,account,department,period,amount,note\nbudget,A,4000,10,2026-P01,-45.00,plan\n"
    assert "budget rows: 0 new, 1 changed, 0 same" in command("load_ledger", small(budgets__csv=budgets), ledger="s")
    assert S(BudgetLineFormer).get().amount == -4000
    book = view_of(Ledger.objects.get(code="s"), NO_FENCE)
    assert book.balances("budget").closing[:, 13].sum() == -4500 + 2000


def test_lines_of_an_entry_may_stand_apart_in_the_file(small, command):
    entries = HEADER + ROWS[0] + ROWS[2] + ROWS[1] + ROWS[3]
    assert "entries: 2 new" in command("load_ledger", small(entries__csv=entries), ledger="s")


def balances_from_lines() -> dict[tuple[int, ...], tuple[int, ...]]:
    sums: dict[tuple[int, ...], list[int]] = {}
    for line in S(JournalLine).values_list("key", "period", "status", "effect", "debit", "credit"):
        found = sums.setdefault(line[:4], [0, 0, 0])
        found[0] += line[4]
        found[1] += line[5]
        found[2] += 1
    return {key: tuple(values) for key, values in sums.items()}


def _changes_sum_to_balances(amount):
    """What loads changed adds up to the balances, which equal their lines."""
    stored = {(b.key_id, b.period, b.status, b.effect): (b.debit, b.credit, b.count) for b in S(Balance).all()}
    assert stored == balances_from_lines()
    changes: dict[tuple[int, ...], list[int]] = {}
    for change in S(BalanceChangeChunk).all():
        columns = [
            np.frombuffer(data, dtype=np.int64).tolist()
            for data in (change.keys, change.debits, change.credits, change.counts)
        ]
        for key, *amounts in zip(*columns, strict=True):
            found = changes.setdefault((key, change.period, change.status, change.effect), [0, 0, 0])
            for at, amount in enumerate(amounts):
                found[at] += amount
    assert {key: tuple(values) for key, values in changes.items() if any(values)} == stored


def _dealt(rng):
    """Entries in two versions each, and the lines of three loads that bring them in any order."""
    entries = {}
    for number in range(30):
        day = f"{rng.choice((2025, 2026))}-{rng.randint(1, 12):02d}-{rng.randint(1, 28):02d}"
        versions = []
        for _ in range(2):
            amount = f"{rng.randint(1, 9999)}.{rng.randint(0, 99):02d}"
            other, dept = rng.choice(("4000", "4100", "5000", "2000")), rng.choice(("", "10", "11", "20"))
            state = rng.choice(("", "pending"))
            kind = rng.choice(("", "", "opening", "closing", "adjusting"))
            versions.append(
                f"A,N{number},1,{day},1000,,{amount},,,,{kind},{state},\nA,N{number},2,{day},{other},{dept},,{amount},,,{kind},{state},\n"
            )
        entries[number] = versions
    loads = [[], [], []]  # type: ignore[var-annotated]
    for first, second in entries.values():
        place = rng.randint(0, 2)
        loads[place].append(second)
        if place and rng.random() < 0.7:
            loads[rng.randint(0, place - 1)].append(first)
    return entries, amount, other, loads


@pytest.mark.parametrize("seed", range(4))
def test_any_split_of_a_load_gives_the_same_balances(seed, small, command):
    """Entries dealt to three loads in any order, some changed on the way, end in balances that equal their lines."""
    rng = random.Random(seed)
    entries, amount, other, loads = _dealt(rng)
    for place, load in enumerate(loads):
        command(
            "load_ledger", small(f"part{place}", entries__csv=HEADER + "".join(load), budgets__csv=None), ledger="s"
        )
    command(
        "load_ledger",
        small("whole", entries__csv=HEADER + "".join(v[1] for v in entries.values()), budgets__csv=None),
        ledger="once",
    )
    for code in ("s", "once"):
        book = view_of(Ledger.objects.get(code=code), NO_FENCE)
        if code == "s":
            kept = book.balances("actual", pending=True)
            first_keys = {
                key_name(k): k for k in PostingKey.objects.filter(ledger__code="s").values_list("pk", flat=True)
            }
        else:
            other = book.balances("actual", pending=True)
    assert int(kept.closing.sum()) == int(other.closing.sum()) == 0
    assert kept.debits[:, -1].sum() == other.debits[:, -1].sum()
    assert first_keys
    _changes_sum_to_balances(amount)


def key_name(key: int) -> tuple[str, ...]:
    found = PostingKey.objects.select_related("account", "entity").get(pk=key)
    return (found.entity.code, found.account.code, found.members)


def test_chunks_hold_what_the_balance_rows_hold(small, command):
    command("load_ledger", small(), ledger="s")
    rows = []
    for chunk in S(BalanceChunk).all():
        columns = [
            np.frombuffer(data, dtype=np.int64).tolist()
            for data in (chunk.keys, chunk.debits, chunk.credits, chunk.counts)
        ]
        rows += [
            (chunk.scenario_id, chunk.period, chunk.status, chunk.effect, *row) for row in zip(*columns, strict=True)
        ]
    assert sorted(rows) == sorted(
        S(Balance).values_list("scenario_id", "period", "status", "effect", "key_id", "debit", "credit", "count")
    )


def test_new_account_and_longer_calendar_come_with_a_later_load(small, command):
    command("load_ledger", small(), ledger="s")
    longer = settings(calendar={**SMALL["ledger.json"]["calendar"], "last_year": 2027})
    accounts = SMALL["accounts.csv"] + "4200,New sales,revenue,,4000\n"
    entries = HEADER + "A,E7,1,2027-03-01,1000,,1.00,,,,,,\nA,E7,2,2027-03-01,4200,,,1.00,,,,,\n"
    command("load_ledger", small(ledger__json=longer, accounts__csv=accounts, entries__csv=entries), ledger="s")
    assert Revision.objects.filter(ledger__code="s").count() == 2
    with pytest.raises(CommandError, match="Period 2025-P01 is missing or has other dates than before"):
        command(
            "load_ledger",
            small(ledger__json=settings(calendar={**SMALL["ledger.json"]["calendar"], "first_month": 2})),
            ledger="s",
        )


def test_new_dimension_at_the_end_grows_the_keys(small, command):
    command("load_ledger", small(), ledger="s")
    before = view_of(Ledger.objects.get(code="s"), NO_FENCE).balances("actual").closing.sum(axis=0).tolist()
    command("load_ledger", small(ledger__json=settings(dimensions=["department", "project"])), ledger="s")
    book = view_of(Ledger.objects.get(code="s"), NO_FENCE)
    assert book.keys.members.shape[1] == 2
    assert book.balances("actual").closing.sum(axis=0).tolist() == before
    with pytest.raises(CommandError, match="The dimensions were department, project"):
        command("load_ledger", small(ledger__json=settings(dimensions=["project"])), ledger="s")


def test_batch_and_transaction_currency_are_kept_with_the_line(small, command):
    command("load_ledger", small(entries__csv=foreign("USD", "108.25")), ledger="s")
    line = S(JournalLine).get(entry__number="E1", line="1")
    assert (line.batch, line.transaction_currency, line.transaction_amount) == ("B7", "USD", 10_825)
    assert "nothing changed" in command("load_ledger", small(entries__csv=foreign("USD", "108.25")), ledger="s")
    assert "lines: 0 new, 1 changed" in command("load_ledger", small(entries__csv=foreign("USD", "108.20")), ledger="s")
