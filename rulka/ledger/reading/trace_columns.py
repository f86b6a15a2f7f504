"""The columns that journal lines of a trace can show, be ordered by and ticked in."""

from __future__ import annotations

from typing import Any

from rulka.core.books.book import View
from rulka.core.books.calendar import period_code, period_number
from rulka.core.errors import NotFound, one_of
from rulka.core.values import is_whole

TEXT_COLUMNS = {
    "document": "l.document",
    "counterparty": "l.counterparty",
    "counterparty name": "l.counterparty_name",
    "text": "l.description",
    "source": "l.source",
    "user": 'l."user"',
    "entry": "e.number",
    "line": "l.line",
    "kind": "e.kind",
    "batch": "l.batch",
}
"""Columns that lines and entries keep as texts."""

OWN_COLUMNS = {"date": "l.date", "period": "l.period", "status": "l.status", "revision": "l.revision"}
AMOUNTS = ("debit", "credit", "amount")
SEARCHED = ("text", "document", "counterparty", "counterparty name", "source", "entry")
LIST_COLUMNS = ("date", "document", "text", "amount")
"""Columns that show where nobody chose."""


def columns_of(view: View) -> list[str]:
    """Every column that lines can show, in the order in which they are offered."""
    keyed = ["account", "entity", *view.frame.dimensions, "partner"]
    return [
        *("date", "period", "entry", "line", *keyed, "document", "counterparty", "counterparty name", "text", "source"),
        *("user", "kind", "status", "batch", *AMOUNTS, "so far", "revision", "feed", "file", "row"),
    ]


def keyed(view: View) -> tuple[str, ...]:
    return ("account", "entity", "partner", *view.frame.dimensions)


def places(view: View) -> dict[int, int]:
    """Where each stored posting key stands in the view; kept."""
    return view.kept(
        ("places of keys",), lambda: {int(key): at for at, key in enumerate(view.keys.ids.tolist()) if key}
    )


class KeyCodes:
    """The code of one part of posting keys: account, entity, partner or a dimension's member."""

    def __init__(self, view: View, name: str) -> None:
        if name not in keyed(view):
            raise NotFound(f"'{name}' is no column of lines.", hint=one_of(name, columns_of(view)), subject="column")
        frame, keys = view.frame, view.keys
        self.place = places(view)
        if name in ("account", "entity", "partner"):
            codes = frame.accounts if name == "account" else frame.entities
            self.at = {"account": keys.account, "entity": keys.entity, "partner": keys.partner}[name]
        else:
            codes = frame.dimensions[name]
            self.at = keys.members[:, list(frame.dimensions).index(name)]
        self.items = codes.items

    def of(self, key: int) -> str:
        """By the stored id of a posting key."""
        return self.of_place(self.place[key])

    def of_place(self, place: int) -> str:
        at = self.at[place]
        return self.items[at].code if at >= 0 else ""


def labels_of(view: View, column: str) -> dict[str, str]:
    if column not in keyed(view):
        return {}
    frame = view.frame
    codes = {"account": frame.accounts, "entity": frame.entities, "partner": frame.entities}.get(column)
    chosen = codes or frame.dimensions[column]
    return {item.code: f"{item.code} {item.name}".strip() if item.code != "-" else "none" for item in chosen.items}


def written(column: str, value: Any) -> str:
    if column == "period":
        return period_code(value)
    if column == "status":
        return "pending" if value else "posted"
    return str(value)


def stored(column: str, value: str) -> Any:
    if column == "period":
        return period_number(value) if len(value) == 8 and is_whole(value[:4]) and is_whole(value[6:]) else -1
    if column == "status":
        return {"posted": 0, "pending": 1}.get(value, -1)
    if column == "revision":
        return int(value) if is_whole(value) else -1
    return value
