"""Files of many pages, made in the background: asked for, made node by node with progress, cancelled, taken away."""

from __future__ import annotations

from collections.abc import Callable

from rulka.core.errors import NotFound, RulkaError
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.persons import find_person
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.opening import open_stored
from rulka.statements.output.exports import Maker, file_name, leave
from rulka.statements.running.runs import run_pages, view_by
from rulka.work.models import Output
from rulka.work.services import files
from rulka.work.services.jobs import JobCancelled
from rulka.work.services.outputs import OUTPUTS


def make(number: int) -> None:
    """Make a queued file, as the person who asked for it may see it."""
    output = OUTPUTS.claim(number)
    if output is None:
        return
    try:
        content, name, fence = _content(output, lambda done, of: OUTPUTS.tell(number, done, of))
    except JobCancelled:
        OUTPUTS.end(number, Output.State.CANCELLED)
    except RulkaError as error:
        OUTPUTS.end(number, Output.State.FAILED, problem=str(error))
    else:
        path = files.keep(f"{number}.{output.form}", content)
        OUTPUTS.end(number, Output.State.READY, file=path, name=name, fence=fence)


def _content(output: Output, tell: Callable[[int, int], None]) -> tuple[bytes, str, str]:
    """A file's bytes and name, and what names the bounds that its figures lie within."""
    ledger = find_ledger(output.ledger)
    person = find_person(output.person)
    if person is None:
        raise NotFound("Whoever asked for this file is gone.", hint="Ask for it again.", subject="output")
    definitions = open_stored(ledger, output.of_definition, output.statement, person=person)
    fence = fence_of(person, ledger.code)
    outcomes = run_pages(
        definitions,
        output.period,
        output.node,
        fence,
        person=person,
        pages=output.pages,
        in_depth=True,
        tell=tell,
    )
    maker = Maker(output.person_name, (lambda name: f"{output.address}{name}/") if output.address else None, person.pk)
    content = leave(outcomes, ledger, output.form, maker)
    name = file_name(outcomes[0], output.form, several=output.pages != "node")
    return content, name, outcomes[0].computed.view.fence.digest


def may_take(output: Output, person: Person) -> bool:
    """Whether somebody still may have a file of theirs: they may run its statement, within the bounds that it was made
    within."""
    try:
        ledger = find_ledger(output.ledger)
        definitions = open_stored(ledger, output.of_definition, output.statement, person=person)
        return view_by(definitions, fence_of(person, ledger.code), person).fence.digest == output.fence
    except RulkaError:
        return False
