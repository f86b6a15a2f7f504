"""A first guess at a mapping: what the header says and what the cells look like, for a person to correct."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from rulka.formats.intake.mapping import (
    DATES,
    NUMBERS,
    SIDES,
    FieldSource,
    MappingDefinition,
    parse_day,
    parse_number,
    preview_rows,
)
from rulka.formats.intake.table_file import TableLook, look_at

WORDS: dict[str, tuple[str, ...]] = {
    "entity": (
        "entity",
        "company",
        "company code",
        "legal entity",
        "firm",
        "unit",
        "gesellschaft",
        "mandant",
        "buchungskreis",
        "bolag",
        "société",
    ),
    "entry": (
        "entry",
        "entry no",
        "journal entry",
        "voucher",
        "voucher no",
        "journal",
        "journal no",
        "transaction",
        "transaction id",
        "posting no",
        "document number",
        "belegnummer",
        "buchungsnummer",
        "beleg nr",
        "verifikat",
        "verifikation",
        "pièce",
        "entry number",
        "je number",
    ),
    "line": ("line", "line no", "row", "position", "item", "pos", "zeile", "rad", "line number", "ligne"),
    "date": (
        "date",
        "posting date",
        "booking date",
        "entry date",
        "gl date",
        "transaction date",
        "buchungsdatum",
        "datum",
        "belegdatum",
        "bokföringsdatum",
        "date comptable",
    ),
    "account": (
        "account",
        "account no",
        "account code",
        "gl account",
        "ledger account",
        "nominal",
        "nominal code",
        "konto",
        "sachkonto",
        "kontonummer",
        "compte",
        "rekening",
        "account number",
        "acct",
    ),
    "debit": ("debit", "debit amount", "dr", "soll", "debet", "débit", "sollbetrag"),
    "credit": ("credit", "credit amount", "cr", "haben", "kredit", "crédit", "habenbetrag"),
    "amount": (
        "amount",
        "value",
        "net amount",
        "betrag",
        "belopp",
        "montant",
        "bedrag",
        "amount lc",
        "local amount",
        "balance",
        "plan",
        "budget amount",
    ),
    "side": ("side", "debit credit", "dr cr", "d c", "sign", "soll haben", "s h", "dc", "indicator", "sens"),
    "description": (
        "description",
        "text",
        "narrative",
        "memo",
        "details",
        "line text",
        "buchungstext",
        "libellé",
        "omschrijving",
        "comment",
        "particulars",
    ),
    "document": (
        "document",
        "document no",
        "invoice",
        "invoice no",
        "reference",
        "ref",
        "beleg",
        "external reference",
        "doc",
        "doc no",
    ),
    "counterparty": (
        "counterparty",
        "partner code",
        "customer supplier",
        "vendor",
        "supplier",
        "customer",
        "party",
        "business partner",
        "kreditor",
        "debitor",
    ),
    "counterparty_name": (
        "counterparty name",
        "vendor name",
        "supplier name",
        "customer name",
        "partner name",
        "party name",
    ),
    "partner_entity": (
        "partner entity",
        "intercompany",
        "ic partner",
        "intercompany partner",
        "affiliate",
        "trading partner",
    ),
    "source": ("source", "module", "origin", "journal type", "subledger", "herkunft"),
    "user": ("user", "posted by", "created by", "entered by", "benutzer", "clerk"),
    "status": ("status", "state"),
    "kind": ("kind", "entry type"),
    "period": ("period", "fiscal period", "posting period", "periode", "month"),
    "modified_at": ("modified at", "modified", "changed at", "last changed", "updated at", "updated"),
    "batch": ("batch", "batch no", "stapel", "batch number"),
    "transaction_currency": (
        "transaction currency",
        "currency",
        "document currency",
        "foreign currency",
        "währung",
        "valuta",
        "curr",
    ),
    "transaction_amount": ("transaction amount", "foreign amount", "currency amount", "amount fc", "document amount"),
    "code": (
        "code",
        "number",
        "no",
        "account code",
        "account number",
        "account",
        "id",
        "konto",
        "member",
        "department code",
        "cost centre",
    ),
    "name": ("name", "account name", "description", "title", "bezeichnung", "benämning", "text", "libellé"),
    "type": ("type", "account type", "class", "art", "statement type"),
    "category": ("category", "group", "account group", "kategorie", "grupp"),
    "parent": ("parent", "parent account", "parent code", "rolls up to", "summary account", "belongs to"),
    "unit": ("unit", "unit of measure", "uom"),
    "active": ("active", "enabled", "in use"),
    "scenario": ("scenario", "version", "budget version", "plan version"),
    "note": ("note", "comment", "remark", "notes"),
    "dimension": ("dimension",),
    "address": ("address", "adresse"),
    "from": ("from", "from currency", "base"),
    "to": ("to", "to currency", "target"),
    "average": ("average", "average rate", "avg"),
    "closing": ("closing", "closing rate", "end rate"),
}
OF_TABLE = {
    "entries": (
        "entity",
        "entry",
        "line",
        "date",
        "account",
        "debit",
        "credit",
        "amount",
        "side",
        "description",
        "source",
        "document",
        "counterparty",
        "counterparty_name",
        "partner_entity",
        "user",
        "status",
        "kind",
        "period",
        "modified_at",
        "batch",
        "transaction_currency",
        "transaction_amount",
    ),
    "accounts": ("code", "name", "type", "category", "parent", "unit", "active"),
    "budgets": ("scenario", "entity", "account", "period", "amount", "note"),
    "members": ("dimension", "code", "name", "parent"),
    "counterparties": ("code", "name", "kind", "address"),
    "rates": ("period", "from", "to", "average", "closing"),
    "side": (),
}
SAMPLE_ROWS = 200


@dataclass(frozen=True)
class KnownCodes:
    """Codes of the ledger, so that a column full of them is recognised whatever it is called."""

    entities: frozenset[str] = frozenset()
    accounts: frozenset[str] = frozenset()
    members: Mapping[str, frozenset[str]] = field(default_factory=dict)


def guess(path: Path, table: str, known: KnownCodes, *, look: TableLook | None = None) -> MappingDefinition:
    """The likeliest mapping of a file; what could not be guessed is left out."""
    found = look or look_at(path)
    rows = list(preview_rows(path, replace(found, header=1), SAMPLE_ROWS))
    if look is None:
        found = replace(found, header=_header_row(rows))
    header: list[str] = next((cells for number, cells in rows if number >= found.header), [])
    below = [cells for number, cells in rows if number > found.header]
    columns = {
        name: [cells[at] for cells in below if at < len(cells) and cells[at]] for at, name in enumerate(header) if name
    }
    fields = {name: FieldSource((column,)) for name, column in _named(table, columns, known).items()}
    date_style = _style(columns, fields, ("date",), DATES, parse_day, "YYYY-MM-DD")
    number_style = _style(columns, fields, ("debit", "credit", "amount", "closing"), NUMBERS, parse_number, "1234.56")
    amounts = (
        "debit and credit"
        if "debit" in fields and "credit" in fields
        else "amount and side"
        if "side" in fields
        else "signed amount"
    )
    unwanted = {
        "debit and credit": ("amount", "side"),
        "signed amount": ("debit", "credit", "side"),
        "amount and side": ("debit", "credit"),
    }[amounts]
    fields = {name: source for name, source in fields.items() if table != "entries" or name not in unwanted}
    mapping = MappingDefinition(table, found, date_style, number_style, amounts, fields)
    return _segmented(_by_content(mapping, columns, known), columns, known)


def _header_row(rows: Sequence[tuple[int, list[str]]]) -> int:
    """The first row that names most columns in words that we know, else the first that is as wide as the table."""
    best, score = rows[0][0] if rows else 1, -1.0
    words = {word for names in WORDS.values() for word in names}
    width = max((sum(1 for cell in cells if cell) for _, cells in rows), default=1)
    for number, cells in rows[:20]:
        filled = [cell for cell in cells if cell]
        known = sum(1 for cell in filled if _plain(cell) in words)
        texts = sum(1 for cell in filled if not re.fullmatch(r"[-0-9.,/ ]+", cell))
        value = known + texts / 100 + (0.5 if len(filled) >= width - 1 else 0)
        if value > score:
            best, score = number, value
    return best


def _plain(text: str) -> str:
    """A heading as words: `Posting_Date`, `PostingDate` and `POSTING DATE (UTC)` all read `posting date`."""
    text = re.sub(r"\(.*?\)|\[.*?\]", " ", text)
    text = re.sub(r"(?<=[a-zäöüå])(?=[A-Z])", " ", text)
    return re.sub(r"[^0-9a-zäöüåéèß]+", " ", text.lower()).strip()


def _named(table: str, columns: Mapping[str, Sequence[str]], known: KnownCodes) -> dict[str, str]:
    """Fields by the words of the header: whole headings first, then those that hold a word."""
    result: dict[str, str] = {}
    plain = {name: _plain(name) for name in columns}
    wanted = {name: WORDS[name] for name in OF_TABLE[table]}
    wanted |= {key: (key.lower(),) for key in known.members if table in ("entries", "budgets")}

    def take(fits: Callable[[str, str], bool]) -> None:
        for name, words in wanted.items():
            for word in words:
                for column, text in plain.items():
                    if name not in result and column not in result.values() and fits(text, word):
                        result[name] = column

    take(lambda text, word: text == word)
    take(lambda text, word: len(word) > 3 and re.search(rf"\b{re.escape(word)}\b", text) is not None)
    return result


def _style(
    columns: Mapping[str, Sequence[str]],
    fields: Mapping[str, FieldSource],
    names: Sequence[str],
    styles: Mapping[str, object],
    parse: Callable[[str, str], str],
    default: str,
) -> str:
    """The way of writing that fits the most cells; a tie goes to the one that uses its marks."""
    cells = [cell for name in names if name in fields for column in fields[name].columns for cell in columns[column]]
    if not cells:
        return default

    def fits(style: str) -> int:
        count = 0
        for cell in cells:
            try:
                parse(cell, style)
                count += 1
            except ValueError:
                continue
        return count

    counted = {style: fits(style) for style in styles}
    most = max(counted.values())
    best = [style for style, count in counted.items() if count == most]
    return default if default in best and most == 0 else best[0]


def _share(cells: Sequence[str], codes: frozenset[str]) -> float:
    return sum(1 for cell in cells if cell in codes) / len(cells) if cells else 0.0


def _by_content(
    mapping: MappingDefinition, columns: Mapping[str, Sequence[str]], known: KnownCodes
) -> MappingDefinition:
    """Fields that the header did not give, by cells that are codes of the ledger; constants where only one thing is
    possible."""
    fields = dict(mapping.fields)
    taken = {column for source in fields.values() for column in source.columns}
    wanted: list[tuple[str, frozenset[str]]] = []
    if mapping.table in ("entries", "budgets"):
        wanted = [("account", known.accounts), ("entity", known.entities), *known.members.items()]
    for name, codes in wanted:
        if name in fields and _share(columns[fields[name].columns[0]], codes) == 0 and name in ("account", "entity"):
            better = [column for column, cells in columns.items() if column not in taken and _share(cells, codes) > 0.8]
            if better:
                fields[name] = FieldSource((better[0],))
        if name not in fields:
            likely = [column for column, cells in columns.items() if column not in taken and _share(cells, codes) > 0.8]
            if likely:
                fields[name] = FieldSource((likely[0],))
                taken.add(likely[0])
    if "entity" not in fields and len(known.entities) == 1 and mapping.table in ("entries", "budgets"):
        fields["entity"] = FieldSource(constant=next(iter(known.entities)))
    if "side" in fields:
        cells = set(columns[fields["side"].columns[0]])
        fields["side"] = replace(
            fields["side"], translate={cell: SIDES[cell.lower()] for cell in sorted(cells) if cell.lower() in SIDES}
        )
    return replace(mapping, fields=fields)


def _segmented(
    mapping: MappingDefinition, columns: Mapping[str, Sequence[str]], known: KnownCodes
) -> MappingDefinition:
    """An account column whose cells are codes of entity, account and members joined together."""
    if mapping.table not in ("entries", "budgets"):
        return mapping
    named = mapping.fields.get("account", FieldSource()).columns[:1]
    if named and (not columns[named[0]] or _share(columns[named[0]], known.accounts) > 0.5):
        return mapping
    taken = {column for name, source in mapping.fields.items() for column in source.columns if name != "account"}
    for column in named or tuple(name for name, cells in columns.items() if cells and name not in taken):
        found = _cut_up(mapping, column, columns[column], known)
        if found is not None:
            return found
    return mapping


def _cut_up(
    mapping: MappingDefinition, column: str, cells: Sequence[str], known: KnownCodes
) -> MappingDefinition | None:
    """The mapping with a column cut into segments, where one of them is surely the account."""
    for separator in ("-", ".", "/", "|", " "):
        rows = [cell.split(separator) for cell in cells]
        width = len(rows[0])
        if width < 2 or any(len(row) != width for row in rows):
            continue
        parts: list[str] = []
        for at in range(width):
            values = [row[at] for row in rows]
            choices = [("account", known.accounts), ("entity", known.entities), *known.members.items()]
            shares = [(name, _share(values, codes | {"-", ""})) for name, codes in choices if name not in parts]
            best = max(shares, key=lambda share: share[1], default=("", 0.0))
            parts.append(best[0] if best[1] > 0.8 else "")
        if "account" in parts:
            fields = {name: source for name, source in mapping.fields.items() if name not in parts}
            return replace(
                mapping,
                fields=fields,
                segments_column=column,
                segments_separator=separator,
                segments_parts=tuple(parts),
            )
    return None
