"""Shared by all tests: the demo ledger generated once, databases that hold it, small ledgers as folders."""

from __future__ import annotations

import csv
import fcntl
import io
import json
import os
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command
from django.db import connections
from hypothesis import Phase
from hypothesis import settings as hypothesis_settings

from demo.generate import generate
from demo.taxonomy import package

ROOT = Path(__file__).parent.parent
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # processes that tests start need not compile everything again
hypothesis_settings.register_profile(
    "rulka", deadline=None
)  # machines are shared: how long an example takes says nothing
hypothesis_settings.register_profile(
    "unshrunk", deadline=None, phases=[Phase.explicit, Phase.generate]
)  # for a first look at a failure
hypothesis_settings.register_profile(
    "steady", deadline=None, phases=[Phase.explicit, Phase.generate], derandomize=True, database=None
)  # the same examples each time, none of them smaller: for runs over mutants
hypothesis_settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "rulka"))


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Whatever uses the database uses both: sessions and progress live in the second one."""
    for item in items:
        marker = item.get_closest_marker("django_db")
        if marker is not None or "db" in getattr(item, "fixturenames", ()):
            given = marker.kwargs if marker else {}
            item.add_marker(pytest.mark.django_db(**given | {"databases": "__all__"}), append=False)
    if os.environ.get("HYPOTHESIS_PROFILE") == "steady":  # random ones last: most of what is wrong is found before
        items.sort(key=lambda item: getattr(getattr(item, "obj", None), "is_hypothesis_test", False))


@pytest.fixture(scope="session", autouse=True)
def own_var(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Files that loads keep, and their locks, apart for each process that tests."""
    from django.conf import settings

    settings.VAR = tmp_path_factory.mktemp("var")
    settings.FEED_FOLDER = str(settings.VAR / "feeds")
    settings.FEED_PRIVATE = True  # stand-ins answer on this machine
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # strength costs time by design


@pytest.fixture(autouse=True)
def nothing_kept() -> Iterator[None]:
    """What a process keeps of worksheets is of rows that a test's end takes back; their numbers come again."""
    yield
    from rulka.worksheets.running import live

    live._KEPT.clear()


class Missing(str):
    """What a template shows for a name that nothing has: a failure, but for what pages send and need not send."""

    __slots__ = ()
    SENT = ("asked.", "bounds.", "entered.", "sign_in.", "source.", "v.")

    def __contains__(self, key: object) -> bool:
        return key == "%s"

    def __mod__(self, variable: object) -> str:
        if not str(variable).startswith(self.SENT):
            pytest.fail(f"A template names '{variable}', which isn't there.")
        return ""


@pytest.fixture(scope="session", autouse=True)
def strict_templates() -> None:
    """A figure that vanished from a page is an error, not an empty place."""
    from django.template import engines

    for engine in engines.all():
        engine.engine.string_if_invalid = Missing("missing")


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's two loads as `ledger` and `news`."""
    folder = tmp_path_factory.mktemp("ternwick")
    generate(folder)
    return folder


@pytest.fixture(scope="session")
def demo_database(demo_folder: Path, django_db_setup: None, django_db_blocker: Any) -> Iterator[None]:
    """The demo in the test database, for the tests that only read or roll back."""
    with django_db_blocker.unblock():
        load_demo(demo_folder)
    yield


def load_demo(folder: Path) -> None:
    """The demo in the test databases: loaded once for all processes that test, copied from the files that keep it ever
    after."""
    shared = folder.parent.parent if "PYTEST_XDIST_WORKER" in os.environ else folder.parent
    with (shared / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        kept = {name: shared / f"demo-{name}.sqlite3" for name in ("default", "work")}
        if not all(path.exists() for path in kept.values()):
            _load_demo(folder)
            for name, path in kept.items():
                _copied(name, path, out_of=True)
        else:
            for name, path in kept.items():
                _copied(name, path, out_of=False)


def _copied(name: str, path: Path, *, out_of: bool) -> None:
    """A test database into a file, or a file into a test database."""
    connection = connections[name]
    connection.ensure_connection()
    partial_path = path.with_suffix(".part")
    with closing(sqlite3.connect(partial_path if out_of else path)) as file:
        source, target = (connection.connection, file) if out_of else (file, connection.connection)
        source.backup(target)
    if out_of:
        partial_path.rename(path)


def _load_demo(folder: Path) -> None:
    out = io.StringIO()
    for part in ("ledger", "news"):
        call_command("load_ledger", str(folder / part), ledger="ternwick", stdout=out)
    call_command(
        "load_statement",
        *[str(path) for path in sorted((ROOT / "demo" / "definitions").glob("*.yaml"))],
        ledger="ternwick",
        stdout=out,
    )
    worksheets = sorted((ROOT / "demo" / "worksheets").glob("*.yaml"))
    tables = sorted((ROOT / "demo" / "tables").glob("*.yaml"))
    call_command("load_bounded", *[str(path) for path in tables], ledger="ternwick", stdout=out)
    call_command("load_worksheet", *[str(path) for path in worksheets], ledger="ternwick", stdout=out)
    queries = sorted((ROOT / "demo" / "queries").glob("*.yaml"))
    call_command("load_query", *[str(path) for path in queries], ledger="ternwick", stdout=out)
    extracts = sorted((ROOT / "demo" / "extracts").glob("*.yaml"))
    call_command("load_extract", *[str(path) for path in extracts], ledger="ternwick", stdout=out)
    overviews = sorted((ROOT / "demo" / "overviews").glob("*.yaml"))
    call_command("load_overview", *[str(path) for path in overviews], ledger="ternwick", stdout=out)
    call_command("load_demo_people", ledger="ternwick", stdout=out)
    folios = sorted((ROOT / "demo" / "folios").glob("*.yaml"))
    call_command("load_folio", "--open", *[str(path) for path in folios], ledger="ternwick", stdout=out)
    for year in (2026, 2027):
        file = folder / f"saltmarch-{year}.zip"
        file.write_bytes(package(year))
        call_command("load_taxonomy", str(file), ledger="ternwick", stdout=out)
    filings = sorted((ROOT / "demo" / "filings").glob("*.yaml"))
    call_command("load_filing", *[str(path) for path in filings], ledger="ternwick", stdout=out)


@pytest.fixture
def ternwick(demo_database: None, db: None) -> Any:
    """The demo ledger."""
    from rulka.ledger.models import Ledger

    return Ledger.objects.get(code="ternwick")


SMALL = {
    "ledger.json": {
        "name": "Small and Sons",
        "group_currency": "EUR",
        "calendar": {
            "first_month": 1,
            "year_label": "start",
            "first_year": 2025,
            "last_year": 2026,
            "adjusting_periods": 1,
        },
        "retained_earnings": "3200",
        "dimensions": ["department"],
    },
    "entities.csv": "code,name,currency,parent\nA,Small,EUR,\nB,Sons,EUR,A\n",
    "accounts.csv": (
        "code,name,type,category,parent\n1000,Bank,asset,cash and "
        "bank,\n1100,Receivables,asset,receivables,\n2000,Suppliers,liability,,\n"
        "3000,Capital,equity,,\n3200,Earnings kept,equity,,\n4000,Sales,revenue,,\n4100,Other "
        "sales,revenue,,4000\n5000,Wages,expense,,\n"
        "5100,Rent,expense,,\n9000,Hours,statistical,,\n"
    ),
    "members.csv": "dimension,code,name,parent\ndepartment,10,Shop,\ndepartment,11,Counter,10\ndepartment,20,Office,\n",
    "scenarios.csv": "code,name,kind\nbudget,Budget,budget\n",
    "entries.csv": (
        "entity,entry,line,date,account,department,debit,credit,description,document,kind,status,period\n"
        "A,E1,1,2025-01-05,1000,,100.00,,Sale,D1,,,\nA,E1,2,2025-01-05,4000,10,,100.00,Sale,D1,,,\n"
        "A,E2,1,2025-02-05,5000,20,30.00,,Pay,D2,,,\nA,E2,2,2025-02-05,1000,,,30.00,Pay,D2,,,\n"
        "A,E3,1,2026-01-10,1000,,50.00,,Sale,D3,,,\nA,E3,2,2026-01-10,4100,11,,50.00,Sale,D3,,,\n"
        "A,H1,1,2026-01-10,9000,10,7.50,,Hours,,,,\n"
    ),
    "budgets.csv": (
        "scenario,entity,account,department,period,amount,note\n"
        "budget,A,4000,10,2026-P01,-40.00,plan\nbudget,A,5000,20,2026-P01,20.00,\n"
    ),
}


def write_small(below: Path, name: str = "small", **replaced: Any) -> Path:
    """Write the small ledger into a folder below another, with files replaced (None leaves one out); returns it."""
    folder = below / name
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    files = {**SMALL, **{key.replace("__", "."): value for key, value in replaced.items()}}
    for file, content in files.items():
        if content is None:
            continue
        data = json.dumps(content) if isinstance(content, dict) else content
        (folder / file).write_bytes(data if isinstance(data, bytes) else data.encode())
    return folder


@pytest.fixture
def small(tmp_path: Path) -> Callable[..., Path]:
    """Writes the small ledger, with files replaced (None leaves one out); returns the folder."""
    return partial(write_small, tmp_path)


@pytest.fixture
def command() -> Callable[..., str]:
    """Runs a management command and returns what it wrote."""

    def run(name: str, *arguments: Any, **options: Any) -> str:
        out = io.StringIO()
        call_command(name, *[str(argument) for argument in arguments], stdout=out, **options)
        return out.getvalue()

    return run


@pytest.fixture
def open_database(monkeypatch):
    """The worker closes its connections when it ends; here it runs inside of a test's transaction, whose connection
    stays."""
    monkeypatch.setattr("django.db.backends.sqlite3.base.DatabaseWrapper.close", lambda self: None)


def table(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text)))
