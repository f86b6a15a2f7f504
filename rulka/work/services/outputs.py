"""Files of statements in the background: asked for, found, and what all jobs have."""

from __future__ import annotations

from typing import Any

from rulka.core.errors import NotFound
from rulka.work.models import Output
from rulka.work.services.jobs import Jobs


class Outputs(Jobs[Output]):
    """The files that are asked for."""

    def create(self, **values: Any) -> Output:
        """A file that is asked for."""
        return Output.objects.create(**values)

    def find(self, number: int, person: int) -> Output:
        """A file that somebody asked for; nobody else's."""
        found = Output.objects.filter(pk=number, person=person).first()
        if found is None:
            raise NotFound("This file does not exist.", hint="Ask for it again.", subject="output")
        return found

    def fail(self, number: int, problem: str) -> None:
        """Say what nobody expected."""
        Output.objects.filter(pk=number).update(state=Output.State.FAILED, problem=problem)


OUTPUTS = Outputs(Output)
