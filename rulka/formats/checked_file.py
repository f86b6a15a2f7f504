"""Text files of definitions that a JSON Schema checks: YAML, every scalar as text; errors in words, with place."""

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

HERE = Path(__file__).parent


@cache
def _validator(schema: str) -> Draft202012Validator:
    return Draft202012Validator(json.loads((HERE / schema).read_text()))


class CheckedFile:
    """One kind of definition: the schema's file, the word that each begins with, the guide that explains it."""

    def __init__(self, schema: str, word: str, guide: str) -> None:
        self.schema, self.word, self.guide = schema, word, guide

    def read(self, data: bytes | str, where: str) -> list[dict[str, Any]]:
        """The definitions of a file; raises RulkaError with the place of what is wrong."""
        found = read_texts(data.encode() if isinstance(data, str) else data, where)
        for body in found:
            self.check(body, where)
        return found

    def check(self, body: Mapping[str, Any], where: str) -> None:
        """Refuse a mapping that is none."""
        error = best_match(_validator(self.schema).iter_errors(body))
        if error is None:
            return
        steps = [f"{step + 1}" if isinstance(step, int) else str(step) for step in error.absolute_path]
        said = " ".join(str(error.message).split())
        raise RulkaError(
            f"{said[:200]}.", hint=f"See {self.guide}.",
            subject=", ".join(filter(None, (where, str(body.get(self.word, ""))[:80], " ".join(steps)))),
        )  # fmt: skip

    @staticmethod
    def write(body: Mapping[str, Any]) -> str:
        """A definition as text that reads back the same."""
        return yaml.safe_dump(dict(body), sort_keys=False, allow_unicode=True, width=4_000)
