"""Says whether a file that left is still what it was, which cells were changed by hand, and what moved since; exit code
4 where it was changed."""

from __future__ import annotations

import json
import sys
from argparse import ArgumentParser
from dataclasses import asdict
from pathlib import Path
from typing import Any

from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.statements.output.origins import CHANGED, Verified, verify


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("file", type=Path)
        parser.add_argument("--format", choices=("text", "json"), default="text")

    def run(self, **options: Any) -> None:
        path: Path = options["file"]
        found = verify(path.read_bytes(), path.name, person_asked(options["person"]))
        told = as_json(found) if options["format"] == "json" else as_text(found, path.name)
        self.deliver(told, options)
        if found.state == CHANGED:
            sys.exit(4)


def as_json(found: Verified) -> str:
    left = found.left
    body = {
        "code": left.code,
        "ledger": left.ledger,
        left.kind: left.name,
        "node": left.node,
        "period": left.period,
        "revision": left.revision,
        "figures": left.figures,
        "definitions": left.definitions,
        "state": found.state,
        "changed": [asdict(one) for one in found.altered],
        "since": [{"name": one.name, "node": one.node, "moved": one.figures, "why": one.why} for one in found.since],
    }
    return json.dumps(body, ensure_ascii=False, indent=1) + "\n"


def as_text(found: Verified, name: str) -> str:
    left = found.left
    lines = [
        f"{name}: {left.name}, {left.node}, {left.period}, revision {left.revision} (origin {left.code})",
        {"untouched": "It is what left, byte for byte.", "same": "All that stands in it is what left."}.get(
            found.state, f"Changed by hand: {len(found.altered)} places."
        ),
    ]
    for one in found.altered:
        place = " ".join(filter(None, (one.part, one.at, one.label and f"({one.label})")))
        follows = ", follows from others" if one.follows else ""
        lines.append(f"  {place}: {one.what} {one.was!r} -> {one.now!r}{follows}")
    for since in found.since:
        count = "" if since.figures is None else f"{since.figures} figures moved since"
        lines.append(f"  {since.name}, {since.node}: {count or since.why}")
    return "\n".join(lines) + "\n"
