"""Loans, present values, returns and depreciation, to 28 digits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

from rulka.core.sheet.functions.maths import numbers_of
from rulka.core.sheet.registry import Cells, Given, Number, Whole, sheet_function
from rulka.core.sheet.values import DIV0, DIVIDED, NUM, ONE, ZERO, Fault, Value, array_of, as_number, day_of

D = DIVIDED
SMALL = Decimal("1e-20")


def _grown(rate: Decimal, periods: Decimal) -> Decimal:
    if rate <= -1:
        raise Fault(NUM, "A rate is above -100 %.")
    return D.power(ONE + rate, periods)


def _due(kind: int) -> int:
    return 1 if kind else 0


def future_value(rate: Decimal, periods: Decimal, payment: Decimal, present: Decimal, due: int) -> Decimal:
    """What stands at the end, signs as cash flows."""
    if rate == 0:
        return -(present + payment * periods)
    growth = _grown(rate, periods)
    return -(present * growth + payment * (ONE + rate * due) * D.divide(growth - 1, rate))


def payment_of(rate: Decimal, periods: Decimal, present: Decimal, future: Decimal, due: int) -> Decimal:
    """The even payment of a loan."""
    if periods == 0:
        raise Fault(NUM, "There is no period.")
    if rate == 0:
        return D.divide(-(present + future), periods)
    growth = _grown(rate, periods)
    return D.divide(-(present * growth + future) * rate, (ONE + rate * due) * (growth - 1))


@sheet_function("finance")
def PMT(rate: Number, periods: Number, present: Number, future: Number = ZERO, due: Whole = 0) -> Value:
    """The even payment of a loan. `=PMT(5%/12, 60, 20000)`"""
    return payment_of(rate, periods, present, future, _due(due))


@sheet_function("finance")
def FV(rate: Number, periods: Number, payment: Number, present: Number = ZERO, due: Whole = 0) -> Value:
    """What savings or a loan come to. `=FV(3%, 10, -1000)`"""
    return future_value(rate, periods, payment, present, _due(due))


@sheet_function("finance")
def PV(rate: Number, periods: Number, payment: Number, future: Number = ZERO, due: Whole = 0) -> Value:
    """What payments are worth today. `=PV(3%, 10, -1000)`"""
    if rate == 0:
        return -(future + payment * periods)
    growth = _grown(rate, periods)
    return D.divide(-(future + payment * (ONE + rate * _due(due)) * D.divide(growth - 1, rate)), growth)


@sheet_function("finance")
def NPER(rate: Number, payment: Number, present: Number, future: Number = ZERO, due: Whole = 0) -> Value:
    """How many periods a loan runs. `=NPER(5%/12, -400, 20000)`"""
    if rate == 0:
        if payment == 0:
            raise Fault(NUM)
        return D.divide(-(present + future), payment)
    paid = payment * (ONE + rate * _due(due))
    top, bottom = paid - future * rate, paid + present * rate
    if bottom == 0 or D.divide(top, bottom) <= 0 or rate <= -1:
        raise Fault(NUM, "It is never paid off.")
    return D.divide(D.ln(D.divide(top, bottom)), D.ln(ONE + rate))


def _interest(rate: Decimal, period: int, periods: Decimal, present: Decimal, future: Decimal, due: int) -> Decimal:
    if not 1 <= period <= periods:
        raise Fault(NUM, "The period lies outside of the loan.")
    payment = payment_of(rate, periods, present, future, due)
    if period == 1:
        return ZERO if due else -present * rate
    stands = future_value(rate, Decimal(period - 1 - due), payment, present, due)
    if due:
        stands -= payment
    return stands * rate


@sheet_function("finance")
def IPMT(rate: Number, period: Whole, periods: Number, present: Number, future: Number = ZERO, due: Whole = 0) -> Value:
    """The interest in one payment. `=IPMT(5%/12, 1, 60, 20000)`"""
    return _interest(rate, period, periods, present, future, _due(due))


@sheet_function("finance")
def PPMT(rate: Number, period: Whole, periods: Number, present: Number, future: Number = ZERO, due: Whole = 0) -> Value:
    """What one payment pays back. `=PPMT(5%/12, 1, 60, 20000)`"""
    paid = payment_of(rate, periods, present, future, _due(due))
    return paid - _interest(rate, period, periods, present, future, _due(due))


def _cumulated(
    work: Callable[[int], Decimal], rate: Decimal, periods: Decimal, present: Decimal, start: int, end: int, due: int
) -> Decimal:
    if (
        rate <= 0
        or periods <= 0
        or present <= 0
        or not 1 <= start <= end <= periods
        or due not in (0, 1)
        or end > 5_000
    ):
        raise Fault(NUM, "Rate, periods and amount are positive, start and end lie within the loan.")
    return sum((work(period) for period in range(start, end + 1)), ZERO)


@sheet_function("finance")
def CUMIPMT(rate: Number, periods: Number, present: Number, start: Whole, end: Whole, due: Whole) -> Value:
    """The interest paid from one payment to another. `=CUMIPMT(5%/12, 60, 20000, 1, 12, 0)`"""
    return _cumulated(
        lambda period: _interest(rate, period, periods, present, ZERO, due), rate, periods, present, start, end, due
    )


@sheet_function("finance")
def CUMPRINC(rate: Number, periods: Number, present: Number, start: Whole, end: Whole, due: Whole) -> Value:
    """What is paid back from one payment to another. `=CUMPRINC(5%/12, 60, 20000, 1, 12, 0)`"""
    paid = payment_of(rate, periods, present, ZERO, due)
    return _cumulated(
        lambda period: paid - _interest(rate, period, periods, present, ZERO, due),
        rate, periods, present, start, end, due,
    )  # fmt: skip


def _root(work: Callable[[Decimal], Decimal], guess: Decimal) -> Decimal:
    """Where something is zero: by the secant rule from a guess, else between two signs."""
    first, second = guess, guess + Decimal("0.01")
    try:
        at_first, at_second = work(first), work(second)
        for _ in range(60):
            if at_second == at_first:
                break
            following = second - D.divide(at_second * (second - first), at_second - at_first)
            if following <= -1:
                break
            first, at_first, second = second, at_second, following
            at_second = work(second)
            if abs(second - first) < SMALL:
                return D.plus(second)
    except (Fault, ArithmeticError):
        pass
    grid = [
        Decimal(number) / 100 for number in (*range(-99, 100, 3), *range(100, 1000, 50), *range(1000, 100_000, 5000))
    ]
    former: tuple[Decimal, Decimal] | None = None
    for rate in grid:
        value = work(rate)
        if former is not None and (former[1] < 0) != (value < 0):
            return _between(work, former[0], rate)
        former = rate, value
    raise Fault(NUM, "No rate was found.")


def _between(work: Callable[[Decimal], Decimal], low: Decimal, high: Decimal) -> Decimal:
    below = work(low) < 0
    for _ in range(110):
        middle = (low + high) / 2
        if (work(middle) < 0) == below:
            low = middle
        else:
            high = middle
    return D.plus(low)


@sheet_function("finance")
def RATE(
    periods: Number, payment: Number, present: Number, future: Number = ZERO, due: Whole = 0,
    guess: Number = Decimal("0.1"),
) -> Value:  # fmt: skip
    """The rate of a loan for each period. `=RATE(60, -400, 20000)`"""
    if periods <= 0:
        raise Fault(NUM)
    return _root(lambda rate: future_value(rate, periods, payment, present, _due(due)) - future, guess)


@sheet_function("finance", area=True)
def NPV(rate: Number, *flows: Given) -> Value:
    """What cash flows at the end of each period are worth today. `=NPV(8%, B2:B9)`"""
    if rate == -1:
        raise Fault(DIV0)
    result, factor = ZERO, ONE + rate
    discount = factor
    for flow in numbers_of(flows):
        result = D.add(result, D.divide(flow, discount))
        discount = D.multiply(discount, factor)
    return result


def _present(flows: Sequence[Decimal]) -> Callable[[Decimal], Decimal]:
    def worth(rate: Decimal) -> Decimal:
        result, factor, discount = ZERO, ONE + rate, ONE
        for flow in flows:
            result = D.add(result, D.divide(flow, discount))
            discount = D.multiply(discount, factor)
        return result

    return worth


def _both_signs(flows: Sequence[Decimal]) -> None:
    if not any(flow > 0 for flow in flows) or not any(flow < 0 for flow in flows):
        raise Fault(NUM, "There have to be flows in and out.")


@sheet_function("finance")
def IRR(flows: Cells, guess: Number = Decimal("0.1")) -> Value:
    """The rate at which cash flows are worth nothing. `=IRR(B2:B9)`"""
    numbers = list(numbers_of([flows]))
    _both_signs(numbers)
    return _root(_present(numbers), guess)


@sheet_function("finance")
def MIRR(flows: Cells, finance_rate: Number, reinvest_rate: Number) -> Value:
    """The rate of return with other rates for what is paid and earned. `=MIRR(B2:B9, 8%, 5%)`"""
    numbers = list(numbers_of([flows]))
    if not any(flow > 0 for flow in numbers) or not any(flow < 0 for flow in numbers):
        raise Fault(DIV0)
    paid = _present([min(flow, ZERO) for flow in numbers])(finance_rate)
    earned = _present([max(flow, ZERO) for flow in numbers])(reinvest_rate)
    count = Decimal(len(numbers) - 1)
    return D.power(D.divide(-earned * _grown(reinvest_rate, count), paid), D.divide(ONE, count)) - 1


def _dated(flows: Value, days: Value) -> tuple[list[Decimal], list[Decimal]]:
    amounts = [as_number(cell) for cell in array_of(flows).flat()]
    numbers = [as_number(cell).to_integral_value(rounding="ROUND_FLOOR") for cell in array_of(days).flat()]
    if len(amounts) != len(numbers) or not amounts:
        raise Fault(NUM, "Each flow needs its day.")
    for number in numbers:
        day_of(number)
    if any(number < numbers[0] for number in numbers):
        raise Fault(NUM, "A day lies before the first.")
    return amounts, [D.divide(number - numbers[0], Decimal(365)) for number in numbers]


def _dated_worth(amounts: Sequence[Decimal], years: Sequence[Decimal]) -> Callable[[Decimal], Decimal]:
    def worth(rate: Decimal) -> Decimal:
        base = ONE + rate
        if base <= 0:
            raise Fault(NUM)
        log = D.ln(base)
        return sum((D.divide(amount, D.exp(log * time)) for amount, time in zip(amounts, years, strict=True)), ZERO)

    return worth


@sheet_function("finance")
def XNPV(rate: Number, flows: Given, days: Given) -> Value:
    """What dated cash flows are worth on the first day. `=XNPV(8%, B2:B9, A2:A9)`"""
    amounts, years = _dated(flows, days)
    return _dated_worth(amounts, years)(rate)


@sheet_function("finance")
def XIRR(flows: Given, days: Given, guess: Number = Decimal("0.1")) -> Value:
    """The yearly rate at which dated cash flows are worth nothing. `=XIRR(B2:B9, A2:A9)`"""
    amounts, years = _dated(flows, days)
    _both_signs(amounts)
    return _root(_dated_worth(amounts, years), guess)


@sheet_function("finance")
def SLN(cost: Number, rest: Number, life: Number) -> Value:
    """Even depreciation for each period. `=SLN(10000, 1000, 5)`"""
    if life == 0:
        raise Fault(DIV0)
    return D.divide(cost - rest, life)


@sheet_function("finance")
def SYD(cost: Number, rest: Number, life: Number, period: Number) -> Value:
    """Depreciation by the sum of the years' digits. `=SYD(10000, 1000, 5, 1)`"""
    if life <= 0 or not 1 <= period <= life:
        raise Fault(NUM)
    return D.divide((cost - rest) * (life - period + 1) * 2, life * (life + 1))


@sheet_function("finance")
def DDB(cost: Number, rest: Number, life: Number, period: Number, factor: Number = Decimal(2)) -> Value:
    """Declining depreciation, twice the even rate. `=DDB(10000, 1000, 5, 1)`"""
    if cost < 0 or rest < 0 or life <= 0 or not 1 <= period <= life or factor <= 0 or life > 5_000:
        raise Fault(NUM)
    rate = min(D.divide(factor, life), ONE)
    written, value = ZERO, ZERO
    for _ in range(int(period)):
        value = max(min((cost - written) * rate, cost - rest - written), ZERO)
        written += value
    return D.plus(value)


@sheet_function("finance")
def DB(cost: Number, rest: Number, life: Whole, period: Whole, months: Whole = 12) -> Value:
    """Declining depreciation at a fixed rate. `=DB(10000, 1000, 5, 1)`"""
    if (
        cost < 0
        or rest < 0
        or life <= 0
        or not 1 <= period <= life + (months < 12)
        or not 1 <= months <= 12
        or life > 5_000
    ):
        raise Fault(NUM)
    if cost == 0:
        return ZERO
    rate = (
        ONE
        if rest == 0
        else (ONE - D.power(D.divide(rest, cost), D.divide(ONE, Decimal(life)))).quantize(Decimal("0.001"))
    )
    value = cost * rate * months / 12
    written = value
    for number in range(2, period + 1):
        value = (cost - written) * rate
        if number == life + 1:
            value = value * (12 - months) / 12
        written += value
    return D.plus(value)


@sheet_function("finance")
def EFFECT(nominal: Number, times: Whole) -> Value:
    """The effective rate of one that is paid several times a year. `=EFFECT(5%, 12)`"""
    if nominal <= 0 or times < 1:
        raise Fault(NUM)
    return D.power(ONE + D.divide(nominal, Decimal(times)), Decimal(times)) - 1


@sheet_function("finance")
def NOMINAL(effective: Number, times: Whole) -> Value:
    """The rate that is paid several times a year for an effective one. `=NOMINAL(5.12%, 12)`"""
    if effective <= 0 or times < 1:
        raise Fault(NUM)
    return (D.power(ONE + effective, D.divide(ONE, Decimal(times))) - 1) * times


@sheet_function("finance")
def RRI(periods: Number, present: Number, future: Number) -> Value:
    """The growth that leads from one value to another. `=RRI(5, 100, 150)`"""
    if periods <= 0 or present == 0:
        raise Fault(NUM)
    ratio = D.divide(future, present)
    if ratio < 0:
        raise Fault(NUM)
    return D.power(ratio, D.divide(ONE, periods)) - 1


@sheet_function("finance")
def PDURATION(rate: Number, present: Number, future: Number) -> Value:
    """How many periods it takes to grow. `=PDURATION(5%, 100, 150)`"""
    if rate <= 0 or present <= 0 or future <= 0:
        raise Fault(NUM)
    return D.divide(D.ln(future) - D.ln(present), D.ln(ONE + rate))
