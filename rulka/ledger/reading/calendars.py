"""An entity's books by a calendar of its own."""

from __future__ import annotations

from rulka.core.books.book import View
from rulka.core.errors import NotFound, RulkaError


def in_own_calendar(view: View, entity: str) -> View:
    """What is seen, in the calendar that an entity names; entities that keep another one are not in it."""
    frame = view.frame
    if entity not in frame.entities.index or not view.visible_entities()[frame.entities.index[entity]]:
        raise NotFound(f"Entity '{entity}' does not exist.", subject="entity")
    name = frame.entity_calendars[frame.entities.index[entity]]
    if not name:
        raise RulkaError(
            f"{entity} names no calendar of its own.", hint="Its calendar is the group's.", subject="calendar"
        )
    return view.in_calendar(name)
