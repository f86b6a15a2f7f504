"""Rules over members and companies: recurring costs that changed place, companies that don't agree, documents that stay
open."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

import numpy as np

from rulka.core.books.balances import MovementSource
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, OPENING, STATUS_CHOICES, Keys
from rulka.core.books.journal import EntryLine, LinesAsked
from rulka.core.findings.evidence import MOST_LINES, Evidence
from rulka.core.findings.finding import Finding

RECENT = 6
"""Months that say what a member usually has."""


@dataclass(frozen=True)
class _Moved:
    """An amount of an account that one member misses and another one has; minor units, debit positive."""

    pair: int
    missing: int
    found: int
    amount: int
    sure: int


def moved(evidence: Evidence) -> Iterator[Finding]:
    """Recurring costs that are missing at one member and stand at another one; accounts that moved alike are one."""
    if not evidence.has_history:
        return
    for at, dimension in enumerate(evidence.view.frame.dimensions):
        together: dict[tuple[int, int, int], list[_Moved]] = {}
        for found in _moved_by(evidence, at):
            entity = int(evidence.pairs[0][found.pair])
            together.setdefault((entity, found.missing, found.found), []).append(found)
        for (entity, missing, found_at), every in together.items():
            yield _told_moved(evidence, dimension, entity, missing, found_at, every)


def _moved_by(evidence: Evidence, dimension: int) -> Iterator[_Moved]:
    frame, keys = evidence.view.frame, evidence.view.keys
    costs = frame.accounts.of_type("expense")[keys.account] & (keys.members[:, dimension] >= 0)
    tuned, recent = evidence.tuning.of("moved"), evidence.before[:RECENT]
    members = keys.members[:, dimension]
    _, _, of_key = evidence.pairs
    for pair in np.unique(of_key[costs]):
        own = np.flatnonzero((of_key == pair) & costs)
        places = np.unique(members[own])
        if len(places) < 2:
            continue
        values = np.stack([evidence.activity[own[members[own] == place]].sum(axis=0) for place in places])
        usual = np.median(values[:, recent], axis=1)
        held = (values[:, recent] != 0).sum(axis=1)
        gaps = values[:, evidence.at] - usual
        for lost in np.flatnonzero((held >= RECENT - 1) & (gaps * np.sign(usual) < 0)):
            if abs(gaps[lost]) * 10 < abs(usual[lost]) * 3:
                continue
            for won in np.flatnonzero(gaps * gaps[lost] < 0):
                near = abs(gaps[won] + gaps[lost]) * 100 <= tuned.degree * max(abs(gaps[won]), abs(gaps[lost]))
                if not near or abs(gaps[won]) * 2 < abs(usual[won]) or _swings(values[won][recent], gaps[won]):
                    continue
                if _swings(values[lost][recent], gaps[lost]):
                    continue
                apart = abs(gaps[won] + gaps[lost]) / max(abs(gaps[won]), abs(gaps[lost]))
                sure = 90 - int(apart * 100)
                yield _Moved(int(pair), int(places[lost]), int(places[won]), int(abs(gaps[lost])), sure)


def _swings(past: IntArray, gap: float) -> bool:
    """Whether a member's amounts go up and down by so much anyway."""
    return bool(np.abs(past - np.median(past)).max() * 2 > abs(gap))


def _told_moved(
    evidence: Evidence, dimension: str, entity: int, missing: int, found_at: int, every: Sequence[_Moved]
) -> Finding:
    frame = evidence.view.frame
    items = frame.dimensions[dimension].items
    names = [_member(items[place].code, items[place].name, dimension) for place in (missing, found_at)]
    accounts = tuple(evidence.named(one.pair)[0] for one in every)
    largest = max(every, key=lambda one: one.amount)
    at = list(frame.dimensions).index(dimension)
    pairs = {one.pair for one in every}
    lines = [
        line
        for pair in pairs
        for line in evidence.lines_by_pair.get(pair, ())
        if evidence.view.keys.members[line.key, at] == found_at
    ]
    code = frame.entities.items[entity].code
    what = evidence.named(largest.pair)[1] + (f" and {len(every) - 1} more" if len(every) > 1 else "")
    return Finding(
        "moved",
        f"{code} {dimension} {items[missing].code} {items[found_at].code} {accounts[0]}",
        f"{what} of {names[0]} in {names[1]}",
        f"{names[0]} has so much less than in its last months, {names[1]} so much more.",
        sum(one.amount for one in every),
        frame.currencies[entity],
        evidence.digits(entity),
        max(one.sure for one in every),
        code,
        accounts,
        evidence.entries_of(lines),
    )


def _member(code: str, name: str, dimension: str) -> str:
    return f"no {dimension}" if code == "-" else name or code


AGREEING: Final = {"income and costs": ("revenue", "expense"), "balances": ("asset", "liability", "equity")}
"""What two companies have to agree on, each by itself: the types of its accounts."""


def _trading(keys: Keys, seen: BoolArray) -> list[tuple[int, int]]:
    """Pairs of different entities that have posted with each other, both of them seen; each pair once, in order."""
    pairs = zip(keys.entity.tolist(), keys.partner.tolist(), strict=True)
    return sorted(
        {
            (min(entity, partner), max(entity, partner))
            for entity, partner in pairs
            if partner >= 0 and entity != partner and seen[entity] and seen[partner]
        }
    )


def apart(evidence: Evidence) -> Iterator[Finding]:
    """What two companies have booked with each other in the month and doesn't cancel out, in group currency."""
    view, tuned = evidence.view, evidence.tuning.of("apart")
    frame, keys = view.frame, view.keys
    balances = view.balances_of(MovementSource("actual", translated=True))
    if view.fence.names - {"entity"} or len(view.fence.bounds) > 1:
        return  # what lies outside may be the answer
    if balances.missing and evidence.at >= balances.missing[0]:
        return  # without a rate nothing can be compared
    activity = np.diff(balances.debits - balances.credits, axis=1)[:, evidence.at]
    kinds = {kind: frame.accounts.of_type(*types)[keys.account] for kind, types in AGREEING.items()}
    codes = [item.code for item in frame.entities.items]
    for one, other in _trading(keys, view.visible_entities()):
        booked = ((one, other), (other, one))
        sides = [(keys.entity == own) & (keys.partner == partner) for own, partner in booked]
        worst = _widest_gap(kinds, activity, sides, tuned.degree)
        if worst is None:
            continue
        gap, kind, behind = worst
        named = tuple(dict.fromkeys(frame.accounts.items[place].code for place in keys.account[behind].tolist()))
        own = set(behind.tolist())
        lines = _without_match([line for line in evidence.lines if line.key in own])
        yield Finding(
            "apart",
            f"{codes[one]} {codes[other]} {kind}",
            f"{codes[one]} and {codes[other]} don't agree on {kind}",
            "What each has booked with the other in the month doesn't cancel out.",
            abs(gap),
            frame.group_currency,
            frame.group_digits,
            90,
            codes[one],
            named,
            evidence.entries_of(lines),
        )


def _widest_gap(
    kinds: Mapping[str, BoolArray], activity: IntArray, sides: Sequence[BoolArray], degree: int
) -> tuple[int, str, IntArray] | None:
    """What two sides don't agree on most (how far apart, of what, the keys behind it); None where they agree. `kinds`
    are the keys `(keys,)` of all that is held against each other, by its name."""
    worst: tuple[int, str, IntArray] | None = None
    for kind, of_kind in kinds.items():
        sums = [int(activity[side & of_kind].sum()) for side in sides]
        gap, larger = sum(sums), max(abs(value) for value in sums)
        if abs(gap) * 10_000 > degree * larger and (worst is None or abs(gap) > abs(worst[0])):
            worst = gap, kind, np.flatnonzero((sides[0] | sides[1]) & of_kind & (activity != 0))
    return worst


def _without_match(lines: Sequence[EntryLine]) -> Sequence[EntryLine]:
    """Lines of two companies without those that one of the other answers by the same amount; all where none is left."""
    waiting: dict[tuple[int, int], list[EntryLine]] = {}
    answered: set[int] = set()
    for line in lines:
        amount = line.debit - line.credit
        other = next((found for (entity, value), found in waiting.items() if value == -amount and entity != line.entity
                      and found), None)  # fmt: skip
        if other:
            answered |= {id(line), id(other.pop())}
        else:
            waiting.setdefault((line.entity, amount), []).append(line)
    return [line for line in lines if id(line) not in answered] or lines


def still_open(evidence: Evidence) -> Iterator[Finding]:
    """Documents that are open longer than those of their account usually are; one finding for a counterparty."""
    view, beyond = evidence.view, evidence.tuning.of("old").degree
    frame = view.frame
    if len(evidence.before) < ENOUGH_TO_SETTLE:
        return
    standing = np.flatnonzero(frame.accounts.of_type("asset", "liability")[view.keys.account])
    places = (*sorted(evidence.before), evidence.at)
    sums = view.sums(
        LinesAsked(
            standing,
            ((ACTIVITY, places), (OPENING, places)),
            STATUS_CHOICES["posted"],
            filled=("counterparty", "document"),
        ),
        ("counterparty", "document"),
        by_key=True,
    )
    order = {place: number for number, place in enumerate(places)}
    documents: dict[tuple[int, str, str], list[tuple[int, int]]] = {}
    for at in range(len(sums.count)):
        party, document = sums.texts["counterparty"][at], sums.texts["document"][at]
        pair = int(evidence.pairs[2][sums.key[at]])
        amount = int(sums.debit[at] - sums.credit[at])
        documents.setdefault((pair, party, document), []).append((order[int(sums.period[at])], amount))
    yield from _open_ones(evidence, documents, beyond, dict(sums.names), len(places) - 1)


ENOUGH_TO_SETTLE = 6
SETTLED = Fraction(4, 5)


def _open_ones(
    evidence: Evidence,
    documents: dict[tuple[int, str, str], list[tuple[int, int]]],
    beyond: int,
    names: dict[str, str],
    now: int,
) -> Iterator[Finding]:
    frame = evidence.view.frame
    by_pair: dict[int, dict[tuple[str, str], list[tuple[int, int]]]] = {}
    for (pair, party, document), moves in documents.items():
        by_pair.setdefault(pair, {})[(party, document)] = sorted(moves)
    for pair, own in by_pair.items():
        account = frame.accounts.items[int(evidence.pairs[1][pair])]
        side = 1 if account.type == "asset" else -1
        begun = {name: moves for name, moves in own.items() if sum(a for p, a in moves if p == moves[0][0]) * side > 0}
        ages = sorted(moves[-1][0] - moves[0][0] for moves in begun.values() if sum(a for _, a in moves) == 0)
        older = [moves for moves in begun.values() if moves[0][0] <= now - 3]
        settled = sum(1 for moves in older if sum(a for _, a in moves) == 0)
        if len(ages) < RECENT or not older or settled < SETTLED * len(older):
            continue
        usual = ages[len(ages) * 9 // 10]
        parties: dict[str, list[tuple[str, int, int]]] = {}
        for (party, document), moves in begun.items():
            for begun_at, left in _unsettled(moves, side):
                if now - begun_at > usual + beyond:
                    parties.setdefault(party, []).append((document, left, now - begun_at))
        for party, left_open in parties.items():
            yield _told_open(evidence, pair, party, names.get(party, ""), left_open, usual)


def _unsettled(moves: Sequence[tuple[int, int]], side: int) -> list[tuple[int, int]]:
    """What of a document is open: (when it came, how much), the oldest settled first."""
    open_ones: list[tuple[int, int]] = []
    paid = 0
    for at, amount in moves:
        if amount * side > 0:
            open_ones.append((at, amount))
        else:
            paid += amount
    left = []
    for at, amount in open_ones:
        settled = -side * min(abs(paid), abs(amount))
        paid -= settled
        if amount + settled:
            left.append((at, amount + settled))
    return left


def _told_open(
    evidence: Evidence, pair: int, party: str, name: str, left_open: list[tuple[str, int, int]], usual: int
) -> Finding:
    frame = evidence.view.frame
    entity = int(evidence.pairs[0][pair])
    code, account = evidence.named(pair)
    age = max(age for _, _, age in left_open)
    documents = [document for document, _, _ in sorted(left_open, key=lambda one: -abs(one[1]))]
    many = f"{len(documents)} documents" if len(documents) > 1 else documents[0]
    behind = _lines_of(evidence, pair, documents)
    return Finding(
        "old",
        f"{frame.entities.items[entity].code} {code} {party}",
        f"{party} {name}".strip() + f", {many} open on {account}",
        f"Open for {age} periods; nine of ten are settled after {usual}.",
        abs(sum(amount for _, amount, _ in left_open)),
        frame.currencies[entity],
        evidence.digits(entity),
        60,
        frame.entities.items[entity].code,
        (code,),
        evidence.entries_of(behind),
    )


def _lines_of(evidence: Evidence, pair: int, documents: Sequence[str]) -> Sequence[EntryLine]:
    keys = np.flatnonzero(evidence.pairs[2] == pair)
    first = evidence.before[-1]
    return evidence.view.lines(keys, first, evidence.at, MOST_LINES, (("document", tuple(documents[:20])),))
