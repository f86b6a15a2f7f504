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
from rulka.formats.definition_file import kind_of
from rulka.ledger.models import Ledger
from rulka.statements.models import PARTS, Definition


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
    raise _unknown(kind, name, stored)


def _unknown(kind: str, name: str, known: Iterable[str]) -> NotFound:
    return NotFound(f"The {kind} '{name}' does not exist.", hint=one_of(name, known), subject=kind)


PLACES = ("parts", "begin", "bring-back", "workbook", "delete", "shelves", "place", "reach", "outputs", "editions")
"""Words that addresses of the library begin with; no statement is called so."""


def free_name(ledger: Ledger, kind: str, wanted: str) -> str:
    """A name that no definition of the kind has: neither one that stands nor one that may come back."""

    def is_taken(name: str) -> bool:
        return name in PLACES or Definition.every.filter(ledger=ledger, kind=kind, name=name).exists()

    return numbered(slug(wanted)[:70], is_taken)


Definitions = Mapping[str, Definition]
"""A statement with its parts, by kind: loaded once, handed on."""

Known = dict[int, Definition]
"""Definitions that were loaded already, by their keys: what is asked for again is not loaded again."""


def known_of(definitions: Definitions) -> Known:
    """A statement with its parts as what is known."""
    return {definition.pk: definition for definition in definitions.values()}


def statements_using(part: Definition, known: Known | None = None) -> list[Definition]:
    """The statements that use a spine, span or scope, by title."""
    return users_of([part], known)[part.kind]


def users_of(parts: Iterable[Definition], known: Known | None = None) -> dict[str, list[Definition]]:
    """By kind the statements that use one of some parts, by title; they are known from then on."""
    known = {} if known is None else known
    wanted = {part.kind: part.pk for part in parts}
    uses = Q()
    for kind, key in wanted.items():
        uses |= Q(**{kind: key})
    if wanted:
        others = Definition.objects.filter(uses).exclude(pk__in=list(known)).select_related("ledger")
        known.update({one.pk: one for one in others})
    every = sorted((one for one in known.values() if not one.is_gone), key=lambda one: one.title.casefold())
    return {kind: [one for one in every if getattr(one, f"{kind}_id") == key] for kind, key in wanted.items()}


def definitions_of(ledger: Ledger, name: str) -> dict[str, Definition]:
    """A statement with its parts, by kind; whoever asks for a person goes through `opening`."""
    return definitions_of_statement(find_definition(ledger, "statement", name))


def definitions_of_statement(statement: Definition, known: Known | None = None) -> dict[str, Definition]:
    """A statement that is loaded already with its parts, by kind."""
    return with_parts([statement], known)[0]


def with_parts(statements: Sequence[Definition], known: Known | None = None) -> list[dict[str, Definition]]:
    """Statements, each with its parts by kind, read together where they aren't known; they are from then on. Refuses a
    part that was taken out."""
    known = {} if known is None else known
    wanted = {key for statement in statements for key in parts_named(statement).values() if key not in known}
    if wanted:
        known.update({one.pk: one for one in Definition.objects.filter(pk__in=wanted).select_related("ledger")})
    for statement in statements:
        for kind, key in parts_named(statement).items():
            if key not in known or known[key].is_gone:
                names = Definition.objects.filter(ledger=statement.ledger_id, kind=kind).values_list("name", flat=True)
                raise _unknown(kind, Definition.every.get(pk=key).name, names)
            setattr(statement, kind, known[key])
    return [
        {"statement": statement} | {kind: known[key] for kind, key in parts_named(statement).items()}
        for statement in statements
    ]


def parts_named(statement: Definition) -> dict[str, int]:
    """The keys of a statement's parts, by kind."""
    keys = {kind: getattr(statement, f"{kind}_id") for kind in PARTS}
    return {kind: key for kind, key in keys.items() if key is not None}


def as_they_are(definitions: Definitions) -> dict[str, Definition]:
    """Definitions that were loaded before, loaded again only where somebody changed them since."""
    known = {definition.pk: definition.version for definition in definitions.values()}
    now = dict(Definition.objects.filter(pk__in=known).values_list("pk", "version"))
    return dict(definitions) if now == known else loaded_again(definitions["statement"])


def as_it_is(statement: Definition) -> Definition:
    """A statement that was loaded before, loaded again only where somebody changed it since; refuses one that was taken
    out."""
    now = Definition.objects.filter(pk=statement.pk).values_list("version", flat=True).first()
    return statement if now == statement.version else _loaded_again(statement)


def loaded_again(statement: Definition) -> dict[str, Definition]:
    """A statement that was loaded before as it is now, with its parts."""
    return definitions_of_statement(_loaded_again(statement))


def _loaded_again(statement: Definition) -> Definition:
    found = Definition.objects.filter(pk=statement.pk).select_related("ledger", "shelf").first()
    if found is None:
        raise NotFound(f"The statement '{statement.name}' does not exist.", subject="statement")
    return found


def assemble(definitions: Definitions) -> StatementDef:
    """A statement ready to be computed."""
    return next(assemble_all([definitions]))


def assemble_all(every: Iterable[Definitions]) -> Iterator[StatementDef]:
    """Statements ready to be computed; a part that several use is read once."""
    spine, span, scope = cache(_spine), cache(_span), cache(_scope)
    for parts in every:
        nodes = scope(parts["scope"]) if "scope" in parts else None
        yield statement_from(parts["statement"].text, spine(parts["spine"]), span(parts["span"]), nodes)


def _spine(definition: Definition) -> SpineDef:
    return spine_from(definition.text)


def _span(definition: Definition) -> SpanDef:
    return span_from(definition.text)


def _scope(definition: Definition) -> ScopeDef:
    return scope_from(definition.text)


def placed_accounts(statements: Sequence[Definition], view: View) -> dict[str, list[tuple[str, str]]]:
    """For each account code the (name, title) of those of some statements that have a line for it."""
    found: dict[str, list[tuple[str, str]]] = {}
    read = cache(_spine)
    if not statements:
        return found
    for parts in with_parts(statements):
        statement = parts["statement"]
        mask = np.zeros(len(view.frame.accounts), dtype=bool)
        for line in read(parts["spine"]).walk():
            narrowed = view.mask(line.accounts) if line.kind == "line" else None
            if narrowed is not None and narrowed.names_accounts:
                mask |= narrowed.accounts
        for at in np.flatnonzero(mask):
            found.setdefault(view.frame.accounts.items[at].code, []).append((statement.name, statement.title))
    return found


def texts_of(definitions: Definitions) -> list[dict[str, Any]]:
    """All that a statement consists of, as its definition file says it."""
    return [definition.text for definition in definitions.values()]


def made_up(ledger: Ledger, text: Mapping[str, Any], key: int, **values: Any) -> Definition:
    """A definition that nothing stores, only read: of a text, with a key of its own."""
    kind = kind_of(text)
    body = {name: value for name, value in text.items() if name != kind and (kind != "statement" or name not in PARTS)}
    return Definition(pk=key, ledger=ledger, kind=kind, name=str(text[kind]), body=body, **values)
