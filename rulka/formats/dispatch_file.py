"""Dispatches as text: YAML, every scalar as text, checked against a schema."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import yaml
from jsonschema import Draft202012Validator
from jsonschema.exceptions import best_match

from rulka.core.errors import RulkaError
from rulka.formats.worksheet_file import read_texts

SCHEMA = Path(__file__).parent / "dispatch.schema.json"


@cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(json.loads(SCHEMA.read_text()))


def read_dispatches(data: bytes | str, where: str) -> list[dict[str, Any]]:
    """The dispatches of a file; raises RulkaError with the place of what is wrong."""
    found = read_texts(data.encode() if isinstance(data, str) else data, where)
    for body in found:
        check(body, where)
    return found


def check(body: Mapping[str, Any], where: str) -> None:
    """Refuse a mapping that is no dispatch."""
    error = best_match(_validator().iter_errors(body))
    if error is None:
        return
    steps = [f"{step + 1}" if isinstance(step, int) else str(step) for step in error.absolute_path]
    said = " ".join(str(error.message).split())
    raise RulkaError(
        f"{said[:200]}.", hint="See docs/guides/dispatch.md.",
        subject=", ".join(filter(None, (where, str(body.get("dispatch", ""))[:80], " ".join(steps)))),
    )  # fmt: skip


def write_dispatch(body: Mapping[str, Any]) -> str:
    """A dispatch as text that reads back the same."""
    return yaml.safe_dump(dict(body), sort_keys=False, allow_unicode=True, width=4_000)
