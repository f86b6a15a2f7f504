"""Loads dispatches from YAML files: what goes to whom, by which ways; all scalars are read as text."""

from __future__ import annotations

from typing import Any

from rulka.dispatch.library.storing import save_dispatch
from rulka.dispatch.models import Dispatch
from rulka.formats.dispatch_file import DISPATCHES
from rulka.ledger.commanding import LoadCommand, person_asked
from rulka.ledger.models import Ledger


class Command(LoadCommand):
    help = __doc__
    writes_output = True
    texts = DISPATCHES
    what = "dispatch"

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[Dispatch, bool]:
        return save_dispatch(ledger, body, options["where"], person=person_asked(options["person"])), True
