"""Cells as a drawing: a column of figures as rows with bars, several columns as a drawing each on one scale."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.errors import RulkaError
from rulka.core.picturing.column_drawing import DrawnMonth, column_drawing, month_scale
from rulka.core.picturing.drawings import Drawing, Written
from rulka.core.picturing.ranked_drawing import Contributor, ranked_drawing
from rulka.core.picturing.together import BETWEEN, together

MOST_COLUMNS, MOST_ROWS = 12, 60
HIGH, NARROWEST, EACH = 150, 128, 34


@dataclass(frozen=True)
class Grid:
    """Cells to be drawn: names of columns and rows, and by row the figure of each column, None where there is none."""

    heads: tuple[str, ...]
    names: tuple[str, ...]
    figures: tuple[tuple[Fraction | None, ...], ...]


def grid_of(cells: Sequence[Sequence[Fraction | str | None]]) -> Grid:
    """What cells say: a first row or column without any figure names the others. RulkaError where no figure is left,
    or more than a drawing holds."""
    rows = [list(row) for row in cells]
    names_rows = bool(rows) and any(row[0] for row in rows) and not any(isinstance(row[0], Fraction) for row in rows)
    names_rows = names_rows and len(rows[0]) > 1
    inner = [row[1:] if names_rows else row for row in rows]
    names_columns = len(inner) > 1 and not any(isinstance(cell, Fraction) for cell in inner[0])
    heads = (
        [str(cell or "") for cell in inner[0]] if names_columns and inner else ["" for _ in inner[0]] if inner else []
    )
    body = list(enumerate(inner))[1:] if names_columns else list(enumerate(inner))
    with_figures = [
        (number_in_all, row) for number_in_all, row in body if any(isinstance(cell, Fraction) for cell in row)
    ]
    if not with_figures:
        raise RulkaError("There are no figures in these cells.", hint="Choose cells with figures.", subject="drawing")
    if len(with_figures) > MOST_ROWS or len(heads) > MOST_COLUMNS:
        raise RulkaError(
            f"A drawing holds {MOST_ROWS} rows and {MOST_COLUMNS} columns.", hint="Choose fewer cells.",
            subject="drawing",
        )  # fmt: skip
    names = tuple(
        str(rows[number_in_all][0] or "") if names_rows else str(number)
        for number, (number_in_all, _) in enumerate(with_figures, 1)
    )
    figures = tuple(tuple(cell if isinstance(cell, Fraction) else None for cell in row) for _, row in with_figures)
    return Grid(tuple(heads), names, figures)


def range_drawing(grid: Grid, wide: int, written: Written) -> Drawing:
    """Draw cells at a width in pixels: one column as rows with bars, several as a drawing each. RulkaError where they
    have no room."""
    try:
        if len(grid.heads) == 1:
            rows = [Contributor("", name, row[0]) for name, row in zip(grid.names, grid.figures, strict=True)]
            drawing = ranked_drawing(rows, wide, written)
            return together([(grid.heads[0], drawing)], wide)
        runs = [
            (head, [DrawnMonth("", name, row[place]) for name, row in zip(grid.names, grid.figures, strict=True)])
            for place, head in enumerate(grid.heads)
        ]
        scale = month_scale([months for _, months in runs], HIGH)
        room = max((wide + BETWEEN) // min(len(runs), 3) - BETWEEN, NARROWEST)
        own = min(max(EACH * len(grid.names), NARROWEST), room)
        drawings = [(head, column_drawing(months, (own, HIGH), written, scale)) for head, months in runs]
        return together(drawings, wide, (f"one scale for all {len(runs)}",))
    except ValueError as error:
        raise RulkaError("The drawing has no room.", hint="Make it wider.", subject="drawing") from error
