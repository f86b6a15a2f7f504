"""Sends a dispatch for a period, or rehearses it: what would go to whom; exit code 4 where something wasn't."""

from __future__ import annotations

import json
import sys
from argparse import ArgumentParser
from hashlib import sha256
from typing import Any

from rulka.core.errors import NotFound, RulkaError
from rulka.dispatch.library.storing import find_dispatch
from rulka.dispatch.models import Delivery, Dispatch
from rulka.dispatch.running.delivering import ask, by_hand, deliver_all, prepare, rehearse, send_again
from rulka.dispatch.running.tasks import call
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.people.models import Person

Told = dict[str, Any]


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the dispatch")
        parser.add_argument("--period", default="", help="the reporting period, such as 2027-P07")
        parser.add_argument("--rehearse", action="store_true", help="say what would go to whom, send nothing")
        parser.add_argument("--to", default="", help="to this person only")
        parser.add_argument("--queue", action="store_true", help="leave it to the worker")
        parser.add_argument("--again", default="", metavar="IDENTITY", help="one delivery once more, as the same one")
        parser.add_argument("--format", choices=("text", "json"), default="text")

    def run(self, **options: Any) -> None:
        person = person_asked(options["person"])
        dispatch = find_dispatch(find_ledger(options["ledger"]), options["name"], person=person)
        period, only = options["period"], options["to"]
        if options["again"]:
            told = [_told(_sent_again(dispatch, options["again"], person))]
        elif not period:
            raise RulkaError("Of which period?", hint="Write --period 2027-P07.", subject="period")
        elif options["queue"]:
            sending = ask(dispatch, period, by_hand(dispatch, period), person=person, only=only)
            call()
            self.deliver(f"{sending.occasion}: waits for the worker\n", options)
            return
        elif options["rehearse"]:
            planned = rehearse(dispatch, period, person=person, only=only)
            told = [
                {
                    "to": one.person_name, "way": one.way,
                    "files": [
                        {"name": file.name, "bytes": len(file.content), "digest": sha256(file.content).hexdigest()}
                        for file in one.files
                    ],
                    "state": "not sent" if one.problem else "rehearsed", "answer": one.problem or one.target,
                }
                for one in planned
            ]  # fmt: skip
        else:
            sending = prepare(dispatch, period, by_hand(dispatch, period), person=person, only=only)
            deliver_all(sending)
            told = [_told(one) for one in sending.deliveries.all()]
        self.deliver(_written(told, options["format"]), options)
        if any(one["state"] not in (Delivery.State.DELIVERED, "rehearsed") for one in told):
            sys.exit(4)


def _sent_again(dispatch: Dispatch, identity: str, person: Person | None) -> Delivery:
    """One delivery once more, by a person's choice."""
    sent = Delivery.objects.filter(sending__ledger=dispatch.ledger.code, sending__dispatch=dispatch.name)
    found = sent.filter(identity=identity).select_related("sending").first()
    if found is None:
        raise NotFound(f"No delivery of it is called '{identity[:40]}'.", subject="again")
    send_again(found, dispatch, person=person)
    found.refresh_from_db()
    return found


def _told(one: Delivery) -> Told:
    return {
        "to": one.person_name,
        "way": one.way,
        "files": [{name: file[name] for name in ("name", "bytes", "digest")} for file in one.files],
        "state": one.state,
        "answer": one.answer,
        "identity": one.identity,
    }


def _written(told: list[Told], form: str) -> str:
    if form == "json":
        return json.dumps(told, ensure_ascii=False, indent=1) + "\n"
    lines = []
    for one in told:
        held = ", ".join(f"{file['name']} ({file['bytes']:,} bytes)" for file in one["files"])
        lines.append(f"{one['to']}, {one['way']}: {one['state']}. {one['answer']}\n  {held or 'nothing'}")
    return "\n".join(lines) + "\n"
