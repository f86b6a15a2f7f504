"""Strange files are read in a process of its own, with bounds on time and memory: one asks with a module's name, and
the module run as a program answers, in JSON over its standard input and output."""

from __future__ import annotations

import json
import logging
import resource
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError, RulkaErrors

MEMORY = 1_500_000_000


def words_of(error: RulkaError) -> dict[str, str]:
    """An error as it travels between processes; several ones as one that names them all."""
    if isinstance(error, RulkaErrors):
        return {"message": str(error), "hint": error.hint, "subject": error.subject}
    return {"message": error.message, "hint": error.hint, "subject": error.subject}


def ask(module: str, asked: Any, *, seconds: float, too_much: RulkaError) -> Any:
    """What a module answers; raises what it refused, and `too_much` where it reached its bounds."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", module], input=json.dumps(asked), capture_output=True, text=True, timeout=seconds,
            cwd=Path(__file__).parents[3],
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise too_much from None
    if done.returncode:
        logging.getLogger("rulka.work").warning("%s ended with %s: %s", module, done.returncode, done.stderr[-2_000:])
        raise too_much
    told = json.loads(done.stdout)
    if isinstance(told, dict) and "refused" in told:
        raise RulkaError(**told["refused"])
    return told


def answer(do: Callable[[Any], Any], *, seconds: int) -> None:
    """Answer one question, within the bounds; ends with another code where they were reached."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    asked = json.loads(sys.stdin.read())
    try:
        told = do(asked)
    except RulkaError as error:
        told = {"refused": words_of(error)}
    except MemoryError:
        sys.exit(3)
    json.dump(told, sys.stdout)
