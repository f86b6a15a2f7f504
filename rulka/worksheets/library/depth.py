"""How deep somebody gets from a worksheet's figures, by the shelf on which it stands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on
from rulka.worksheets.models import Worksheet


def depth_at(ledger: Ledger, person: Person, route: str, arguments: Mapping[str, Any]) -> str:
    """How deep somebody gets at the address of a worksheet."""
    name = arguments.get("name")
    if name is None or not (route.startswith("worksheets/<str:name>/") or arguments.get("of") == "worksheet"):
        return DEPTHS[-1]
    number = Worksheet.objects.filter(ledger=ledger, name=name).values_list("shelf", flat=True).first()
    return depth_on(person, number)
