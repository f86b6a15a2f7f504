"""Definition files: YAML documents of spines, spans, scopes and statements to checked mappings, and back."""

from __future__ import annotations

import json
from collections.abc import Callable, Hashable, Iterable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, cast

import yaml
from jsonschema import Draft202012Validator
from jsonschema.exceptions import ValidationError, best_match

from rulka.core.errors import RulkaError, RulkaErrors

KINDS = ("spine", "span", "scope", "statement")
NAMED = (
    "section",
    "line",
    "calculation",
    "heading",
    "text",
    "spacer",
    "page break",
    "check",
    "column",
    "series",
    "node",
    "grow",
)
COMPARED = ("difference", "percent", "share", "sum", "check", "formula", "text")
SCHEMA = Path(__file__).with_name("definition.schema.json")
MOST_BYTES = 2_000_000
MOST_DEPTH = 30


class _TextLoader(yaml.SafeLoader):
    """Every scalar stays text (`0100`, `NO` and `12:30` too); a repeated key or an alias is refused."""

    depth = 0

    def compose_node(self, parent: Any, index: Any) -> Any:
        self.depth += 1
        try:
            return self._composed(parent, index)
        finally:
            self.depth -= 1

    def _composed(self, parent: Any, index: Any) -> Any:
        if self.depth > MOST_DEPTH:
            mark = self.peek_event().start_mark  # type: ignore[no-untyped-call]
            raise yaml.constructor.ConstructorError(None, None, "it nests too deeply", mark)
        if self.check_event(yaml.AliasEvent):
            mark = self.peek_event().start_mark  # type: ignore[no-untyped-call]
            raise yaml.constructor.ConstructorError(None, None, "aliases are not used in definitions", mark)
        return super().compose_node(parent, index)

    def construct_mapping(self, node: Any, deep: bool = False) -> dict[Hashable, Any]:
        seen: set[str] = set()
        for key, _ in node.value:
            if not isinstance(key.value, str):
                raise yaml.constructor.ConstructorError(None, None, "a name is one word or text", key.start_mark)
            if key.value in seen:
                raise yaml.constructor.ConstructorError(None, None, f"'{key.value}' is written twice", key.start_mark)
            seen.add(key.value)
        return super().construct_mapping(node, deep)


_TextLoader.yaml_implicit_resolvers = {}


@cache
def _schema() -> dict[str, Any]:
    loaded: dict[str, Any] = json.loads(SCHEMA.read_text())
    return loaded


def kind_of(body: Mapping[str, Any]) -> str:
    """spine, span, scope or statement; a statement names the others too."""
    return next(kind for kind in ("statement", "spine", "span", "scope") if kind in body)


def read_definitions(text: str, file: str = "") -> list[dict[str, Any]]:
    """All documents of a file, checked against the JSON Schema; every error says where it stands."""
    if len(text) > MOST_BYTES:
        raise RulkaError("The file is larger than 2 MB.", hint="A definition is a page of text.", subject=file)
    try:
        documents = [document for document in yaml.load_all(text, Loader=_TextLoader) if document not in (None, "")]
    except (RecursionError, ValueError):
        raise RulkaError("The file is no definition.", hint="A definition is a page of text.", subject=file) from None
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        place = f", line {mark.line + 1}, character {mark.column + 1}" if mark else ""
        raise RulkaError(f"Not readable as YAML: {getattr(error, 'problem', error)}.", subject=file + place) from None
    if not documents:
        raise RulkaError(
            "The file holds no definition.",
            hint="Begin a document with spine:, span:, scope: or statement:.",
            subject=file,
        )
    errors = [error for document in documents for error in check_body(document, file)]
    if errors:
        raise RulkaErrors(errors, message="Refused, nothing was changed.")
    return documents


def check_body(body: Any, file: str = "") -> list[RulkaError]:
    """What a mapping breaks of the schema, in words."""
    if not isinstance(body, dict) or not any(kind in body for kind in KINDS):
        return [
            RulkaError(
                "A document is neither a spine, a span, a scope nor a statement.",
                hint="Begin it with one of these words.",
                subject=file,
            )
        ]
    kind = kind_of(body)
    definition = {"$ref": f"#/$defs/{kind}", "$defs": _schema()["$defs"]}
    return [_in_words(error, body, kind, file) for error in Draft202012Validator(definition).iter_errors(body)]


def check_changes(before: Mapping[str, Any] | None, after: Mapping[str, Any]) -> list[RulkaError]:
    """What a mapping breaks of the schema, looking only at lines and columns that an earlier, checked one hadn't."""
    known = {repr(_own(raw)) for raw in _all_raws(before or {})}

    def pruned(raws: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
        kept = []
        for raw in raws:
            inner = {name: pruned(raw[name]) for name in ("lines", "columns") if _holds(raw, name)}
            if any(inner.values()) or repr(_own(raw)) not in known:
                kept.append(
                    {**raw, **{name: inner[name] or (raw[name] if name == "columns" else []) for name in inner}}
                )
        return kept

    body = {
        name: (pruned(value) or value[:1]) if name in ("lines", "columns") else value for name, value in after.items()
    }
    return check_body(body)


def _holds(raw: Mapping[str, Any], name: str) -> bool:
    """Whether a line or series holds others: a check's or line's `columns` are only names."""
    return isinstance(raw.get(name), list) and all(isinstance(inner, dict) for inner in raw[name])


def _own(raw: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in raw.items() if not _holds(raw, name) or name not in ("lines", "columns")}


def _all_raws(holder: Mapping[str, Any]) -> Iterable[Mapping[str, Any]]:
    for name in ("lines", "columns"):
        if _holds(holder, name):
            for raw in holder[name]:
                yield raw
                yield from _all_raws(raw)


def _in_words(error: ValidationError, body: Mapping[str, Any], kind: str, file: str) -> RulkaError:
    while error.context:
        inner = best_match(_of_same_kind(error))
        if inner is None:
            break
        error = inner
    place: Any = body
    where = [f"{kind} {body.get(kind, '')}"]
    for step in error.absolute_path:
        place = place[step]
        if isinstance(place, dict):
            name = next((f"{word} {place[word]}" for word in NAMED if word in place), "")
            where.append(name or str(step))
        elif isinstance(step, str) and step not in ("lines", "columns"):
            where.append(step)
    choices: Any = error.validator_value
    words: dict[str, Callable[[], str]] = {
        "additionalProperties": lambda: error.message.replace(
            "Additional properties are not allowed", "Unknown settings"
        ),
        "required": lambda: error.message.replace("is a required property", "is missing"),
        "enum": lambda: f"'{error.instance}' is not one of {', '.join(map(str, choices))}",
        "type": lambda: f"This should be {error.validator_value}, not {type(error.instance).__name__}",
        "minLength": lambda: "This must not be empty",
        "pattern": lambda: f"'{error.instance}' is not written as it must be",
        "oneOf": lambda: _one_of_kinds(error),
        "not": lambda: "A column works on others in one way only",
    }
    message = words.get(str(error.validator), lambda: error.message)()
    prefix = f"{file}, " if file else ""
    return RulkaError(f"{message}.", hint="See docs/definition-format.md.", subject=prefix + ", ".join(where))


def _one_of_kinds(error: ValidationError) -> str:
    instance = cast(Any, error.instance)
    if not isinstance(instance, dict):
        return "This should be a mapping of settings"
    twice = [word for word in COMPARED if word in instance]
    if len(twice) > 1 and ("column" in instance or "series" in instance):
        return f"A column is one of {' and '.join(twice)}, not both"
    if "agree" in instance and "holds" in instance:
        return "A check either agrees or holds, not both"
    choices = cast(Any, error.validator_value)
    kinds = [choice["required"][0] for choice in choices if "required" in choice]
    return f"This should be one of {', '.join(dict.fromkeys(kinds))}"


def _of_same_kind(error: ValidationError) -> list[ValidationError]:
    """Of a failed choice, the errors of the kind the writer meant: the one all of whose own words are there."""
    instance, choices = cast(Any, error.instance), cast(Any, error.validator_value)
    if not isinstance(instance, dict):
        return []
    names = [choice.get("required", ["", ""]) for choice in choices]
    meant = [
        place
        for place, words in enumerate(names)
        if words[0] in instance and (len(words) < 2 or words[1] in instance or words[0] not in SHARED)
    ]
    special = [place for place in meant if len(names[place]) > 1]
    wanted = (special if any(words[0] in SHARED for words in names) and special else meant)[:1]
    if len([word for word in COMPARED if word in instance]) > 1 and "column" in instance:
        return []
    return [inner for inner in error.context or [] if inner.schema_path[0] in wanted]


SHARED = ("column",)
"""Words that several kinds begin with; the next one tells them apart."""


def write_definitions(bodies: Iterable[Mapping[str, Any]]) -> str:
    """YAML documents that read back to the same mappings, in the order a person would write them."""
    return "---\n".join(
        yaml.dump(
            dict(body), Dumper=_TextDumper, sort_keys=False, allow_unicode=True, width=110, default_flow_style=False
        )
        for body in bodies
    )


class _TextDumper(yaml.SafeDumper):
    """Lists of plain names in one line, blocks otherwise."""

    def represent_sequence(self, tag: str, sequence: Any, flow_style: Any = None) -> Any:
        plain = all(isinstance(item, str) for item in sequence)
        return super().represent_sequence(tag, sequence, flow_style=True if plain else flow_style)

    def increase_indent(self, flow: bool = False, indentless: bool = False) -> Any:
        return super().increase_indent(flow, False)
