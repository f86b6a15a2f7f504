"""Kills and crowds: `python -m bench.siege [--seconds 60] [--kills 20]`.

The demo with a web server and a worker of its own; 30 readers and 2 editors go on for a minute while 8 loads are done,
and web server and worker are killed by turns and started again. Then all is counted: what readers got, what editors
were told that was kept, every load, and whether everything derived still agrees with the journal lines.
"""

from __future__ import annotations

import argparse
import collections
import csv
import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

import httpx

PAGES = (
    "statements/",
    "statements/income-statement/?period=2027-P07&node=TF",
    "statements/balance-sheet/?period=2027-P07&node=TF",
    "statements/income-statement/panel/?period=2027-P07&node=TF&panel=footing",
    "ledger/trial-balance/?period=2027-P07",
    "ledger/journal/?accounts=6110",
    "ledger/accounts/?period=2027-P07",
    "statements/balance-sheet/export/csv/?period=2027-P07&node=TF",
)
READERS, EDITORS, LOADS = 30, 2, 8


class Siege:
    """The processes, and what everybody counted."""

    def __init__(self, folder: Path, port: int) -> None:
        self.folder, self.port = folder, port
        self.address = f"http://127.0.0.1:{port}/"
        self.environment = {
            **os.environ, "RULKA_VAR": str(folder / "var"), "RULKA_DEMO": "1", "DATABASE_URL": "",
            "DJANGO_SETTINGS_MODULE": "rulka.web.settings",
        }  # fmt: skip
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.answers: collections.Counter[str] = collections.Counter()
        self.kept: list[str] = []
        self.over = threading.Event()
        self.ready = threading.Barrier(READERS + EDITORS + 1)

    def manage(self, *arguments: str) -> str:
        command = [sys.executable, "manage.py", *arguments]
        done = subprocess.run(command, env=self.environment, capture_output=True, text=True, check=True)
        return done.stdout

    def start(self, what: str) -> None:
        command = {
            "web": ["-m", "waitress", f"--listen=127.0.0.1:{self.port}", "--threads=8", "rulka.web.wsgi:application"],
            "worker": ["manage.py", "work", "--verbosity", "0"],
        }[what]
        log = (self.folder / f"{what}.log").open("ab")
        self.processes[what] = subprocess.Popen(
            [sys.executable, *command], env=self.environment, stdout=log, stderr=subprocess.STDOUT
        )

    def wait_for_web(self) -> None:
        for _ in range(600):
            try:
                if httpx.get(self.address + "sign-in/").status_code == 200:
                    return
            except httpx.TransportError:
                time.sleep(0.1)
        raise SystemExit("The web server did not start.")

    def client(self, who: str) -> httpx.Client:
        for _ in range(100):
            try:
                return self._signed_in(who)
            except (httpx.TransportError, KeyError):
                time.sleep(0.3)
        raise SystemExit("Signing in did not work.")

    def _signed_in(self, who: str) -> httpx.Client:
        client = httpx.Client(base_url=self.address, timeout=60, follow_redirects=True)
        token = client.get("sign-in/").cookies["csrftoken"]
        client.post(f"sign-in/{who}/", data={"csrfmiddlewaretoken": token}, headers={"Referer": self.address})
        return client

    def read(self, number: int) -> None:
        """One reader, page after page."""
        dice = random.Random(number)
        client = self.client(("accountant", "director", "ships-lead")[number % 3])
        self.ready.wait()
        while not self.over.is_set():
            page = dice.choice(PAGES)
            try:
                answer = client.get(page)
            except httpx.TransportError:
                self.answers["reads broken off by a kill"] += 1
                time.sleep(0.2)
                continue
            known = answer.status_code in (200, 422) and "Incident" not in answer.text
            self.answers["reads answered" if known else f"reads {answer.status_code} {page}"] += 1
            time.sleep(dice.random() * 0.5)

    def edit(self, number: int) -> None:
        """One editor, title after title; what was told to be done has to be there in the end."""
        name = ("outlook", "cash-flow")[number]
        client = self.client(("accountant", "controller")[number])
        self.ready.wait()
        count = 0
        while not self.over.is_set():
            count += 1
            title = f"Title {number} {count}"
            asked = {
                "csrfmiddlewaretoken": client.cookies.get("csrftoken", ""), "do": "statement-change", "path": "title",
                "value": title, "share-spine": "all", "share-span": "all",
            }  # fmt: skip
            try:
                headers = {"HX-Request": "true", "Referer": self.address}
                answer = client.post(f"statements/{name}/edit/?period=2027-P07&node=TF", data=asked, headers=headers)
            except httpx.TransportError:
                self.answers["edits broken off by a kill"] += 1
                time.sleep(0.2)
                continue
            if answer.status_code == 200 and title in answer.text:
                self.answers["edits told to be done"] += 1
                self.kept.append(title)
            elif answer.status_code == 503:
                self.answers["edits told to try again"] += 1
            else:
                self.answers[f"edits {answer.status_code}"] += 1
            time.sleep(0.3)

    def kill(self, kills: int, seconds: float) -> None:
        dice = random.Random(1)
        for number in range(kills):
            time.sleep(seconds / kills * (0.5 + dice.random() * 0.5))
            what = ("worker", "web")[number % 2]
            self.processes[what].send_signal(signal.SIGKILL)
            self.processes[what].wait()
            self.answers[f"kills of the {what}"] += 1
            self.start(what)

    def load(self) -> None:
        """Eight files into the folder of feeds, a feed for each, pulled one after the other."""
        client = self.client("accountant")
        for number in range(LOADS):
            for _ in range(40):
                try:
                    page = client.get("ledger/feeds/").text
                    pk = page.split(f">Siege {number}<")[0].rsplit("/feeds/", 1)[1].split("/")[0]
                    asked = {"csrfmiddlewaretoken": client.cookies.get("csrftoken", "")}
                    answer = client.post(f"ledger/feeds/{pk}/pull/", data=asked, headers={"Referer": self.address})
                    if answer.status_code == 200:
                        self.answers["loads asked for"] += 1
                        break
                except (httpx.TransportError, IndexError):
                    time.sleep(0.5)
            time.sleep(4)

    def accept_held(self, var: Path) -> None:
        """What waits for a person is accepted."""
        with closing(sqlite3.connect(var / "work.sqlite3")) as database:
            held = [pk for (pk,) in database.execute("SELECT id FROM work_load WHERE state = 'held'")]
        client = self.client("accountant") if held else None
        for pk in held:
            if client is not None:
                asked = {"csrfmiddlewaretoken": client.cookies.get("csrftoken", ""), "decision": "accept"}
                client.post(f"ledger/loads/{pk}/decide/", data=asked, headers={"Referer": self.address})


def news(folder: Path, number: int) -> None:
    """A ledger folder with entries of its own."""
    target = folder / "var" / "feeds" / f"siege-{number}"
    shutil.copytree(folder / "demo" / "ledger", target)
    path = target / "entries.csv"
    with path.open(newline="") as file:
        rows = list(csv.DictReader(file))
    columns = list(rows[0])
    first = [row for row in rows if row["entry"] == rows[0]["entry"] and row["entity"] == rows[0]["entity"]]
    with path.open("w", newline="") as file:
        writer = csv.DictWriter(file, columns)
        writer.writeheader()
        for entry in range(120):
            writer.writerows({**row, "entry": f"SIEGE-{number}-{entry}"} for row in first)


def check(var: Path) -> dict[str, object]:
    """What the database says in the end, and that all that is derived agrees with the lines."""
    with closing(sqlite3.connect(var / "rulka.sqlite3")) as database:
        one = database.execute
        of_lines = (
            "SELECT key_id, period, status, effect, SUM(debit), SUM(credit), COUNT(*) FROM ledger_journalline "
            "GROUP BY 1, 2, 3, 4"
        )
        of_balances = (
            "SELECT key_id, period, status, effect, debit, credit, count FROM ledger_balance WHERE scenario_id = "
            "(SELECT id FROM ledger_scenario WHERE code = 'actual')"
        )
        return {
            "integrity": one("PRAGMA integrity_check").fetchone()[0],
            "balances that no lines say": one(f"SELECT COUNT(*) FROM ({of_balances} EXCEPT {of_lines})").fetchone()[0],
            "lines that no balance has": one(f"SELECT COUNT(*) FROM ({of_lines} EXCEPT {of_balances})").fetchone()[0],
            "revisions": one("SELECT COUNT(*), MAX(number) FROM ledger_revision").fetchone(),
            "siege entries": one("SELECT COUNT(*) FROM ledger_journalentry WHERE number LIKE 'SIEGE-%'").fetchone()[0],
        }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--kills", type=int, default=20)
    parser.add_argument("--port", type=int, default=8931)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="rulka-siege-") as name:
        siege = Siege(Path(name), asked.port)
        run(siege, asked.kills, asked.seconds)


def run(siege: Siege, kills: int, seconds: float) -> None:
    """Set the demo up, lay siege to it, count."""
    set_up(siege)
    siege.start("web")
    siege.start("worker")
    siege.wait_for_web()
    threads = [threading.Thread(target=siege.read, args=(number,)) for number in range(READERS)]
    threads += [threading.Thread(target=siege.edit, args=(number,)) for number in range(EDITORS)]
    threads += [threading.Thread(target=siege.load)]
    for thread in threads:
        thread.start()
    siege.ready.wait()
    siege.kill(kills, seconds)
    siege.over.set()
    for thread in threads:
        thread.join()
    states = settled(siege)
    for process in siege.processes.values():
        process.terminate()
        process.wait()
    report(siege, states)


def set_up(siege: Siege) -> None:
    """The demo, with the feeds that are loaded meanwhile."""
    folder = siege.folder
    siege.manage("migrate", "--verbosity", "0")
    subprocess.run([sys.executable, "-m", "demo.generate", str(folder / "demo")], env=siege.environment, check=True)
    for part in ("ledger", "news"):
        siege.manage("load_ledger", "--ledger", "ternwick", str(folder / "demo" / part))
    siege.manage("load_statement", "--ledger", "ternwick", *map(str, sorted(Path("demo/definitions").glob("*.yaml"))))
    siege.manage("load_demo_people", "--ledger", "ternwick")
    feeds = [{"name": f"Siege {n}", "kind": "ledger", "location": f"siege-{n}"} for n in range(LOADS)]
    for number in range(LOADS):
        news(folder, number)
    (folder / "feeds.json").write_text(json.dumps(feeds))
    siege.manage("load_feed", "--ledger", "ternwick", str(folder / "feeds.json"))


def settled(siege: Siege) -> dict[str, int]:
    """The states of loads once what waits is done and what is held accepted, or after five minutes."""
    var = siege.folder / "var"
    states: dict[str, int] = {}
    for _ in range(600):
        with closing(sqlite3.connect(var / "work.sqlite3")) as database:
            states = dict(database.execute("SELECT state, COUNT(*) FROM work_load GROUP BY 1").fetchall())
        if not states.keys() & {"waiting", "running", "held"}:
            break
        time.sleep(0.5)
        siege.accept_held(var)
    return states


def report(siege: Siege, states: dict[str, int]) -> None:
    """What was answered, and what is lost or torn."""
    folder, var = siege.folder, siege.folder / "var"
    for what in siege.processes:
        log = (folder / f"{what}.log").read_text().splitlines()
        print(f"the last of the {what}'s log: {log[-3:]}" if log else f"the {what} logged nothing")
    with closing(sqlite3.connect(var / "rulka.sqlite3")) as database:
        stored = {body for (body,) in database.execute("SELECT after FROM statements_change WHERE kind = 'statement'")}
    lost = [title for title in siege.kept if not any(f'"{title}"' in body for body in stored)]
    for what, count in sorted(siege.answers.items()):
        print(f"{what}: {count}")
    print(f"loads: {states}")
    print(f"edits that were told to be done and are gone: {len(lost)}")
    for what, found in check(var).items():
        print(f"{what}: {found}")


if __name__ == "__main__":
    main()
