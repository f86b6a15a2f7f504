"""Times intake beside general-purpose ways in one run: `python -m bench.intake [--lines 1000000] [--large 5000000]`.

Prints ratios; these machines are shared and noisy, so only the ratios mean something. Each load runs in a process of
its own, so that its peak memory is its own.
"""

from __future__ import annotations

import argparse
import csv
import json
import os
import random
import resource
import subprocess
import sys
import tempfile
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from bench.statement import best

FIRST = date(2021, 1, 1)
DAYS = 5 * 365
ENTITIES = [f"E{n:02d}" for n in range(10)]
DEPARTMENTS = [f"{n}" for n in range(100, 130)]


KINDS = ("asset", "liability", "equity", "revenue", "expense")
HEADER = (
    "entity,entry,line,date,account,department,debit,credit,description,source,document,"
    "counterparty,counterparty_name,user"
)


def _table(path: Path, header: str, rows: Any) -> None:
    with path.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(header.split(","))
        writer.writerows(rows)


def write_ledger(folder: Path, lines: int, *, first: int = 0, changed: int = 0, accounts: int = 500) -> None:
    """A ledger of about 15,000 posting keys over 60 periods, skewed as ledgers are; entries of two to four lines.

    `first` numbers the entries on, `changed` repeats that many earlier entries with another amount.
    """
    chart = [f"{number}" for number in range(2 * accounts, 3 * accounts)]
    folder.mkdir(parents=True, exist_ok=True)
    dice = random.Random(first + 1)
    calendar = {"first_month": 1, "year_label": "start", "first_year": 2021, "last_year": 2026, "adjusting_periods": 1}
    facts = {
        "name": "Bench", "group_currency": "EUR", "calendar": calendar,
        "retained_earnings": chart[accounts // 2], "dimensions": ["department"],
    }  # fmt: skip
    (folder / "ledger.json").write_text(json.dumps(facts))
    _table(folder / "entities.csv", "code,name,currency", [[code, f"Entity {code}", "EUR"] for code in ENTITIES])
    named = [[code, f"Account {code}", KINDS[5 * at // accounts]] for at, code in enumerate(chart)]
    _table(folder / "accounts.csv", "code,name,type", named)
    members = [["department", code, f"Department {code}"] for code in DEPARTMENTS]
    _table(folder / "members.csv", "dimension,code,name", members)
    keys = [(dice.choice(chart), dice.choice(DEPARTMENTS)) for _ in range(3 * accounts)]
    _table(folder / "entries.csv", HEADER, _entries(dice, keys, lines, first, changed))


def _entries(dice: random.Random, keys: list[tuple[str, str]], lines: int, first: int, changed: int) -> Any:
    """Rows of entries until there are so many lines."""
    written, number = 0, first
    repeated = dice.sample(range(1, first + 1), changed)
    while written < lines:
        number += 1
        count = dice.choice((2, 2, 2, 3, 4))
        own = repeated[number - first - 1] if number - first <= changed else number
        entity, day = ENTITIES[own % len(ENTITIES)], FIRST + timedelta(days=own * 7 % DAYS)
        amounts = [dice.randrange(100, 500_000) for _ in range(count - 1)]
        document, party = f"D{own}", f"C{own % 2_000}"
        for at in range(count):
            account, department = keys[int(len(keys) * dice.random() ** 2)]
            amount = sum(amounts) if at == count - 1 else amounts[at]
            text = f"{amount // 100}.{amount % 100:02d}"
            debit, credit = ("", text) if at == count - 1 else (text, "")
            yield [
                *(entity, f"N{own:08d}", at + 1, day.isoformat(), account, department, debit, credit),
                *(f"Invoice {own}", "payables", document, party, f"Company {party}", "clerk"),
            ]
        written += count


def load_alone(var: Path, folder: Path) -> tuple[int, float, float]:
    """Load in a process of its own: lines, seconds, peak memory in MB."""
    code = (
        "import time,resource,sys,json,django;django.setup();from pathlib import Path;"
        "from rulka.ledger.loading.load import load_folder;"
        "b=time.perf_counter();r=load_folder('bench',Path(sys.argv[1]));t=time.perf_counter()-b;"
        "print(json.dumps([r.tally('lines').new,t,resource.getrusage(resource.RUSAGE_SELF).ru_maxrss/1024]))"
    )
    env = {**os.environ, "RULKA_VAR": str(var), "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings"}
    done = subprocess.run(
        [sys.executable, "-c", code, str(folder)], env=env, check=True, capture_output=True, text=True
    )
    lines, seconds, memory = json.loads(done.stdout.strip().splitlines()[-1])
    return lines, seconds, memory


def migrate(var: Path) -> None:
    env = {**os.environ, "RULKA_VAR": str(var), "DATABASE_URL": ""}
    subprocess.run([sys.executable, "manage.py", "migrate", "--verbosity", "0"], env=env, check=True)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--large", type=int, default=0, help="also load this many lines, into a ledger of their own")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        one = folder / "one"
        migrate(one)
        write_ledger(folder / "first", asked.lines)
        lines, seconds, memory = load_alone(one, folder / "first")
        speed = lines / seconds
        print(
            f"first load: {lines:,} lines in {seconds:.1f} s, {speed:,.0f} lines/s, peak {memory:,.0f} MB", flush=True
        )
        django_on(one)
        bulk = orm_speed()
        print(f"  ORM bulk_create with the same indices: {bulk:,.0f} lines/s; ratio {speed / bulk:.1f} (wanted: 6)")
        from rulka.ledger.models import JournalEntry

        write_ledger(folder / "news", 11_200, first=JournalEntry.objects.count(), changed=200)
        new, taken, _ = load_alone(one, folder / "news")
        print(
            f"refresh: {new:,} new lines and 200 changed entries in {taken:.2f} s; 1/{seconds / taken:.0f} of the "
            f"first load (wanted: 1/15)"
        )
        reading()
        browsing()
        if asked.large:
            large = folder / "large"
            migrate(large)
            write_ledger(folder / "many", asked.large)
            lines, more, memory = load_alone(large, folder / "many")
            print(
                f"{lines:,} lines in {more:.1f} s, peak {memory:,.0f} MB; a line takes {more / lines * speed:.2f} "
                f"times as long (wanted: 1.3)"
            )
    print(f"peak of this process: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:,.0f} MB")


def django_on(var: Path) -> None:
    """Set Django up on a folder of data, once in a process."""
    os.environ.update(RULKA_VAR=str(var), DATABASE_URL="", DJANGO_SETTINGS_MODULE="rulka.web.settings")
    import django

    django.setup()


def orm_speed() -> float:
    """Lines a second that the ORM's bulk save writes, with the same indices."""
    from django.db import transaction

    from rulka.ledger.models import JournalLine

    sample = list(JournalLine.objects.all()[:20_000])
    for line in sample:
        line.pk, line.line = None, f"x{line.line}"

    def orm() -> None:
        with transaction.atomic():
            JournalLine.objects.bulk_create(sample, batch_size=2_000)
            transaction.set_rollback(True)

    return len(sample) / (best(orm, 2) / 1000)


def reading() -> None:
    from rulka.core.books.fence import NO_FENCE
    from rulka.ledger.models import Balance, Ledger
    from rulka.ledger.reading import queries

    ledger = Ledger.objects.get(code="bench")
    view = queries.view_of(ledger, NO_FENCE)
    scenarios = list(ledger.scenarios.all())
    ids = view.keys.ids[view.keys.ids > 0]
    chunks = best(lambda: queries.movements_from(queries.balance_chunks(ledger), ids, view.frame, scenarios))
    rows = best(
        lambda: list(
            Balance.objects.values_list(
                "scenario_id", "key_id", "period", "status", "effect", "debit", "credit", "count"
            )
        ),
        3,
    )
    count = Balance.objects.count()
    print(
        f"balances into memory: {chunks:.1f} ms; fetching their {count:,} rows: {rows:.0f} ms; 1/{rows / chunks:.0f} "
        f"(wanted: 1/40)"
    )


def browsing() -> None:
    """First pages with count and sums at several filters, and a page at 95 % depth by key and by OFFSET."""
    from rulka.core.books.fence import NO_FENCE
    from rulka.ledger.models import Ledger
    from rulka.ledger.reading.journal import Journal, JournalFilter
    from rulka.ledger.reading.queries import view_of

    ledger = Ledger.objects.get(code="bench")
    view = view_of(ledger, NO_FENCE)
    filters = {
        "all": JournalFilter(),
        "an account": JournalFilter(accounts="1200"),
        "accounts": JournalFilter(accounts="12*"),
        "a member": JournalFilter(members={"department": "110"}),
        "a period": JournalFilter(first="2023-P03", last="2023-P03"),
        "account, member and periods": JournalFilter(
            accounts="13*", members={"department": "105"}, first="2023-P01", last="2023-P12"
        ),
        "a document": JournalFilter(document="D777"),
        "a counterparty": JournalFilter(counterparty="C77"),
    }
    for name, wanted in filters.items():
        taken = best(lambda wanted=wanted: Journal(view, ledger, wanted).page(), 4)  # type: ignore[misc]
        print(f"journal, {name}: first page with count and sums in {taken:.0f} ms (wanted: 100)")
    deep(Journal(view, ledger, JournalFilter()))


def deep(journal: Any) -> None:
    """A page at 95 % depth, by its key and by OFFSET."""
    from django.db import connection

    from rulka.ledger.reading.journal import PAGE

    count = journal.totals()[0]
    depth = count * 95 // 100
    with connection.cursor() as cursor:
        sql = "SELECT id, period, date FROM ledger_journalline ORDER BY period, date, id LIMIT %s OFFSET %s"

        def by_offset() -> Any:
            cursor.execute(sql, [PAGE, depth])
            return cursor.fetchall()

        offset = best(by_offset, 3)
        pk, period, date = by_offset()[0]
    place = next(at for at, number in enumerate(journal.numbers) if number == period)
    key = f"{place}_{date}_{pk}"
    keyed = best(lambda: journal._walk((place, str(date), pk), PAGE, down=False), 4)
    assert journal.page(after=key).rows
    print(
        f"journal, page at 95 % of {count:,} lines: {keyed:.1f} ms; OFFSET {offset:.0f} ms; 1/{offset / keyed:.0f} "
        f"(wanted: 1/30)"
    )


if __name__ == "__main__":
    main()
