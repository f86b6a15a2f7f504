"""Files of many pages, made in the background: asked for, made node by node with progress, cancelled, taken away."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.ledger.reading.queries import find_ledger
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.assemble import find_definition
from rulka.statements.library.shelves import RUN, required
from rulka.statements.output.exports import Maker, export, file_name
from rulka.statements.running.runs import run_pages
from rulka.work.models import Output


def make(number: int) -> None:
    """Make a queued file, as the person who asked for it may see it."""
    if not Output.objects.filter(pk=number, state=Output.State.WAITING).update(state=Output.State.RUNNING):
        return
    output = Output.objects.get(pk=number)
    try:
        content, name = _content(output, lambda done, of: _tell(number, done, of))
    except Cancelled:
        _end(number, Output.State.CANCELLED)
    except RulkaError as error:
        _end(number, Output.State.FAILED, problem=str(error))
    else:
        folder = settings.VAR / "outputs"
        folder.mkdir(exist_ok=True)
        path = folder / f"{number}.{output.form}"
        path.write_bytes(content)
        _end(number, Output.State.READY, file=str(path), name=name)


class Cancelled(RulkaError):
    """Somebody doesn't want the file any more."""


def _tell(number: int, done: int, of: int) -> None:
    Output.objects.filter(pk=number).update(done=done, of=of)
    if Output.objects.filter(pk=number, cancel=True).exists():
        raise Cancelled("Cancelled.")


def _end(number: int, state: str, **values: str) -> None:
    Output.objects.filter(pk=number).update(state=state, ended=timezone.now(), **values)


def _content(output: Output, tell: Callable[[int, int], None]) -> tuple[bytes, str]:
    ledger = find_ledger(output.ledger)
    person = Person.objects.get(pk=output.person)
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
