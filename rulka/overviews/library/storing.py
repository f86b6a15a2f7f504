"""Overviews in and out of the database: texts to checked definitions, changes with both states."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.overviews.definitions import OverviewDef, overview_from
from rulka.formats.overview_file import OVERVIEWS
from rulka.overviews.library.opening import ONLY_RUNS, RESERVED
from rulka.overviews.models import Overview, OverviewStep
from rulka.statements.library.texts import Texts


def checked(body: Mapping[str, Any], where: str = "") -> OverviewDef:
    """A mapping as a definition; raises RulkaError that says where what is wrong."""
    OVERVIEWS.check(body, where)
    return overview_from(body)


TEXTS: Texts[Overview] = Texts("overview", Overview, OverviewStep, checked, RESERVED, ONLY_RUNS)
