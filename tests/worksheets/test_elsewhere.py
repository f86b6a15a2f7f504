"""Live links in a desktop spreadsheet: an office suite opens the workbook, headless, and fetches what the ledger says.

The tests are there where the suite and its bridge to Python are installed (Debian's libreoffice-calc and python3-uno).
"""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
from decimal import Decimal
from pathlib import Path

import openpyxl
import pytest
from django.test import Client
from django.urls import reverse

from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from tests.conftest import SMALL
from tests.web.world import make_world

SUITE, PYTHON = shutil.which("soffice"), "/usr/bin/python3"
HAS_SUITE = SUITE is not None and subprocess.run([PYTHON, "-c", "import uno"], capture_output=True).returncode == 0

BRIDGE = """
import json, sys, time, uno
from com.sun.star.beans import PropertyValue
def given(name, value):
    found = PropertyValue()
    found.Name, found.Value = name, value
    return found
local = uno.getComponentContext()
resolver = local.ServiceManager.createInstanceWithContext("com.sun.star.bridge.UnoUrlResolver", local)
for attempt in range(120):
    try:
        context = resolver.resolve("uno:socket,host=127.0.0.1,port=%s;urp;StarOffice.ComponentContext" % sys.argv[1])
        break
    except Exception:
        time.sleep(0.5)
desktop = context.ServiceManager.createInstanceWithContext("com.sun.star.frame.Desktop", context)
document = desktop.loadComponentFromURL("file://" + sys.argv[2], "_blank", 0, (given("UpdateDocMode", 3),))
document.calculateAll()
time.sleep(2)
document.calculateAll()
sheet, found = document.Sheets.getByIndex(0), {}
for at in sys.argv[3:]:
    cell = sheet.getCellRangeByName(at)
    found[at] = [cell.getValue(), cell.getString(), cell.getError(), cell.getFormula()]
print(json.dumps(found))
document.close(True)
desktop.terminate()
"""
SETTINGS = """<?xml version="1.0" encoding="UTF-8"?>
<oor:items xmlns:oor="http://openoffice.org/2001/registry">
<item oor:path="/org.openoffice.Office.Calc/Content/Update"><prop oor:name="Link" oor:op="fuse"><value>0</value></prop>
</item><item oor:path="/org.openoffice.Office.Common/Security/Scripting"><prop oor:name="SecureURL" oor:op="fuse">
<value><it>file://{folder}</it></value></prop></item></oor:items>
"""


def opened(folder: Path, file: Path, *cells: str) -> dict[str, list[object]]:
    """Cells of a workbook as the suite has them after it was opened, links updated: value, text, error, formula."""
    profile = folder / "profile" / "user"
    profile.mkdir(parents=True, exist_ok=True)
    (profile / "registrymodifications.xcu").write_text(SETTINGS.format(folder=folder))
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    accept = f"--accept=socket,host=127.0.0.1,port={port};urp;"
    own = f"-env:UserInstallation=file://{folder / 'profile'}"
    suite = subprocess.Popen([str(SUITE), own, "--headless", "--norestore", accept], stderr=subprocess.DEVNULL)
    try:
        told = subprocess.run(
            [PYTHON, "-c", BRIDGE, str(port), str(file), *cells], capture_output=True, text=True, timeout=180
        )
        assert told.returncode == 0, told.stderr
        return json.loads(told.stdout)
    finally:
        suite.terminate()
        suite.wait(30)


if HAS_SUITE:

    @pytest.mark.slow
    @pytest.mark.django_db(transaction=True)
    def test_live_links_are_recalculated_from_the_ledger_as_it_is(live_server, small, command, tmp_path):
        make_world(small, command)
        amy = make_person("amy", title="Amy", role="accountant")
        grant(amy, "s", "", "", {}, opens_seals=True)
        client = Client()
        client.force_login(amy)
        where = "?ledger=s&period=2026-P01&node=A"
        cells = [[0, 45, '=RULKA.ACTIVITY("4*","2026-P01")'], [1, 45, "=AT1*2"], [2, 45, '=RULKA.NAME("4100")'],
                 [3, 45, "=SUM(AT1:AT2)"], [4, 45, "=AT1:AT2*2"], [8, 45, "=SUM(AT5#)"]]  # fmt: skip
        sent = {"do": "type", "sheet": 1, "version": 1, "cells": cells}
        edit = client.post(reverse("edit-worksheet", args=["sums"]) + where, json.dumps(sent), "application/json")
        assert edit.status_code == 200
        address = live_server.url + reverse("worksheet-linked", args=["sums"]) + where
        host = live_server.url.removeprefix("http://")
        data = client.post(address, {"days": "2"}, headers={"host": host}).content
        file = tmp_path / "live.xlsx"
        file.write_bytes(data)
        page = openpyxl.load_workbook(file, data_only=True).worksheets[0]
        assert page["AT1"].value == -50 and page["AT2"].value == -100
        assert openpyxl.load_workbook(file)["Live"]["B1"].value.startswith(live_server.url)

        # the ledger goes on after the workbook was made: what the suite shows is the new figure, not the kept one
        lines = SMALL["entries.csv"] + "A,E9,1,2026-01-20,1000,,9.25,,B,,,,\nA,E9,2,2026-01-20,4100,11,,9.25,B,,,,\n"
        command("load_ledger", small(entries__csv=lines), ledger="s")
        found = opened(tmp_path, file, "AT1", "AT2", "AT3", "AT4", "AT9")
        assert [found[at][2] for at in ("AT1", "AT2", "AT3", "AT4")] == [0, 0, 0, 0], found
        assert Decimal(str(found["AT1"][0])) == Decimal("-59.25") and "WEBSERVICE" in str(found["AT1"][3])
        assert Decimal(str(found["AT2"][0])) == Decimal("-118.5") and found["AT3"][1] == "Other sales"
        assert Decimal(str(found["AT4"][0])) == Decimal("-177.75")
        assert Decimal(str(found["AT9"][0])) == Decimal("-355.5")

        # revoked, it says so instead of keeping up appearances
        from rulka.worksheets.models import LiveLink

        LiveLink.objects.update(expires="2020-01-01T00:00Z")
        assert opened(tmp_path, file, "AT1")["AT1"][2] != 0
