"""Rows that are not looked at one by one refer to something all the same, and are looked at again afterwards."""

from __future__ import annotations

import pytest
from django.db import IntegrityError, connection, transaction

from bench.intake import write_ledger
from rulka.ledger.loading.bulk import check_references, last_ids, references_unchecked
from rulka.ledger.loading.load import load_folder

pytestmark = pytest.mark.django_db(transaction=True)
WRONG = "UPDATE ledger_journalline SET key_id = 999999 WHERE id = (SELECT MAX(id) FROM ledger_journalline)"


def are_checked() -> bool:
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA foreign_keys")
        return bool(cursor.fetchone()[0])


def test_a_row_that_refers_to_nothing_is_refused_and_references_are_checked_again(tmp_path):
    write_ledger(tmp_path / "ledger", 60)
    load_folder("small", tmp_path / "ledger")
    for last in ({}, {table: at - 1 for table, at in last_ids().items()}):  # all rows; a load's own
        told = pytest.raises(IntegrityError, match="ledger_journalline refers to nothing in ledger_postingkey")
        with told, references_unchecked(True), transaction.atomic(), connection.cursor() as cursor:
            assert not are_checked()
            check_references(last)
            cursor.execute(WRONG)
            check_references(last)
        assert are_checked()
    with references_unchecked(False):
        assert are_checked()
