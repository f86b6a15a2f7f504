"""What a load would do and what a person should know of it, found before anything is written."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.books.calendar import FiscalCalendar, period_code, period_number
from rulka.core.books.fence import NO_FENCE
from rulka.core.errors import RulkaError
from rulka.core.intake.entries import Budget
from rulka.core.money import minor_text, parse_minor
from rulka.formats.currencies import minor_digits
from rulka.ledger.loading.master_data import WantedThings, compare_wanted
from rulka.ledger.loading.report import LoadFinding, LoadReport
from rulka.ledger.loading.staging import CHANGED, NEW, OLDER, SAME, Stage
from rulka.ledger.models import BudgetLine, Counterparty, Feed, Ledger
from rulka.ledger.reading.queries import view_of

LONG_PAST = 3
"""Ordinary periods before the newest booked one that count as recent, where a feed says nothing else."""
MOST = 200


def preview(
    report: LoadReport, ledger: Ledger | None, stage: Stage, wanted: Iterable[WantedThings], budgets: Sequence[Budget]
) -> None:
    """Tally what accepting would do; nothing is written. Lines are told of new and same entries only."""
    for one in wanted:
        new, changed, same = compare_wanted(one, ledger)
        tally = report.tally(one.what)
        tally.new, tally.changed, tally.same = len(new), len(changed), same
    entries, lines, states = report.tally("entries"), report.tally("lines"), stage.tally()
    entries.new, lines.new = states.get(NEW, (0, 0))
    entries.same, lines.same = states.get(SAME, (0, 0))
    entries.changed, entries.skipped = states.get(CHANGED, (0, 0))[0], states.get(OLDER, (0, 0))[0]
    if budgets:
        _preview_budgets(report, ledger, budgets)


def _preview_budgets(report: LoadReport, ledger: Ledger | None, budgets: Sequence[Budget]) -> None:
    tally = report.tally("budget rows")
    stored: dict[Any, tuple[int, str]] = {}
    if ledger is not None:
        rows = BudgetLine.objects.filter(scenario__ledger=ledger, key__partner=None).values_list(
            "scenario__code", "key__entity__code", "key__account__code", "key__members", "period", "amount", "note"
        )
        names = {str(pk): code for pk, code in ledger.members.values_list("pk", "code")}
        for scenario, entity, account, members, period, amount, note in rows:
            codes = tuple(names[pk] for pk in members.split(",")) if members else ()
            stored[scenario, entity, account, codes, period] = (amount, note)
    for budget in budgets:
        found = stored.get(
            (budget.scenario, budget.entity, budget.account, budget.members, period_number(budget.period.code))
        )
        if found is None:
            tally.new += 1
        elif found == (budget.amount, budget.note):
            tally.same += 1
        else:
            tally.changed += 1


def find(
    report: LoadReport,
    ledger: Ledger | None,
    stage: Stage,
    wanted: Sequence[WantedThings],
    calendar: FiscalCalendar,
    *,
    controls: Iterable[tuple[int, dict[str, str]]] = (),
    digits: dict[str, int],
    group_digits: int,
    feed: Feed | None = None,
    full: bool = False,
) -> None:
    """Add every finding, and the sums that were read, to the report. `full` says that the source told all it has."""
    report.sums = _sums(stage, digits)
    _controls(report, stage, controls, digits)
    _historical(report, digits, group_digits)
    if ledger is None:
        return
    _closed(report, ledger)
    _long_past(report, ledger, calendar, int(feed.options.get("long_past", LONG_PAST)) if feed else LONG_PAST)
    _openings(report, ledger, calendar)
    _changed(report)
    if full and feed is not None:
        _vanished(report, feed)
    for one in wanted:
        kind = f"new-{one.what}"
        if kind in ("new-accounts", "new-members", "new-entities"):
            new, _, _ = compare_wanted(one, ledger)
            named = [[str(code) if isinstance(code, str) else ", ".join(code), one.rows[code]["name"]] for code in new]
            _add(report, kind, ["code", "name"], named)
    _counterparties(report, ledger, wanted)


def _add(report: LoadReport, kind: str, columns: list[str], rows: list[list[str]], count: int | None = None) -> None:
    if rows:
        report.findings.append(LoadFinding(kind, len(rows) if count is None else count, columns, rows[:MOST]))


def _sums(stage: Stage, digits: dict[str, int]) -> list[list[str]]:
    totals: dict[tuple[str, str], list[int]] = {}
    for (entity, period, _), amounts in stage.sums.items():
        total = totals.setdefault((entity, period), [0, 0, 0])
        for at, amount in enumerate(amounts):
            total[at] += amount
    return [
        [entity, period, minor_text(debit, digits[entity]), minor_text(credit, digits[entity]), str(lines)]
        for (entity, period), (debit, credit, lines) in sorted(totals.items())
    ]


def _controls(
    report: LoadReport, stage: Stage, controls: Iterable[tuple[int, dict[str, str]]], digits: dict[str, int]
) -> None:
    """Compare what controls.csv states with what was read."""
    found = {(row[0], row[1]): row[2:] for row in report.sums}
    rows = []
    for row, stated in controls:
        place = (stated["entity"], stated["period"])
        debit, credit, lines = found.get(place, ["0", "0", "0"])
        for what, said, is_ in (
            ("debit", stated["debit"], debit),
            ("credit", stated["credit"], credit),
            ("lines", stated.get("lines", ""), lines),
        ):
            places = 0 if what == "lines" else digits.get(place[0], 2)
            try:
                differs = bool(said) and parse_minor(said, places) != parse_minor(is_, places)
            except ValueError as error:
                raise RulkaError(f"{error}.", subject=f"controls.csv, row {row}, column {what}") from None
            if differs:
                rows.append([*place, what, said, is_])
    _add(report, "controls", ["entity", "period", "what", "stated", "read"], rows)


def _historical(report: LoadReport, digits: dict[str, int], group_digits: int) -> None:
    """Lines that say they were worth a credit in the group's currency where they debit, or the other way round."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT s.entity, s.number, w.line, w.account, w.own, w.worth, s.line_row FROM temp.stage_worth w "
            "CROSS JOIN temp.stage_entry s ON s.id = w.entry WHERE s.state IN (0, 1) ORDER BY w.rowid"
        )
        rows = [
            [entity, number, line, account, minor_text(own, digits[entity]), minor_text(worth, group_digits), str(row)]
            for entity, number, line, account, own, worth, row in cursor.fetchall()
        ]
    _add(
        report,
        "historical-sign",
        ["entity", "entry", "line", "account", "amount, debit positive", "historical amount", "row of its entry"],
        rows,
    )


def _closed(report: LoadReport, ledger: Ledger) -> None:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT s.entity, s.number, s.date, c.period, s.line_row FROM ledger_closedperiod c JOIN ledger_entity e "
            "ON e.id = c.entity_id AND c.opened IS NULL "
            "JOIN temp.stage_entry s ON s.entity = e.code LEFT JOIN ledger_journalentry j ON j.id = s.entry_id "
            "WHERE e.ledger_id = %s AND s.state IN (0, 1) AND (s.period = c.period OR (s.state = 1 AND j.period = "
            "c.period AND NOT j.withdrawn)) "
            "ORDER BY s.id",
            [ledger.pk],
        )
        rows = [
            [entity, number, str(date), period_code(period), str(row)]
            for entity, number, date, period, row in cursor.fetchall()
        ]
    _add(report, "closed", ["entity", "entry", "date", "closed period", "row"], rows)


def _long_past(report: LoadReport, ledger: Ledger, calendar: FiscalCalendar, most: int) -> None:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT MAX(c.period) FROM ledger_balancechunk c JOIN ledger_scenario s ON s.id = c.scenario_id WHERE "
            "s.ledger_id = %s AND s.code = 'actual'",
            [ledger.pk],
        )
        newest = cursor.fetchone()[0]
        if newest is None:
            return
        border = calendar.moved(calendar.by_code[period_code(newest)], periods=-most)
        if border is None:
            return
        cursor.execute(
            "SELECT entity, number, date, period, line_row FROM temp.stage_entry WHERE state IN (0, 1) AND period < "
            "%s ORDER BY id",
            [period_number(border.code)],
        )
        rows = [
            [entity, number, date, period_code(period), str(row)]
            for entity, number, date, period, row in cursor.fetchall()
        ]
    _add(report, "long-past", ["entity", "entry", "date", "period", "row"], rows)


def _openings(report: LoadReport, ledger: Ledger, calendar: FiscalCalendar) -> None:
    """New opening entries beside what the ledger already carries into their period: both would count."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT s.entity, s.period, o.account, SUM(o.amount) FROM temp.stage_opening o "
            "CROSS JOIN temp.stage_entry s ON s.id = o.entry WHERE s.state = 0 GROUP BY 1, 2, 3"
        )
        staged = cursor.fetchall()
    if not staged or not ledger.revision:
        return
    view = view_of(ledger, NO_FENCE)
    frame, balances = view.frame, view.balances("actual")
    rows = []
    for entity, number in sorted({(row[0], row[1]) for row in staged}):
        at = calendar.by_code[period_code(number)].index
        if entity not in frame.entities.index or at >= len(frame.calendar.periods):
            continue
        mask = np.zeros(len(frame.entities), dtype=bool)
        mask[frame.entities.index[entity]] = True
        carried = view.by_account(balances.opening[:, at], view.keys_of(mask))
        if not carried.any():
            continue
        opened = {row[2]: row[3] for row in staged if row[:2] == (entity, number)}
        digits = minor_digits(frame.currencies[frame.entities.index[entity]])
        for place, item in enumerate(frame.accounts.items):
            former, brought = int(carried[place]), opened.get(item.code, 0)
            if former or brought:
                rows.append(
                    [entity, period_code(number), item.code, minor_text(former, digits), minor_text(brought, digits)]
                )
    _add(report, "opening", ["entity", "period", "account", "former closing", "opening brought"], rows)


def _changed(report: LoadReport) -> None:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT s.entity, s.number, s.date, j.date, s.period <> j.period, s.status <> j.status, j.withdrawn FROM "
            "temp.stage_entry s "
            f"JOIN ledger_journalentry j ON j.id = s.entry_id WHERE s.state = 1 ORDER BY s.id LIMIT {MOST}"
        )
        for entity, number, date, former, period, status, withdrawn in cursor.fetchall():
            what = ["came back"] if withdrawn else []
            if str(date) != str(former):
                what.append(f"was dated {former}")
            what += ["other period"] if period else []
            what += ["other status"] if status else []
            report.changed_entries.append([entity, number, str(date), ", ".join(what) or "other lines"])


VANISHED = (
    "FROM ledger_journalentry j JOIN ledger_entity e ON e.id = j.entity_id WHERE j.ledger_id = %s AND j.feed_id = %s "
    "AND NOT j.withdrawn "
    "AND NOT EXISTS (SELECT 1 FROM temp.stage_entry s WHERE s.entity = e.code AND s.number = j.number)"
)


def _vanished(report: LoadReport, feed: Feed) -> None:
    with connection.cursor() as cursor:
        cursor.execute("CREATE INDEX IF NOT EXISTS temp.stage_name ON stage_entry (entity, number)")
        cursor.execute(
            f"SELECT e.code, j.number, j.date, j.period {VANISHED} ORDER BY j.date, e.code, j.number",
            [feed.ledger_id, feed.pk],
        )
        rows = [[entity, number, str(date), period_code(period)] for entity, number, date, period in cursor.fetchall()]
    _add(report, "vanished", ["entity", "entry", "date", "period"], rows)


def vanished_ids(feed: Feed) -> list[int]:
    """The ledger's entries from this feed that the staged load does not mention."""
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT j.id {VANISHED} ORDER BY j.id", [feed.ledger_id, feed.pk])
        return [row[0] for row in cursor.fetchall()]


def _counterparties(report: LoadReport, ledger: Ledger, wanted: Sequence[WantedThings]) -> None:
    named = {
        str(code): values["name"] for one in wanted if one.what == "counterparties" for code, values in one.rows.items()
    }
    stored = set(Counterparty.objects.filter(ledger=ledger).values_list("code", flat=True))
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT c.code, c.name FROM temp.stage_party c "
            # written like the condition of the partial index, so that it is used
            "WHERE NOT EXISTS (SELECT 1 FROM ledger_journalline j WHERE j.counterparty = c.code AND NOT "
            "(j.counterparty = '')) ORDER BY 1"
        )
        fresh = {code: name for code, name in cursor.fetchall() if code not in stored}
    fresh |= {code: name for code, name in named.items() if code not in stored}
    _add(report, "new-counterparties", ["code", "name"], [[code, name] for code, name in sorted(fresh.items())])
