"""An expanding line to a section of fixed lines, as it stands now: for someone who wants today's state."""

from __future__ import annotations

from typing import Any

from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import Leaf
from rulka.core.errors import RulkaError

KEPT = ("sign", "measure", "window", "shift", "scenario", "entries", "favourable", "columns", "intercompany", "detail")
"""What the fixed lines have from the expanding one."""


def frozen(computed: Computed, raw: dict[str, Any], key: str) -> dict[str, Any]:
    """The section that stands for an expanding line, as a definition writes it.

    `raw` is the line as it is written. Only rows that show become lines; their labels and order stay, and the section
    has the line's label and key, so that formulas go on. Raises RulkaError for lines that don't expand or that entries
    expand.
    """
    leaves = computed.plan.leaves.by_line.get(key, ())
    expand = computed.line(key).expand
    if not expand:
        raise RulkaError(
            "It doesn't expand, so there is nothing to freeze.",
            subject=f"line {computed.line(key).label}",
            code="freeze",
        )
    if any(leaf.detail for outer in leaves for leaf in outer.walk()):
        raise RulkaError(
            "Entries and counterparties can't be frozen.",
            hint="Take them off the line first.",
            subject=f"line {computed.line(key).label}",
        )
    rows = {row.key: place for place, row in enumerate(computed.rows) if not row.hidden}
    shown = sorted((leaf for leaf in leaves if leaf.key in rows), key=lambda leaf: rows[leaf.key])
    if not shown:
        raise RulkaError(
            "No row of it shows, so there is nothing to freeze.",
            subject=f"line {computed.line(key).label}",
            code="freeze",
        )
    return {"section": raw["line"], "key": key, "lines": [_line(leaf, raw, expand[0], computed) for leaf in shown]}


def _line(leaf: Leaf, raw: dict[str, Any], kind: str, computed: Computed) -> dict[str, Any]:
    kept = {name: raw[name] for name in KEPT if name in raw}
    rest = raw.get("expand", "")
    deeper = rest[1:] if isinstance(rest, list) else []
    fixed: dict[str, Any] = {"line": leaf.label, "accounts": _selection(leaf, raw["accounts"], kind, computed), **kept}
    if not kept.get("sign"):
        column = next((column for column in computed.columns if column.has_figures), None)
        fixed["sign"] = "flipped" if column and computed.readings.line_sign(leaf, column) < 0 else "as booked"
    if deeper:
        fixed["expand"] = deeper
    return fixed


def _selection(leaf: Leaf, text: str, kind: str, computed: Computed) -> str:
    """The line's own narrowing with one clause more."""
    if kind == "accounts":
        return f"{text}; account: {leaf.account}"
    if kind == "children":
        items = computed.view.frame.accounts.items
        codes = [item.code for item, inside in zip(items, leaf.accounts, strict=True) if inside]
        return f"{text}; account: {', '.join(codes)}"
    return f"{text}; {'entity' if kind == 'entities' else kind}: {leaf.member}"
