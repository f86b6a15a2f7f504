"""A ledger with a dispatch, and a mail server, for tests of dispatches."""

from __future__ import annotations

import pytest

from rulka.dispatch.running import delivering
from rulka.people.library.persons import make_person, set_mail
from rulka.people.library.rights import grant
from standins.mail_server import MailServer
from tests.dispatch.world import PACK
from tests.web.world import make_world


@pytest.fixture(autouse=True)
def quick(settings, tmp_path, monkeypatch):
    settings.SEND_FOLDERS = {"board": tmp_path / "board"}
    (tmp_path / "board").mkdir()
    settings.MAIL_FROM, settings.MAIL_HOST = "rulka@ternwick.example", "127.0.0.1"
    monkeypatch.setattr(delivering, "PAUSES", (0, 0))


@pytest.fixture
def server(settings):
    with MailServer() as server:
        settings.MAIL_PORT = server.port
        yield server


@pytest.fixture
def ledger(small, command, tmp_path):
    ledger = make_world(small, command)
    for name, bounds in (("amy", {}), ("lea", {"department": "under:10"}), ("kim", {"department": "20"})):
        person = make_person(name, title=name.capitalize(), role="accountant" if name == "amy" else "lead")
        grant(person, "s", "", "", bounds, opens_seals=True)
        set_mail(person, f"{name}@ternwick.example")
    (tmp_path / "pack.yaml").write_text(PACK)
    assert command("load_dispatch", tmp_path / "pack.yaml", ledger="s", person="amy") == (
        "dispatch month-pack: version 1\n"
    )
    return ledger
