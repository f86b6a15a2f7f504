"""The rates at which a translated figure's amounts were restated."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from rulka.core.books.translation import rate_of_account
from rulka.core.proof.splits import OpenedFigure

MOST_RATES = 6


@dataclass(frozen=True)
class ShownRate:
    """One rate: what it turns into what, of which kind, when, and how much."""

    source: str
    target: str
    kind: str
    period: str
    value: Fraction


def rates_of(opened: OpenedFigure) -> tuple[ShownRate, ...]:
    """The rates behind a translated figure, the newest first; nothing where more than a few were used."""
    found: dict[tuple[str, str, str], ShownRate] = {}
    for pool in opened.pools or ():
        if not pool.is_translated:
            continue
        view = opened.computed.view
        frame = view.frame
        currencies = {frame.currencies[place] for place in view.keys.entity[pool.keys]} - {frame.group_currency}
        stands = pool.measure in ("opening", "closing", "average")
        kinds = {
            "closing" if stands and rate_of_account(frame, int(place)) == "closing" else "average"
            for place in set(view.keys.account[pool.keys].tolist())
            if rate_of_account(frame, int(place))
        }
        window = pool.reading.window
        of_period = {place for one in pool.slices if one.kind == "period" for place in one.places}
        for kind in kinds:
            places = {window.last} if kind == "closing" and window else of_period
            for place in places:
                period = next(p for p in reversed(frame.calendar.periods[: place + 1]) if not p.adjusting)
                for currency in currencies:
                    rate = frame.rates.find(kind, period.code, currency, frame.group_currency)
                    if rate is not None:
                        shown = ShownRate(currency, frame.group_currency, kind, period.code, rate)
                        found[kind, period.code, currency] = shown
    rates = sorted(found.values(), key=lambda one: (one.period, one.kind, one.source), reverse=True)
    return tuple(rates) if len(rates) <= MOST_RATES else ()
