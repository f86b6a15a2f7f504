"""The bounds that figures were computed within, as a name that what is kept of them bears."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.nodes import find_node
from rulka.core.errors import RulkaError
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import views_of


def fence_text(view: View) -> str:
    """What names the bounds of a view, however deep they let somebody get; nothing where it hides nothing but what is
    sealed."""
    return "" if view.fence.hides_nothing else view.fence.all_the_way_down.digest


def bounds_of(ledger: Ledger, computed: Computed) -> str:
    """What names the bounds of a run's node for its reader: nothing where all of the node, and of those that columns
    name, lies within them, so that everybody who sees them sees the same."""
    return "" if computed.view.fence.hides_nothing else bounds_within(computed.view, computed, views_of(ledger))


def bounds_within(view: View, computed: Computed, through: Callable[[Fence], View]) -> str:
    """The same for whoever has another view of a run's ledger; `through` gives the ledger through any fence."""
    if view.fence.hides_nothing:
        return ""
    whole = through(view.fence.unbounded)
    nodes = (computed.node, *(column.node for column in computed.columns if column.node is not None))
    for code in {node.code for node in nodes}:
        counts = [_booked(one, code, computed) for one in (view, whole)]
        if counts[0] != counts[1]:
            return fence_text(view)
    return ""


def _booked(view: View, code: str, computed: Computed) -> int:
    """How many posting keys of a node were ever booked, as far as a view goes; -1 where it has no such node."""
    try:
        node = find_node(view, code, computed.statement.scope, translated=computed.plan.translated)
    except RulkaError:
        return -1
    return int(np.sum(node.keys & view.was_booked))
