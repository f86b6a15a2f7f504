"""A database of the commit before the rooms is taken over: runs, history, undo, editions, rights and waiting work."""

import gzip
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

pytestmark = pytest.mark.slow  # the next one, of test_former_names.py, goes through all newer migrations as well

HERE = Path(__file__).parent
ROOT = HERE.parent.parent
NEWS = {
    "entries.csv": (
        "entity,entry,line,date,account,department,debit,credit\n"
        "A,N1,1,2026-01-11,1000,,5.00,\nA,N1,2,2026-01-11,4000,10,,5.00\n"
    )
}


@pytest.fixture(scope="module")
def former(tmp_path_factory):
    """The migrated databases in a folder of their own, with what they show."""
    var = tmp_path_factory.mktemp("former")
    for name in ("rulka", "work"):
        (var / f"{name}.sqlite3").write_bytes(gzip.decompress((HERE / f"{name}.sqlite3.gz").read_bytes()))
    python(var, "manage.py", "migrate", "--verbosity", "0")
    return var, json.loads(python(var, "-m", "tests.former.watch"))


def python(var: Path, *arguments: str) -> str:
    environment = {
        **os.environ,
        "RULKA_VAR": str(var),
        "DATABASE_URL": "",
        "DJANGO_SETTINGS_MODULE": "rulka.web.settings",
    }
    done = subprocess.run([sys.executable, *arguments], cwd=ROOT, env=environment, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.mark.parametrize("what", ["runs", "trial balance", "history", "rights", "editions", "turned"])
def test_former_database_shows_what_it_showed(former, what):
    before = json.loads((HERE / "seen.json").read_text())
    if what == "runs":  # a command asks the rights of the shelf now, as pages always did
        told = "refused: You may see what is on the shelf 'Board', not run it. Ask an administrator."
        gone = "refused: statement: The statement 'by-department' does not exist. There are: result, detail."
        before[what]["vic"]["by-department"], before[what]["kim"]["by-department"] = told, gone
    assert former[1][what] == before[what]


def test_the_former_database_has_something_to_lose():
    seen = json.loads((HERE / "seen.json").read_text())
    states = {edit[2] for edit in seen["history"][0]}
    codes = [status for editions in seen["editions"].values() for status, _ in editions.values()]
    assert states == {"done", "dropped", "told"} and {codes.count(200), codes.count(404)} == {8}
    after, before, again = (seen["turned"][way] for way in ("0 undo", "1 undo", "2 redo"))
    assert after == again != before


def test_what_waited_is_done_by_the_functions_in_their_new_rooms(former):
    var = former[0]
    (var / "feeds" / "more").mkdir(parents=True)
    python(
        var,
        "-c",
        "import sys, django; django.setup()\n"
        "from pathlib import Path\n"
        "from tests.conftest import SMALL\n"
        "import json\n"
        "for name, content in SMALL.items():\n"
        "    text = json.dumps(content) if isinstance(content, dict) else content\n"
        "    (Path(sys.argv[1]) / name).write_text(text)\n",
        str(var / "feeds" / "more"),
    )
    entries = var / "feeds" / "more" / "entries.csv"
    entries.write_text(
        entries.read_text() + "A,N1,1,2026-01-11,1000,,5.00,,,,,,\nA,N1,2,2026-01-11,4000,10,,5.00,,,,,\n"
    )
    python(var, "manage.py", "work", "--once", "--verbosity", "0")
    told = python(
        var,
        "-c",
        "import django; django.setup()\n"
        "from rulka.work.models import Load, Output\n"
        "print(Load.objects.get().state, Output.objects.get().state, Output.objects.get().name)\n",
    )
    assert told.split()[:2] == ["accepted", "ready"], told
