"""What tests of dispatches share: a pack that goes to three people, and how it is sent."""

from __future__ import annotations

from rulka.dispatch.library.storing import find_dispatch
from rulka.dispatch.running.delivering import prepare
from rulka.ledger.models import Ledger
from rulka.people.models import Person

PERIOD = "2026-P01"
PACK = """
dispatch: month-pack
title: Month pack
sends:
- {statement: result, as: [workbook, pdf, csv], node: A}
- {statement: by-department, as: csv, node: theirs, file: "{name} {node}: {period.code}"}
to:
- {person: amy, node: '10', by: [mail, board]}
- {person: lea, node: '10'}
- {person: kim, node: '20', by: mail}
ways:
- way: mail
  subject: '{node}, {period}: {figure result / result / now}'
  text: |
    Good morning {name},
    wages were {figure result / wages / now} {currency}, sheet {cell sums / C1}.
- {way: folder, name: board, path: 'board/{period.code}'}
"""


def prepared(occasion="2026-P01, once", person="amy", name="month-pack", **options):
    """An occasion of a dispatch, all of it made and written down."""
    owner = Person.objects.get(username=person)
    dispatch = find_dispatch(Ledger.objects.get(code="s"), name, person=owner)
    return prepare(dispatch, PERIOD, occasion, person=owner, **options)


def states(sending):
    """(person, way) to state and answer."""
    return {(one.person_name, one.way): (one.state, one.answer) for one in sending.deliveries.all()}
