"""Files of many pages, made in the background: asked for, made node by node with progress, cancelled, taken away."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings

from rulka.core.errors import NotFound, RulkaError
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.persons import find_person
from rulka.people.library.rights import fence_of
from rulka.statements.library.assemble import find_definition
from rulka.statements.library.shelves import RUN, required
from rulka.statements.output.exports import Maker, export, file_name
from rulka.statements.running.runs import run_pages
from rulka.work.models import Output
from rulka.work.services import outputs


def make(number: int) -> None:
    """Make a queued file, as the person who asked for it may see it."""
    output = outputs.claim(number)
    if output is None:
        return
    try:
        content, name = _content(output, lambda done, of: outputs.tell(number, done, of))
    except outputs.Cancelled:
        outputs.end(number, Output.State.CANCELLED)
    except RulkaError as error:
        outputs.end(number, Output.State.FAILED, problem=str(error))
    else:
        folder = settings.VAR / "outputs"
        folder.mkdir(exist_ok=True)
        path = folder / f"{number}.{output.form}"
        path.write_bytes(content)
        outputs.end(number, Output.State.READY, file=str(path), name=name)


def _content(output: Output, tell: Callable[[int, int], None]) -> tuple[bytes, str]:
    ledger = find_ledger(output.ledger)
    person = find_person(output.person)
    if person is None:
        raise NotFound("Whoever asked for this file is gone.", hint="Ask for it again.", subject="output")
    definition = find_definition(ledger, "statement", output.statement)
    required(person, definition, RUN)
    fence = fence_of(person.username, ledger.code)
    outcomes = run_pages(
        ledger, definition.name, output.period, output.node, fence, pages=output.pages, in_depth=True, tell=tell
    )
    maker = Maker(output.person_name, (lambda name: f"{output.address}{name}/") if output.address else None)
    content = export(outcomes, ledger, output.form, maker)
    return content.encode() if isinstance(content, str) else content, file_name(
        outcomes[0], output.form, several=output.pages != "node"
    )
