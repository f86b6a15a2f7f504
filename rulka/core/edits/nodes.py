"""Nodes of a scope as text that a person edits: one row a node, `code | name | what it is`, deeper rows below it, `grow
department`, deeper what grows within each of these."""

from __future__ import annotations

from collections.abc import Sequence

from rulka.core.edits.tree import Edited, Raw
from rulka.core.errors import RulkaError

STEP = "  "


def text_of_nodes(nodes: Sequence[Raw], depth: int = 0) -> str:
    """The nodes of a scope's body as rows of text."""
    rows = []
    for node in nodes:
        if "grow" in node:
            rows.append(f"{STEP * depth}grow {node['grow']}")
            rows += [text_of_nodes(node["nodes"], depth + 1)] if node.get("nodes") else []
            continue
        parts = [node["node"], node.get("name", node["node"]), *([node["of"]] if node.get("of") else [])]
        rows.append(STEP * depth + " | ".join(parts))
        rows += [text_of_nodes(node["nodes"], depth + 1)] if node.get("nodes") else []
    return "\n".join(rows)


def nodes_of_text(text: str) -> list[Raw]:
    """Rows of text as nodes; raises RulkaError that names the row."""
    tops: list[Raw] = []
    open_rows: list[tuple[int, Raw]] = []
    for number, row in enumerate(text.splitlines(), 1):
        if not row.strip():
            continue
        depth = len(row) - len(row.lstrip())
        while open_rows and open_rows[-1][0] >= depth:
            open_rows.pop()
        node = _node(row.strip(), number)
        if open_rows and "grow" in open_rows[-1][1] and "grow" not in node:
            raise RulkaError(
                f"Row {number} stands below 'grow', which makes its nodes by itself.",
                hint="Indent it less, or let something else grow there.",
                subject="nodes",
            )
        (open_rows[-1][1].setdefault("nodes", []) if open_rows else tops).append(node)
        open_rows.append((depth, node))
    if not tops:
        raise RulkaError(
            "A scope keeps at least one node.",
            hint="Write one, such as 'TF | Ternwick Ferries | entity: TF'.",
            subject="nodes",
        )
    return tops


def _node(row: str, number: int) -> Raw:
    if row.startswith("grow "):
        return {"grow": row.removeprefix("grow ").strip()}
    code, *rest = [part.strip() for part in row.split("|")]
    if not code or len(rest) > 2:
        raise RulkaError(
            f"Row {number} isn't written as code | name | what it is.", hint=f"It reads: {row}", subject="nodes"
        )
    node: Raw = {"node": code}
    if rest and rest[0]:
        node["name"] = rest[0]
    if len(rest) > 1 and rest[1]:
        node["of"] = rest[1]
    return node


def set_nodes(body: Raw, text: str, title: str) -> Edited:
    """Give a scope the nodes that a text says."""
    nodes = nodes_of_text(text)
    if nodes == body["nodes"]:
        return Edited("")
    body["nodes"] = nodes
    return Edited(f"nodes of {title} changed")
