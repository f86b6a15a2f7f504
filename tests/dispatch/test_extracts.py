"""Extracts go with dispatches: each recipient's rows behind their own fence."""

from __future__ import annotations

import io
import json

import openpyxl
import pytest

from rulka.dispatch.models import Sending
from rulka.people.models import Person
from rulka.statements.output.origins import verify
from tests.dispatch.world import PERIOD

pytestmark = pytest.mark.django_db
BODY = """
dispatch: rows-pack
title: Rows
sends:
- {extract: rows, as: [csv, workbook]}
to:
- {person: amy, by: mail}
- {person: lea, by: mail}
ways:
- {way: mail, subject: 'Rows of {period}', text: 'Good morning {name}'}
"""


def test_each_gets_the_rows_that_they_see(ledger, server, command, tmp_path):
    (tmp_path / "rows.yaml").write_text(BODY)
    command("load_dispatch", tmp_path / "rows.yaml", ledger="s", person="amy")
    try:
        told = json.loads(command("send", "rows-pack", ledger="s", period=PERIOD, person="amy", format="json"))
    except SystemExit:
        pytest.fail(str(list(Sending.objects.first().deliveries.values_list("state", "answer"))))
    assert [one["state"] for one in told] == ["delivered"] * 2
    mails = {one.to[0].partition("@")[0]: one.message for one in server.arrived}
    rows = {}
    for name, arrived in mails.items():
        held = {part.get_filename(): part.get_payload(decode=True) for part in arrived.iter_attachments()}
        assert set(held) == {"Rows-rows-2026-P01.csv", "Rows-rows-2026-P01.xlsx"}
        text = held["Rows-rows-2026-P01.csv"].decode()
        exact = command("run_extract", "rows", ledger="s", period="2026-P01", person=name)
        rows[name] = text.splitlines()[:-1]  # its origin stands last
        assert rows[name] == exact.splitlines()
        sheet = openpyxl.load_workbook(io.BytesIO(held["Rows-rows-2026-P01.xlsx"]))["Rows"]
        assert sheet.max_row == len(rows[name]) + 1  # the sum above; the headings are among the rows
        for content in held.values():
            assert verify(content, "x", Person.objects.get(username=name)).state == "untouched"
    assert set(rows["lea"]) < set(rows["amy"]) and len(rows["lea"]) > 1
    assert not any(",Pay," in row for row in rows["lea"]) and any(",Pay," in row for row in rows["amy"])
