"""Makes the demo ready in one process: `python -m demo.start --service 8010 --mail 8020`.

What the first pages need comes first: tables, ledger, statements, people; then `demo-ready` lies in the folder of data,
and the rest follows. A demo that is loaded already is looked at only.
"""

from __future__ import annotations

import argparse
import hashlib
import os
import shutil
import socket
import sys
import time
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
LEDGER = "ternwick"
DATABASES = ("rulka.sqlite3", "work.sqlite3")


def texts_of(folder: str, pattern: str = "*.yaml") -> list[str]:
    """The demo's files of a kind."""
    return [str(path) for path in sorted((HERE / folder).glob(pattern))]


def fingerprint() -> str:
    """What the demo is made from, and which steps its tables took, so that a change is noticed."""
    digest = hashlib.sha256()
    for path in sorted((HERE.parent / "rulka").glob("*/migrations/*.py")):
        digest.update(path.relative_to(HERE.parent).as_posix().encode() + b"\0")
    for path in sorted(path for path in HERE.rglob("*") if path.is_file() and path.suffix != ".pyc"):
        digest.update(path.relative_to(HERE).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def answers(port: int, seconds: float = 60) -> None:
    """Wait until something answers at a port of this machine."""
    end = time.monotonic() + seconds
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
        except OSError:
            if time.monotonic() > end:
                raise SystemExit(f"Nothing answers at port {port}; is it taken by something else?") from None
            time.sleep(0.1)
        else:
            return


class Start:
    """One start with its ports and folder of data."""

    def __init__(self, var: Path, service: int, mail: int) -> None:
        self.var, self.service, self.mail = var, service, mail
        self.loaded, self.ready = var / "demo-loaded", var / "demo-ready"

    def run(self) -> None:
        """Load what isn't loaded; say once the first pages can be looked at."""
        wanted = fingerprint()
        new = not self.loaded.exists() or self.loaded.read_text().strip() != wanted
        if new and not os.environ.get("DATABASE_URL"):
            for path in [self.var / f"{name}{end}" for name in DATABASES for end in ("", "-wal", "-shm")]:
                path.unlink(missing_ok=True)
            shutil.rmtree(self.var / "loads", ignore_errors=True)
        if not new:
            self.ready.write_text(f"{time.time()}\n")  # nothing changed since it was loaded
            while not (self.var / "demo-serving").exists():  # the rest can wait until the first page answers
                time.sleep(0.05)
        import django

        django.setup()
        if new:
            self.command("migrate", verbosity=0)
            self.first()
        self.ready.write_text(f"{time.time()}\n")
        if new:
            self.rest()
            self.loaded.write_text(f"{wanted}\n")
        for port in (self.mail + 1, self.mail + 2):
            answers(port)
        self.command(
            "load_demo_dispatches", str(HERE / "dispatches"), ledger=LEDGER, sftp=self.mail + 1, ftps=self.mail + 2
        )

    def command(self, name: str, *arguments: str, **options: Any) -> None:
        from django.core.management import call_command

        call_command(name, *arguments, **options, skip_checks=True)

    def first(self) -> None:
        """What the first pages show."""
        from demo.generate import generate

        print("Loading the demo ledger of Ternwick Ferries", flush=True)
        generate(self.var / LEDGER)
        for part in ("ledger", "news"):
            self.command("load_ledger", str(self.var / LEDGER / part), ledger=LEDGER)
        self.command("load_statement", *texts_of("definitions"), ledger=LEDGER)
        self.command("load_demo_people", ledger=LEDGER)

    def rest(self) -> None:
        """All that stands on it, and the feeds."""
        from demo import taxonomy, templates

        self.command("load_bounded", *texts_of("tables"), ledger=LEDGER)
        self.command("load_worksheet", *texts_of("worksheets"), ledger=LEDGER)
        self.command("load_query", *texts_of("queries"), ledger=LEDGER)
        self.command("load_extract", *texts_of("extracts"), ledger=LEDGER)
        for line in templates.load(LEDGER):
            print(line)
        self.command("load_overview", *texts_of("overviews"), ledger=LEDGER)
        self.command("load_folio", *texts_of("folios"), ledger=LEDGER, open=True)
        taxonomy.main(self.var / "taxonomies")
        packages = sorted(map(str, (self.var / "taxonomies").glob("*.zip")))
        self.command("load_taxonomy", *packages, ledger=LEDGER)
        self.command("load_filing", *texts_of("filings"), ledger=LEDGER)
        address = f"http://127.0.0.1:{self.service}/odata/"
        self.command("load_feed", str(HERE / "feeds.json"), ledger=LEDGER, address=address, secret="tides")
        (self.var / "feeds").mkdir(parents=True, exist_ok=True)
        for path in (HERE / "files").iterdir():
            shutil.copy(path, self.var / "feeds")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--service", type=int, default=8010, help="the port of the ledger service")
    parser.add_argument("--mail", type=int, default=8020, help="the port of the mail server")
    asked = parser.parse_args()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rulka.web.settings")
    Start(Path(os.environ["RULKA_VAR"]), asked.service, asked.mail).run()


if __name__ == "__main__":
    sys.exit(main())
