"""A table and its proposal as plain data, to be kept and taken up again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from rulka.core.rebuild.books import TableReading
from rulka.core.rebuild.columns import FoundColumn, FoundColumns
from rulka.core.rebuild.given import Given, GivenRow
from rulka.core.rebuild.proposing import Candidate, ProposedLine, Rival, TableProposal


def given_plain(given: Given) -> dict[str, Any]:
    """A table; figures as text, so that they stay exact."""
    return {
        "headings": list(given.headings), "decimals": list(given.decimals), "tables": list(given.tables),
        "rows": [
            {"caption": row.caption, "values": [None if one is None else str(one) for one in row.values]}
            for row in given.rows
        ],
    }  # fmt: skip


def given_again(plain: Mapping[str, Any]) -> Given:
    """What `given_plain` wrote."""
    rows = tuple(
        GivenRow(row["caption"], tuple(None if one is None else Decimal(one) for one in row["values"]))
        for row in plain["rows"]
    )
    return Given(tuple(plain["headings"]), rows, tuple(plain["decimals"]), tuple(plain["tables"]))


def proposal_plain(proposal: TableProposal) -> dict[str, Any]:
    """A proposal with all that it says."""
    return asdict(proposal)


def proposal_again(plain: Mapping[str, Any]) -> TableProposal:
    """What `proposal_plain` wrote."""
    found = plain["found"]
    columns = tuple(
        FoundColumn(**{**one, "ties": tuple(one["ties"]), "of": tuple(one["of"])}) for one in found["columns"]
    )  # fmt: skip
    return TableProposal(
        FoundColumns(found["node"], found["scale"], columns, found["score"]),
        tuple(None if one is None else TableReading(**one) for one in plain["readings"]),
        tuple(_line(one) for one in plain["lines"]),
        tuple(tuple(TableReading(**one) for one in every) for every in plain["ties"]),
        tuple(Rival(**one) for one in plain["rivals"]),
    )


def _line(plain: Mapping[str, Any]) -> ProposedLine:
    others = tuple(Candidate(one["selection"], one["sign"], tuple(one["names"])) for one in plain["others"])
    of = tuple((row, sign) for row, sign in plain["of"])
    return ProposedLine(**{**plain, "others": others, "of": of, "names": tuple(plain["names"])})
