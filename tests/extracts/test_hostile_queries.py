"""Queries that would write, read elsewhere, go on for ever or take all memory: each ends within its limits, changes
nothing, and gives nothing beyond a fence."""

from __future__ import annotations

import random
import sqlite3
import time
from hashlib import sha256

import pytest
from django.db import connection

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import RulkaError
from rulka.ledger.models import JournalLine
from rulka.ledger.reading.queried import MEMORY, VIEWS, answer, views_of

pytestmark = pytest.mark.django_db
SHIPS = Fence.of(entities="TF", accounts="6*", sealed="6110")
READS = "It reads or does what no query may."
BEGINS = "A query begins with SELECT or WITH."
LONG, LARGE, MEMORIES = "It takes too long.", "It makes something too large.", "It takes too much memory"

HOSTILE = [
    # writing
    ("INSERT INTO ledger_ledger (code) VALUES ('x')", BEGINS), ("UPDATE ledger_journalline SET debit = 0", BEGINS),
    ("DELETE FROM ledger_journalline", BEGINS), ("DROP TABLE ledger_journalline", BEGINS),
    ("CREATE TABLE x (y)", BEGINS), ("CREATE TEMP TABLE x AS SELECT 1", BEGINS), ("REPLACE INTO x VALUES (1)", BEGINS),
    ("VACUUM INTO '/tmp/stolen.sqlite3'", BEGINS), ("REINDEX", BEGINS), ("ANALYZE", BEGINS), ("BEGIN", BEGINS),
    ("COMMIT", BEGINS), ("ALTER TABLE ledger_ledger ADD COLUMN x", BEGINS), ("", BEGINS), ("  -- nothing", BEGINS),
    ("WITH x AS (SELECT 1) DELETE FROM ledger_journalline", READS),
    ("WITH x AS (SELECT 1) INSERT INTO ledger_ledger (code) SELECT 'x' FROM x", READS),
    ("WITH x AS (SELECT 1) UPDATE ledger_ledger SET name = 'x'", READS),
    # settings, other files
    ("PRAGMA database_list", BEGINS), ("PRAGMA query_only = OFF", BEGINS), ("ATTACH '/etc/passwd' AS p", BEGINS),
    ("DETACH side", BEGINS), ("SELECT * FROM pragma_database_list", READS), ("SELECT * FROM pragma_table_list", READS),
    ("SELECT load_extension('/tmp/x.so')", READS), ("SELECT readfile('/etc/passwd')", "no such function"),
    ("SELECT writefile('/tmp/x', 'x')", "no such function"), ("EXPLAIN SELECT * FROM lines", BEGINS),
    ("EXPLAIN QUERY PLAN SELECT * FROM lines", BEGINS), ("/* SELECT */ EXPLAIN SELECT 1", BEGINS),
    # tables that are no views
    ("SELECT * FROM ledger_journalline", READS), ("SELECT count(*) FROM ledger_journalline", READS),
    ("SELECT 1 FROM people_person LIMIT 1", READS), ("SELECT password FROM people_person", READS),
    ("SELECT * FROM main.ledger_account", READS), ("SELECT * FROM sqlite_master", READS),
    ("SELECT sql FROM main.sqlite_schema", READS), ("SELECT * FROM sqlite_temp_master", READS),
    ("SELECT sql FROM temp.sqlite_schema", READS), ("SELECT * FROM side.sqlite_master", READS),
    ("SELECT account FROM accounts WHERE EXISTS (SELECT 1 FROM people_person)", READS),
    ("SELECT (SELECT count(*) FROM ledger_account) FROM accounts", READS),
    ("SELECT * FROM accounts JOIN ledger_account ON 1", READS),
    # names that look like a view's inside
    ("WITH lines AS (SELECT * FROM ledger_journalline) SELECT * FROM lines", READS),
    ("WITH accounts AS (SELECT * FROM ledger_account), lines AS (SELECT * FROM accounts) SELECT * FROM lines", READS),
    ("SELECT * FROM (SELECT * FROM ledger_journalline) AS lines", READS),
    ("WITH v_0 AS (SELECT * FROM people_person) SELECT * FROM v_0", READS),
    ("SELECT * FROM lines AS l, (SELECT count(*) FROM main.ledger_journalline) AS lines", READS),
    ("WITH RECURSIVE lines(x) AS (SELECT 1 UNION ALL SELECT id FROM ledger_journalline) SELECT * FROM lines", READS),
    # without end, without measure
    ("WITH RECURSIVE a(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM a) SELECT max(x) FROM a", LONG),
    ("SELECT count(*) FROM lines a, lines b, lines c", LONG),
    ("WITH RECURSIVE a(x) AS (SELECT 'x' UNION ALL SELECT x || x FROM a) SELECT length(x) FROM a", LARGE),
    ("SELECT length(printf('%1000000000d', 1)) / 0 + zeroblob(1)", READS),
    ("SELECT replace(printf('%1000000d', 1), ' ', 'xxxxxxxxxx')", LARGE),
    ("SELECT zeroblob(1000000000)", READS), ("SELECT randomblob(1000000000)", READS),
    ("WITH RECURSIVE a(x, y) AS (SELECT 1, hex(printf('%400000d', 1)) UNION ALL SELECT x + 1, y || '' FROM a WHERE x < "
     "5000) SELECT group_concat(y) FROM (SELECT y, x FROM a ORDER BY y, x)", (MEMORIES, LARGE, LONG)),
    ("WITH RECURSIVE a(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM a WHERE x < 100000000) SELECT x FROM a ORDER BY -x",
     (MEMORIES, LONG)),
    ("SELECT " + "(" * 500 + "1" + ")" * 500, "The query can't be read"),
    ("SELECT 1; SELECT 2", "It holds several statements."),
    ("SELECT 1; DROP TABLE ledger_journalline", "It holds several statements."),
    ("SELECT x'00ff'", "A column holds bytes."), ("SELECT sum(9223372036854775807) FROM lines", "A sum is too large."),
    ("SELECT :missing", "Its parameters"), ("SELECT 'a\x00b'", BEGINS), ("SELECT", "The query can't be read"),
    ("SELECT nobody FROM lines", "no such column"), ("SELECT * FROM nowhere", "no such table"),
    ("SELECT last_insert_rowid()", READS), ("SELECT sqlite_source_id()", READS), ("SELECT total_changes()", READS),
    ("SELECT random()", READS),
]  # fmt: skip


@pytest.fixture(scope="module")
def state():
    """What the database file says, to be the same afterwards."""
    return {}


def digest() -> str:
    """All rows of some tables, read by a connection of its own."""
    with sqlite3.connect(f"file:{connection.settings_dict['NAME']}?mode=ro", uri=True) as other:
        found = sha256()
        for table in ("ledger_journalline", "ledger_ledger", "people_person", "ledger_account", "sqlite_master"):
            for row in other.execute(f"SELECT * FROM {table}"):
                found.update(repr(row).encode())
    return found.hexdigest()


def test_fifty_and_more_hostile_queries_are_refused_in_words_and_change_nothing(ternwick, tmp_path):
    before = digest()
    assert len(HOSTILE) >= 50
    for query, said in HOSTILE:
        text = query.replace("/tmp/", f"{tmp_path}/")
        begun = time.monotonic()
        with pytest.raises(RulkaError) as raised:
            pytest.fail(f"{text[:200]} gave {answer(ternwick, SHIPS, text, {}, seconds=1.5).rows[:2]}"[:400])
        told = str(raised.value)
        assert any(one in told for one in ((said,) if isinstance(said, str) else said)), (text, told)
        assert time.monotonic() - begun < 14, text
        assert "v_" not in told or text.find("v_") >= 0, "no name of an inner view is told"
    assert digest() == before and not list(tmp_path.iterdir())


def test_memory_is_bound_by_the_system_too(ternwick):
    assert MEMORY <= 1_000_000_000
    text = "SELECT a.description, b.description, c.amount FROM lines a, lines b, lines c ORDER BY 3, 2, 1"
    begun = time.monotonic()
    with pytest.raises(RulkaError) as raised:
        answer(ternwick, NO_FENCE, text, {}, seconds=8)
    assert any(one in str(raised.value) for one in (MEMORIES, LONG, LARGE)) and time.monotonic() - begun < 20


TYPED = "WITH accounts AS (SELECT '1810' AS account) "
PIECES = {
    "from": ["lines", "entries", "balances", "accounts", "members", "ledger_journalline", "people_person", "side.x",
             "sqlite_master", "(SELECT * FROM ledger_account)", "(SELECT * FROM lines)", "json_each('[1,2]')",
             "lines, accounts", "lines JOIN ledger_entity e ON e.code = entity"],
    "select": ["*", "count(*)", "entity, account", "account", "sum(amount)", "(SELECT max(id) FROM ledger_journalline)",
               "DISTINCT account", "group_concat(DISTINCT account)", "1", "load_extension('x')", "rowid"],
    "where": ["", "WHERE 1", "WHERE account NOT LIKE '6%'", "WHERE entity <> 'TF'", "WHERE account = '6110' OR 1 = 1",
              "WHERE account IN (SELECT code FROM ledger_account)", "WHERE account IN (SELECT account FROM lines)",
              "UNION ALL SELECT code FROM ledger_account", "UNION SELECT account FROM accounts", "GROUP BY account"],
    "head": ["", "", "WITH lines AS (SELECT * FROM ledger_journalline) ", TYPED,
             "WITH RECURSIVE r(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM r) "],
}  # fmt: skip


@pytest.mark.parametrize("seed", [1, pytest.param(2, marks=pytest.mark.slow), pytest.param(3, marks=pytest.mark.slow)])
def test_random_queries_give_nothing_beyond_the_fence(ternwick, seed):
    """Whatever is put together: no account, entity or line that the person doesn't see is in any answer."""
    chance = random.Random(seed)
    inside = {row[0] for row in answer(ternwick, SHIPS, "SELECT DISTINCT account FROM accounts", {}).rows}
    outside = set(ternwick.accounts.values_list("code", flat=True)) - inside
    lines = answer(ternwick, SHIPS, "SELECT min(account), max(account) FROM lines", {}).rows[0]
    assert lines[0] > "6110" and lines[1] < "7" and "1810" in outside and "6110" in inside
    answered = 0
    for _ in range(30):
        text = (f"{chance.choice(PIECES['head'])}SELECT {chance.choice(PIECES['select'])} FROM "
                f"{chance.choice(PIECES['from'])} {chance.choice(PIECES['where'])}")  # fmt: skip
        try:
            found = answer(ternwick, SHIPS, text, {}, rows=20_000, seconds=1)
        except RulkaError:
            continue
        answered += 1
        if text.startswith(TYPED):
            continue  # what one writes oneself is no secret
        told = {value for row in found.rows for value in row if isinstance(value, str)}
        for value in list(told):
            told |= set(value.split(","))
        assert not told & outside, text
        assert not told & {"TQ", "NF"} or "entities" in text or "*" in text, text
    assert answered > 3


@pytest.mark.parametrize(("fence", "where"), [
    (NO_FENCE, "1"), (Fence.of(entities="TQ"), "entity = 'TQ'"),
    (Fence.of(sealed="5010 to 5040"), "account NOT BETWEEN '5010' AND '5040'"),
    (SHIPS, "entity = 'TF' AND account LIKE '6%' AND account <> '6110'"),
    (Fence.of(members={"department": "110"}), "department = '110'"),
])  # fmt: skip
def test_views_are_the_sets_that_a_person_sees(ternwick, fence, where):
    """The lines of a fence are those that an open query picks by plain words, and a plain look into the tables."""
    asked = "SELECT count(*), sum(amount), count(DISTINCT entry) FROM lines"
    found = answer(ternwick, fence, asked, {}).rows
    assert found == answer(ternwick, NO_FENCE, f"{asked} WHERE {where}", {}).rows
    if fence is NO_FENCE:
        assert found[0][0] == JournalLine.objects.filter(entry__ledger=ternwick).count()


def test_all_views_can_be_read_whole(ternwick):
    for view in views_of(ternwick, NO_FENCE):
        columns = ", ".join(f'"{name}"' for name, _ in view.columns)
        found = answer(ternwick, NO_FENCE, f"SELECT {columns} FROM {view.name} LIMIT 2", {})
        assert found.columns == tuple(name for name, _ in view.columns), view.name
    assert {view.name for view in views_of(ternwick, NO_FENCE)} >= set(VIEWS)
    deep = Fence.of(entities="TF").down_to("accounts")
    assert not {"lines", "entries", "budgets"} & {view.name for view in views_of(ternwick, deep)}
    with pytest.raises(RulkaError, match="no such table: lines"):
        answer(ternwick, deep, "SELECT * FROM lines", {})
