"""Rules over accounts: the side they stand on, whether they move, whether they moved before."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from rulka.core.findings.evidence import Evidence
from rulka.core.findings.finding import Finding

DEBIT_TYPES = ("asset", "expense")


def other_side(evidence: Evidence) -> Iterator[Finding]:
    """Balances and results on the other side than the account's nature: its type, unless its past says otherwise."""
    tuned, frame = evidence.tuning.of("sign"), evidence.view.frame
    if not evidence.has_history:
        return
    for pair, account in enumerate(evidence.pairs[1]):
        item = frame.accounts.items[account]
        if item.type == "statistical" or item.code in (frame.retained_earnings, frame.translation_reserve):
            continue
        stands = item.type in ("asset", "liability", "equity")
        values = evidence.pair_closing[pair] if stands else evidence.pair_activity[pair]
        now, past = int(values[evidence.at]), values[evidence.before]
        past = past[past != 0]
        if not now or len(past) < ENOUGH or not evidence.pair_counts[pair, evidence.at]:
            continue
        debits = int((past > 0).sum()) * 100
        usual = 1 if debits >= tuned.degree * len(past) else -1 if debits <= (100 - tuned.degree) * len(past) else 0
        if not usual or now * usual > 0:
            continue
        if abs(now) * 10 >= int(np.median(np.abs(past))):
            what = "The balance" if stands else "The month"
            side = "debit" if usual > 0 else "credit"
            said = f"{what} was on the {side} side in {_share(past, usual)} of {len(past)} former months"
            yield _on_other_side(evidence, pair, now, said, (item.type in DEBIT_TYPES) == (usual > 0))


def _on_other_side(evidence: Evidence, pair: int, now: int, said: str, by_nature: bool) -> Finding:
    """The finding of one account; `said` tells of its past, `by_nature` that it was on the side of its type."""
    frame, entity = evidence.view.frame, int(evidence.pairs[0][pair])
    code, name = evidence.named(pair)
    lines = [line for line in evidence.lines_by_pair.get(pair, ()) if (line.debit - line.credit) * now > 0]
    return Finding(
        "sign",
        f"{frame.entities.items[entity].code} {code}",
        f"{name} stands on the {'debit' if now > 0 else 'credit'} side",
        said + ("" if by_nature else ", against its type") + ".",
        abs(now),
        frame.currencies[entity],
        evidence.digits(entity),
        75 if by_nature else 55,
        frame.entities.items[entity].code,
        (code,),
        evidence.entries_of(lines),
    )


ENOUGH = 6


def _share(past: np.ndarray, usual: int) -> str:
    return str(int((past * usual > 0).sum()))


def silent(evidence: Evidence) -> Iterator[Finding]:
    """Accounts that usually move and did not, in entities that moved at all."""
    tuned, frame = evidence.tuning.of("silent"), evidence.view.frame
    if len(evidence.before) < 12:
        return
    counts, activity = evidence.pair_counts, np.abs(evidence.pair_activity)
    alive = {
        int(entity) for entity, moved in zip(evidence.pairs[0], counts[:, evidence.at], strict=True) if moved
    }  # fmt: skip
    years = _same_month_before(evidence)
    for pair, (entity, account) in enumerate(zip(*evidence.pairs[:2], strict=True)):
        item = frame.accounts.items[account]
        if counts[pair, evidence.at] or int(entity) not in alive or item.type == "statistical":
            continue
        moved = int((counts[pair, evidence.before] != 0).sum())
        yearly = len(years) >= 2 and bool((counts[pair, years] != 0).all())
        lately = bool(counts[pair, evidence.before[:3]].all())
        if not (moved >= tuned.degree and lately) and not (yearly and 0 < moved < ENOUGH):
            continue
        often = moved >= tuned.degree and lately
        past = activity[pair, evidence.before if often else years]
        code, name = evidence.named(pair)
        detail = (
            f"It moved in {moved} of the last {len(evidence.before)} months"
            if often
            else f"It moved in this month of each of the last {len(years)} years"
        )
        yield Finding(
            "silent",
            f"{frame.entities.items[entity].code} {code}",
            f"Nothing on {name}",
            f"{detail}, usually by so much.",
            int(np.median(past[past != 0])) if past.any() else 0,
            frame.currencies[entity],
            evidence.digits(entity),
            70 if often else 45,
            frame.entities.items[entity].code,
            (code,),
        )


def _same_month_before(evidence: Evidence) -> list[int]:
    """The same period of former years that the ledger has."""
    calendar, found = evidence.view.frame.calendar, []
    for years in (1, 2, 3):
        former = calendar.moved(evidence.period, years=-years)
        if former is not None and former.index >= evidence.first_booked:
            found.append(former.index)
    return found


def first_used(evidence: Evidence) -> Iterator[Finding]:
    """Accounts that nothing was booked on before."""
    tuned, frame = evidence.tuning.of("first"), evidence.view.frame
    if evidence.at - evidence.first_booked < tuned.degree:
        return
    entities, accounts, _ = evidence.pairs
    counts = evidence.pair_counts
    for account in np.unique(accounts):
        own = np.flatnonzero(accounts == account)
        item = frame.accounts.items[int(account)]
        if (
            counts[own, : evidence.at].any()
            or evidence.balances.opened[:, : evidence.at + 1][evidence.view.keys.account == account].any()
        ):
            continue
        for pair in own[counts[own, evidence.at] != 0]:
            if item.type == "statistical":
                continue
            entity = int(entities[pair])
            code, name = evidence.named(int(pair))
            lines = evidence.lines_by_pair.get(int(pair), [])
            yield Finding(
                "first",
                f"{frame.entities.items[entity].code} {code}",
                f"{name} used for the first time",
                f"Nothing was booked on it in the {evidence.at - evidence.first_booked} periods before.",
                abs(int(evidence.pair_activity[pair, evidence.at]))
                or max((line.debit + line.credit for line in lines), default=0),
                frame.currencies[entity],
                evidence.digits(entity),
                90,
                frame.entities.items[entity].code,
                (code,),
                evidence.entries_of(lines),
            )
