"""The panel that holds a sheet against the accounts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.http import QueryDict

from rulka.core.money import GAP, MINUS
from rulka.core.sheet.addresses import Key, cell_text
from rulka.core.sheet.covering import Coverage, Odd
from rulka.core.sheet.number_format import write
from rulka.core.sheet.values import SheetError
from rulka.core.values import key_in
from rulka.screen import PanelBody
from rulka.worksheets.pages.readers import WorksheetRequest
from rulka.worksheets.running.live import Live

MOST_SHOWN = 200


@dataclass(frozen=True)
class ShownOdd:
    """An account of the panel: its amount written out, the cells that ask for it."""

    code: str
    name: str
    amount: str
    cells: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class CheckPanel(PanelBody):
    """What a group of formulas misses of the accounts and covers twice; the groups as (number, title, how many
    formulas); how many missing accounts have nothing, how many `more` don't show."""

    html = "worksheets/_panel_check.html"
    selection: str
    groups: Sequence[tuple[int, str, int]]
    group: int
    coverage: Coverage | None
    missing: Sequence[ShownOdd]
    twice: Sequence[ShownOdd]
    nothing: int
    more: int


def check_panel(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> CheckPanel:
    """What the sheet's formulas miss and cover twice, for the group of formulas that is looked at."""
    sheet = live.workbook.sheet(key[0])
    found = live.coverage(sheet)
    number = min(key_in(asked.get("group", "0")), max(len(found) - 1, 0))
    chosen = found[number] if found else None
    return CheckPanel(
        selection=sheet.settings.get("check", ""),
        groups=[(at, one.group.title, len(one.group.askers)) for at, one in enumerate(found)],
        group=number,
        coverage=chosen,
        missing=_shown(chosen.missing) if chosen else (),
        twice=_shown(chosen.twice) if chosen else (),
        nothing=sum(odd.is_nothing for odd in chosen.missing) if chosen else 0,
        more=_more(chosen),
    )


def _more(chosen: Coverage | None) -> int:
    return max(max(len(chosen.missing), len(chosen.twice)) - MOST_SHOWN, 0) if chosen else 0


def _shown(odd: tuple[Odd, ...]) -> list[ShownOdd]:
    return [
        ShownOdd(
            one.code,
            one.name,
            one.amount.code
            if isinstance(one.amount, SheetError)
            else write(one.amount, "#,##0.00", gap=GAP, minus=MINUS)
            if one.amount is not None and not hasattr(one.amount, "rows")
            else "",
            tuple(dict.fromkeys(cell_text(key[1], key[2]) for key in one.cells))[:6],
        )
        for one in odd[:MOST_SHOWN]
    ]
