"""The sender and the worker are killed at any moment: nothing is lost, nothing goes twice, all is accounted for, and
each got their own figures."""

from __future__ import annotations

import csv
import io
import json
import random
import signal
import sqlite3
import time
from collections import Counter
from contextlib import closing, contextmanager
from hashlib import sha256

import pytest

from standins.file_server import SECRET, USER, FtpsServer, SftpServer
from standins.mail_server import MailServer
from tests.conftest import write_small
from tests.dispatch.world import PACK
from tests.web.world import DEFINITIONS
from tests.work.test_backups import House

PLAIN = PACK.replace(", sheet {cell sums / C1}", "")
PEOPLE = {f"p{number}": ("", "10", "20", "11")[number % 4] for number in range(10)}
"""Ten people, and the department that bounds each; nothing for who sees all."""

EVERY_WAY = """
dispatch: every-way
title: Every way
sends:
- {statement: result, as: [workbook, pdf, csv], node: A, file: '{name}-{statement}-{period.code}'}
to: [RECIPIENTS]
ways:
- {way: mail, subject: '{name}: {figure result / result / now}', text: 'See {link}'}
- {way: folder, name: board, path: 'board/{period.code}'}
- {way: file server, name: sftp, server: sftp, path: '{period.code}'}
- {way: file server, name: ftps, server: ftps, path: '{period.code}'}
- {way: link, name: library}
"""


class Sender(House):
    """A house that sends by servers and into a folder."""

    port = 0

    @property
    def environment(self):
        return {**super().environment, "RULKA_MAIL_HOST": "127.0.0.1", "RULKA_MAIL_PORT": str(self.port),
                "RULKA_MAIL_FROM": "rulka@ternwick.example", "RULKA_ADDRESS": "https://rulka.example.org/",
                "RULKA_FILE_SECRET": SECRET,
                "RULKA_SEND_FOLDERS": f"board={self.var.parent / 'board'}"}  # fmt: skip

    def rows(self, sql):
        with closing(sqlite3.connect(self.var / "work.sqlite3", timeout=30)) as connection:
            return connection.execute(sql).fetchall()

    def deliveries(self):
        return self.rows("SELECT identity, way, state, person_name FROM dispatch_delivery")


@contextmanager
def house_with(tmp_path, text, people):
    house = Sender(tmp_path / "one")
    (tmp_path / "board").mkdir(exist_ok=True)
    (tmp_path / "definitions.yaml").write_text(DEFINITIONS)
    (tmp_path / "pack.yaml").write_text(text)
    house.manage("migrate", "--verbosity", 0)
    house.manage("load_ledger", "--ledger", "s", write_small(tmp_path))
    house.manage("load_statement", "--ledger", "s", tmp_path / "definitions.yaml")
    for name, (role, bound) in people.items():
        house.manage("make_person", name, "--role", role, "--ledger", "s", "--mail", f"{name}@ternwick.example",
                     "--title", name.capitalize())  # fmt: skip
        if bound:
            house.manage("set_fence", name, "--ledger", "s", "--members", f"department=under:{bound}")
    with (
        MailServer() as mail,
        SftpServer(tmp_path / "sftp") as sftp,
        FtpsServer(tmp_path / "ftps") as ftps,
    ):
        house.port = mail.port
        for kind, server in (("sftp", sftp), ("ftps", ftps)):
            house.manage("file_server", kind, "--ledger", "s", "--kind", kind, "--host", "127.0.0.1", "--port",
                         server.port, "--user", USER, "--pin")  # fmt: skip
        house.manage("load_dispatch", "--ledger", "s", tmp_path / "pack.yaml", "--as", "amy")
        yield house, mail


@pytest.mark.slow
def test_twenty_kills_of_the_command_leave_everything_accounted_for(tmp_path, kills=20):
    people = {"amy": ("accountant", ""), "lea": ("lead", ""), "kim": ("lead", "")}
    with house_with(tmp_path, PLAIN, people) as (house, server):
        killed_under_way = 0
        for attempt in range(kills):
            before = len(house.deliveries())
            sending = house.start("send", "month-pack", "--ledger", "s", "--period", "2026-P01", "--as", "amy")
            chance = random.Random(attempt)
            while sending.poll() is None and len(house.deliveries()) == before and chance.random() < 0.995:
                time.sleep(0.05)
            time.sleep(chance.random() * 0.4)
            killed_under_way += sending.poll() is None
            sending.send_signal(signal.SIGKILL)
            sending.wait()
            house.manage("work", "--once")
        assert killed_under_way
        arrived = Counter(one.message["Message-ID"].strip("<>").partition("@")[0] for one in server.arrived)
    found = house.deliveries()
    assert len(found) % 5 == 0, "an occasion is written down as a whole, or not at all"
    assert {state for _, _, state, _ in found} <= {"delivered", "not known"}
    mails = {identity: state for identity, way, state, _ in found if way == "mail"}
    assert set(arrived) <= set(mails) and set(arrived.values()) <= {1}
    assert all(arrived[identity] == 1 for identity, state in mails.items() if state == "delivered")
    boards = [one for one in found if one[1] == "board"]
    names = [path.name for path in (tmp_path / "board" / "2026-P01").iterdir()] if boards else []
    contents = [path.read_bytes() for path in (tmp_path / "board" / "2026-P01").iterdir()] if boards else []
    assert len(contents) == len(set(contents)) == 4 * len(boards), "each file once"
    assert all(state == "delivered" for _, way, state, _ in found if way == "board")
    assert not any(name.startswith(".") for name in names), "never half a file"


def _killed(house, kills, occasions):
    """Occasions sent by a worker that is killed again and again, then by one that isn't."""
    killed = 0
    for number in range(occasions):
        house.manage("send", "every-way", "--ledger", "s", "--period", "2026-P01", "--as", "amy", "--queue")
        for attempt in range(kills // occasions):
            worker = house.start("work")
            chance = random.Random(f"{number} {attempt}")
            time.sleep(1.5 + chance.random() * 4)
            killed += worker.poll() is None
            worker.send_signal(signal.SIGKILL)
            worker.wait()
    assert killed == kills
    for _ in range(3):
        house.manage("work", "--once")


def _each_mail_once(house, server, occasions):
    """No mail twice; what isn't known goes again by a person's choice, as the same mail."""
    found = house.deliveries()
    ended = Counter(state for _, _, state, _ in found)
    assert len(found) == occasions * len(PEOPLE) * 5 and set(ended) <= {"delivered", "not known"}, ended
    assert {way for _, way, state, _ in found if state == "not known"} <= {"mail"}
    identity = lambda one: one.message["Message-ID"].strip("<>").partition("@")[0]  # noqa: E731
    before = Counter(map(identity, server.arrived))
    mails = {one[0]: one for one in found if one[1] == "mail"}
    assert set(before.values()) <= {1} and set(before) <= set(mails)
    assert all(before[name] == 1 for name, one in mails.items() if one[2] == "delivered")
    unknown = [name for name, one in mails.items() if one[2] == "not known"]
    for name in unknown:
        house.manage("send", "every-way", "--ledger", "s", "--as", "amy", "--again", name)
    after = Counter(map(identity, server.arrived))
    assert set(after) == set(mails) and {name for name, count in after.items() if count > 1} <= set(unknown)


def _each_file_once(house, folder):
    """Each file once in each place, none half."""
    places = [folder / way / "2026-P01" for way in ("board", "sftp", "ftps")]
    rows = house.rows("SELECT person_name, files FROM dispatch_delivery")
    sent = {file["digest"] for _, files in rows for file in json.loads(files)}
    for place in places:
        digests = Counter(sha256(path.read_bytes()).hexdigest() for path in place.iterdir() if path.name[0] != ".")
        assert set(digests.values()) == {1} and set(digests) == sent, place


def _each_their_own(house, server):
    """Each mail holds its reader's figures."""
    own = {}
    for name in PEOPLE:
        told = house.manage("run_statement", "result", "--ledger", "s", "--period", "2026-P01", "--node", "A",
                            "--as", name)  # fmt: skip
        own[name] = {
            line["label"]: line["values"][0]
            for line in json.loads(told)["lines"]
            if line["values"][0] is not None and not line.get("hidden")
        }
    assert len({json.dumps(figures) for figures in own.values()}) > 2, "they don't see the same"
    for one in server.arrived:
        name = one.to[0].partition("@")[0]
        (text,) = [
            part.get_payload(decode=True).decode()
            for part in one.message.iter_attachments()
            if part.get_filename().endswith(".csv")
        ]
        rows = list(csv.reader(io.StringIO(text)))
        assert {row[0]: row[1] for row in rows[1:] if row[1] and row[0] in own[name]} == own[name], name


@pytest.mark.slow
def test_ten_people_by_every_way_under_twenty_kills_of_the_worker(tmp_path, kills=20, occasions=4):
    recipients = ", ".join(f"{{person: {name}, node: '10'}}" for name in PEOPLE)
    people = {"amy": ("accountant", ""), **{name: ("lead", bound) for name, bound in PEOPLE.items()}}
    with house_with(tmp_path, EVERY_WAY.replace("RECIPIENTS", recipients), people) as (house, server):
        _killed(house, kills, occasions)
        _each_mail_once(house, server, occasions)
        _each_file_once(house, tmp_path)
        _each_their_own(house, server)
