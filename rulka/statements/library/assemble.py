"""Stored definitions to core types: a statement with its spine and its span."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cache
from typing import Any

import numpy as np
from django.db.models import Q

from rulka.core.books.book import View
from rulka.core.definitions.keys import numbered, slug
from rulka.core.definitions.scopes import ScopeDef, scope_from
from rulka.core.definitions.spans import SpanDef, span_from
from rulka.core.definitions.spines import SpineDef, spine_from
from rulka.core.definitions.statements import StatementDef, statement_from
from rulka.core.errors import NotFound, one_of
from rulka.ledger.models import Ledger
from rulka.statements.models import Change, Definition


def find_definition(ledger: Ledger, kind: str, name: str) -> Definition:
    """A definition by its name, or a statement by its title as well."""
    found = Definition.objects.filter(ledger=ledger, kind=kind, name=name).select_related("ledger").first()
    if found is not None:
        return found
    stored = {definition.name: definition for definition in Definition.objects.filter(ledger=ledger, kind=kind)}
    titled = [
        d for d in stored.values() if str(d.body.get("title", "")).casefold() == name.casefold() or d.name == slug(name)
    ]
    if len(titled) == 1:
        return titled[0]
    raise NotFound(f"The {kind} '{name}' does not exist.", hint=one_of(name, stored), subject=kind)


PLACES = ("parts", "begin", "bring-back", "workbook", "delete", "shelves", "place", "reach", "outputs", "editions")
"""Words that addresses of the library begin with; no statement is called so."""


def free_name(ledger: Ledger, kind: str, wanted: str) -> str:
    """A name that no definition of the kind has or had: one that is gone may come back by undoing."""

    def is_taken(name: str) -> bool:
        stored = Definition.objects.filter(ledger=ledger, kind=kind, name=name)
        return (
            name in PLACES
            or stored.exists()
            or Change.objects.filter(edit__ledger=ledger, kind=kind, name=name).exists()
        )

    return numbered(slug(wanted)[:70], is_taken)


def statements_using(ledger: Ledger, kind: str, name: str) -> list[Definition]:
    """The statements that use a spine, span or scope, by title."""
    return users_of(ledger, {kind: name})[kind]


def users_of(ledger: Ledger, parts: Mapping[str, str]) -> dict[str, list[Definition]]:
    """By kind the statements that use one of some parts, whose names are given by kind too; by title."""
    uses = Q()
    for kind, name in parts.items():
        uses |= Q(**{f"body__{kind}": name})
    every = Definition.objects.filter(uses, ledger=ledger, kind="statement").select_related("ledger") if parts else ()
    found = sorted(every, key=lambda definition: str(definition.body.get("title", definition.name)).casefold())
    return {kind: [one for one in found if one.body.get(kind) == name] for kind, name in parts.items()}


Definitions = Mapping[str, Definition]
"""A statement with its parts, by kind: loaded once, handed on."""


def definitions_of(ledger: Ledger, name: str) -> dict[str, Definition]:
    """A statement with its parts, by kind; whoever asks for a person goes through `opening`."""
    return definitions_of_statement(find_definition(ledger, "statement", name))


def definitions_of_statement(statement: Definition) -> dict[str, Definition]:
    """A statement that is loaded already with its parts, by kind."""
    return with_parts(statement.ledger, [statement])[0]


def with_parts(ledger: Ledger, statements: Sequence[Definition]) -> list[dict[str, Definition]]:
    """Statements of a ledger, each with its parts by kind; refuses a part that doesn't exist."""
    wanted = {
        (kind, statement.body[kind])
        for statement in statements
        for kind in ("spine", "span", "scope")
        if statement.body.get(kind)
    }
    query = Q()
    for kind, part in wanted:
        query |= Q(kind=kind, name=part)
    stored = Definition.objects.filter(query, ledger=ledger).select_related("ledger") if wanted else ()
    found = {(definition.kind, definition.name): definition for definition in stored}
    return [
        {"statement": statement}
        | {
            kind: found.get((kind, statement.body[kind])) or find_definition(ledger, kind, statement.body[kind])
            for kind in ("spine", "span", "scope")
            if statement.body.get(kind)
        }
        for statement in statements
    ]


def as_they_are(definitions: Definitions) -> dict[str, Definition]:
    """Definitions that were loaded before, loaded again only where somebody changed them since."""
    known = {definition.pk: definition.version for definition in definitions.values()}
    now = dict(Definition.objects.filter(pk__in=known).values_list("pk", "version"))
    statement = definitions["statement"]
    return dict(definitions) if now == known else definitions_of(statement.ledger, statement.name)


def parts_of(statement: Definition) -> tuple[Definition, Definition]:
    """The spine and the span of a statement."""
    ledger = statement.ledger
    return find_definition(ledger, "spine", statement.body["spine"]), find_definition(
        ledger, "span", statement.body["span"]
    )


def scope_of(statement: Definition) -> Definition | None:
    """The scope of a statement, None where it shows entities."""
    name = statement.body.get("scope", "")
    return find_definition(statement.ledger, "scope", name) if name else None


def assemble(statement: Definition, parts: Definitions | None = None) -> StatementDef:
    """A statement ready to be computed; `parts` are its spine, span and scope where they are loaded already."""
    return next(assemble_all([parts or definitions_of(statement.ledger, statement.name)]))


def assemble_all(every: Iterable[Definitions]) -> Iterator[StatementDef]:
    """Statements ready to be computed; a part that several use is read once."""
    spine, span, scope = cache(_spine), cache(_span), cache(_scope)
    for parts in every:
        body = parts["statement"].body
        nodes = scope(parts["scope"]) if body.get("scope") else None
        yield statement_from(body, spine(parts["spine"]), span(parts["span"]), nodes)


def _spine(definition: Definition) -> SpineDef:
    return spine_from(definition.body)


def _span(definition: Definition) -> SpanDef:
    return span_from(definition.body)


def _scope(definition: Definition) -> ScopeDef:
    return scope_from(definition.body)


def placed_accounts(statements: Sequence[Definition], view: View) -> dict[str, list[tuple[str, str]]]:
    """For each account code the (name, title) of those of some statements that have a line for it."""
    found: dict[str, list[tuple[str, str]]] = {}
    read = cache(_spine)
    if not statements:
        return found
    for parts in with_parts(statements[0].ledger, statements):
        statement = parts["statement"]
        mask = np.zeros(len(view.frame.accounts), dtype=bool)
        for line in read(parts["spine"]).walk():
            narrowed = view.mask(line.accounts) if line.kind == "line" else None
            if narrowed is not None and narrowed.names_accounts:
                mask |= narrowed.accounts
        for at in np.flatnonzero(mask):
            found.setdefault(view.frame.accounts.items[at].code, []).append(
                (statement.name, str(statement.body.get("title", statement.name)))
            )
    return found


def bodies_of(statement: Definition) -> list[dict[str, Any]]:
    """All that a statement consists of, as its definition file says it."""
    spine, span = parts_of(statement)
    scope = scope_of(statement)
    return [statement.body, spine.body, span.body, *([scope.body] if scope else [])]
