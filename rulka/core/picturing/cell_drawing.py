"""A figure beside its own plan, in the cell of a table: a block, a notch at budget, a diamond at the year before."""

from __future__ import annotations

from fractions import Fraction

from rulka.core.picturing.drawings import DIAMOND, NOTCH, Drawing, DrawnMark, DrawnRule, MarkKind
from rulka.core.picturing.scales import shared

HIGH, BLOCK = 20, 10


def cell_drawing(
    value: Fraction | None, budget: Fraction | None, prior: Fraction | None, wide: int, said: dict[MarkKind, str]
) -> Drawing | None:
    """Draw a figure on a scale of its own, which the column's heading has to say; None where there is nothing to
    measure it by. `said` is what each mark says."""
    if value is None or (budget is None and prior is None):
        return None
    scale = shared((value, budget, prior), wide - DIAMOND)
    left, top = DIAMOND // 2, (HIGH - BLOCK) // 2
    begins, long = scale.bar(Fraction(0), value)
    marks = [DrawnMark("actual", round(left + begins, 1), top, max(long, 1), BLOCK, "", said["actual"])]
    if budget is not None:
        end = left + scale.place(budget)
        marks.append(DrawnMark("budget", round(end - NOTCH / 2, 1), 1, NOTCH, HIGH - 2, "", said["budget"]))
    if prior is not None:
        end = left + scale.place(prior)
        box = (round(end - DIAMOND / 2, 1), (HIGH - DIAMOND) / 2, DIAMOND, DIAMOND)
        marks.append(DrawnMark("prior", *box, "", said["prior"]))
    zero = round(left + scale.place(Fraction(0)), 1)
    return Drawing(wide, HIGH, marks, [], [DrawnRule(zero, 1, zero, HIGH - 1, soft=True)])
