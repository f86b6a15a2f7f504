"""Editing on the page: shared parts, two people at once, undo and redo, versions, copies, starting, the account
picker."""

from __future__ import annotations

import json
from fractions import Fraction

import pytest
from django.urls import reverse

from rulka.core.edits.starting import KINDS, PATTERNS
from rulka.people.models import Person
from rulka.statements.models import Definition, Edit
from rulka.statements.pages import fields
from tests.oracle import Oracle

pytestmark = pytest.mark.django_db
FRAGMENT = {"HX-Request": "true"}
WHERE = {"period": "2027-P07", "node": "TF"}


def person(name):
    return Person.objects.get(username=name)


@pytest.fixture
def accountant(ternwick, client):
    client.force_login(person("accountant"))
    return client


def address(view, *arguments, **query):
    from urllib.parse import urlencode

    return f"{reverse(view, args=arguments)}?{urlencode({**WHERE, **query})}"


def page(client, name, **query):
    return client.get(address("statement", name, **query))


def edit(client, name, do, **values):
    return client.post(address("edit-statement", name), {"do": do, **values}, headers=FRAGMENT)


def body(kind, name):
    return Definition.objects.get(kind=kind, name=name).text


def value(response, row, column=0):
    return response.context["outcome"].computed.row(row).values[column]


# -- shared parts ----------------------------------------------------------------------------------


def test_change_of_a_shared_part_asks_first_and_changes_nothing(accountant):
    before = body("spine", "income-statement")
    text = edit(accountant, "income-statement", "line-change", key="fuel", path="label", value="Oil").content.decode()
    assert "is used by 5 statements: " in text and "Income statement by month" in text
    assert "Change all 5" in text and "Make this one&#x27;s own copy" in text
    assert 'name="value" value="Oil"' in text  # nothing that was typed is lost
    assert body("spine", "income-statement") == before and not Edit.objects.filter(state="done").exists()


def test_answer_for_all_holds_for_the_visit(accountant):
    asked = {"key": "fuel", "path": "label"}
    edit(accountant, "income-statement", "line-change", **asked, value="Oil", **{"share-spine": "all"})
    text = edit(accountant, "income-statement", "line-change", **asked, value="Bunkers").content.decode()
    assert "Oil: Bunkers." in text
    assert ">Bunkers</a>" in page(accountant, "income-by-month").content.decode()


def test_own_copy_leaves_the_others_alone_and_undo_takes_it_away(accountant):
    edit(accountant, "income-statement", "line-change", key="fuel", path="label", value="Oil", **{"share-spine": "own"})
    own = body("statement", "income-statement")["spine"]
    assert own == "income-statement-2" and '"line": "Oil"' in json.dumps(body("spine", own))
    assert ">Fuel</a>" in page(accountant, "income-by-month").content.decode()
    accountant.post(address("undo", "income-statement"))
    assert body("statement", "income-statement")["spine"] == "income-statement"
    assert not Definition.objects.filter(kind="spine", name=own).exists()
    accountant.post(address("redo", "income-statement"))
    assert ">Oil</a>" in page(accountant, "income-statement").content.decode()


def test_change_that_breaks_another_user_of_the_part_is_refused(accountant):
    # outlook shares its figures out over Total income, which stands in the spine that it shares
    text = edit(
        accountant, "income-statement", "line-change", key="income", path="total", value="", **{"share-spine": "all"}
    ).content.decode()
    assert "No line is called" in text
    assert "total" in next(line for line in body("spine", "income-statement")["lines"] if "section" in line)


def test_part_in_use_is_not_deleted_and_an_unused_one_is(accountant):
    text = accountant.post(address("delete-definition", "spine", "income-statement")).content.decode()
    assert "is used by" in text and "Income statement by month" in text
    edit(accountant, "key-results", "own-part", part="span", **{"share-span": "own"})
    for name in ("key-results", "balance-sheet"):
        accountant.post(address("delete-definition", "statement", name))
    assert accountant.post(address("delete-definition", "spine", "balance-sheet")).status_code == 302
    assert not Definition.objects.filter(kind="spine", name="balance-sheet").exists()
    assert "Spine Balance sheet deleted" in accountant.get(address("parts")).content.decode()
    accountant.post(address("bring-back"))
    assert body("spine", "balance-sheet")["title"] == "Balance sheet"
    listed = accountant.get(address("parts")).content.decode()
    assert "Income statement by nature" in listed and "Outlook" in listed


# -- two people ------------------------------------------------------------------------------------


def test_second_of_two_is_told_who_changed_what_and_can_save_a_copy(accountant, client, ternwick):
    stamp = page(accountant, "balance-sheet").context["stamp"]
    client.force_login(person("controller"))
    edit(client, "balance-sheet", "line-change", key="payables", path="label", value="Suppliers")
    client.force_login(person("accountant"))
    mine = {"key": "receivables", "path": "label", "value": "Customers", "stamp": stamp}
    text = edit(client, "balance-sheet", "line-change", **mine).content.decode()
    assert "Controller changed this statement while you had it open" in text and "Payables: Suppliers" in text
    assert 'name="value" value="Customers"' in text
    assert "Customers" not in json.dumps(body("spine", "balance-sheet"))
    response = edit(client, "balance-sheet", "line-change", **mine, copy="yes")
    copied = response["HX-Redirect"].split("/")[2]
    shown = json.dumps(body("spine", copied))
    assert (
        "Customers" in shown and "Payables" in shown and "Suppliers" not in shown
    )  # as it was when it was opened, with the edit
    assert "Suppliers" in json.dumps(body("spine", "balance-sheet"))
    assert "Balance sheet, my copy" in page(client, copied).content.decode()


def test_own_later_change_is_no_conflict(accountant):
    stamp = page(accountant, "balance-sheet").context["stamp"]
    for label in ("Suppliers", "Creditors"):
        text = edit(
            accountant,
            "balance-sheet",
            "line-change",
            key="payables",
            path="label",
            value=label,
            stamp=stamp,
            window="one",
        ).content.decode()
    assert "Suppliers: Creditors." in text


def test_same_person_in_two_windows_is_told_as_two_people_are(accountant):
    stamp = page(accountant, "balance-sheet").context["stamp"]
    asked = {"key": "payables", "path": "label", "stamp": stamp}
    edit(accountant, "balance-sheet", "line-change", value="Suppliers", window="one", **asked)
    told = edit(accountant, "balance-sheet", "line-change", value="Creditors", window="two", **asked).content.decode()
    assert "You, in another window, changed this statement" in told
    assert "Creditors" not in json.dumps(body("spine", "balance-sheet"))


def test_line_that_somebody_deleted_is_told(accountant):
    edit(accountant, "balance-sheet", "line-delete", lines="leases")
    text = edit(accountant, "balance-sheet", "line-change", key="leases", path="label", value="x").content.decode()
    assert "Line &#x27;leases&#x27; does not exist. Perhaps somebody deleted it." in text


# -- undo, versions --------------------------------------------------------------------------------


def test_undo_and_redo_walk_through_all_edits(accountant):
    states = [body("spine", "balance-sheet")]
    for do, values in (
        ("line-delete", {"lines": "leases"}),
        ("line-enclose", {"lines": "receivables,prepaid-costs"}),
        ("line-move", {"lines": "new-section", "way": "up"}),
        ("line-duplicate", {"lines": "share-capital"}),
    ):
        edit(accountant, "balance-sheet", do, **values)
        states.append(body("spine", "balance-sheet"))
    assert len({json.dumps(state) for state in states}) == 5
    for state in reversed(states[:-1]):
        accountant.post(address("undo", "balance-sheet"))
        assert body("spine", "balance-sheet") == state
    for state in states[1:]:
        accountant.post(address("redo", "balance-sheet"))
        assert body("spine", "balance-sheet") == state
    accountant.post(address("undo", "balance-sheet"))
    edit(accountant, "balance-sheet", "line-change", key="payables", path="label", value="Suppliers")
    text = accountant.post(address("redo", "balance-sheet"), headers=FRAGMENT).content.decode()
    assert "There is nothing to do again." in text  # what was undone is gone with the next edit


def test_saved_version_is_compared_in_words_and_restored(accountant):
    original = body("spine", "balance-sheet")
    accountant.post(address("save-version", "balance-sheet"), {"title": "As sent"})
    edit(accountant, "balance-sheet", "line-change", key="payables", path="accounts", value="2210 to 2399")
    edit(accountant, "balance-sheet", "line-delete", lines="leases")
    saved = page(accountant, "balance-sheet", panel="versions").context["versions"].saved[0]
    shown = page(accountant, "balance-sheet", panel="versions", one=saved.pk)
    assert shown.context["versions"].compared == [
        ("Lines", ["Payables: accounts 2210 to 2299 to 2210 to 2399", "Leases: deleted"])
    ]
    assert [entry.what for entry in shown.context["versions"].history][:2] == [
        "Leases deleted",
        "Payables: accounts to 2210 to 2399",
    ]
    assert shown.context["versions"].history[0].who == "Accountant"
    accountant.post(address("restore-version", "balance-sheet"), {"version": saved.pk})
    assert body("spine", "balance-sheet") == original
    accountant.post(address("undo", "balance-sheet"))
    assert "Leases" not in json.dumps(body("spine", "balance-sheet"))


def test_version_without_a_name_and_an_unknown_one_are_refused(accountant):
    assert (
        "A version needs a name"
        in accountant.post(address("save-version", "balance-sheet"), {"title": " "}).content.decode()
    )
    assert (
        "This version does not exist"
        in accountant.post(address("restore-version", "balance-sheet"), {"version": "77"}).content.decode()
    )


def test_every_change_raises_the_version_once(accountant):
    edit(accountant, "balance-sheet", "line-delete", lines="leases")
    accountant.post(address("undo", "balance-sheet"))
    accountant.post(address("redo", "balance-sheet"))
    spine = Definition.objects.get(kind="spine", name="balance-sheet")
    assert list(spine.changes.values_list("version", flat=True)) == [2, 3, 4] and spine.version == 4


# -- typing ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("do", "values", "message"),
    [
        (
            "line-change",
            {"key": "payables", "path": "accounts", "value": "2210 too"},
            "At character 6 of the selection",
        ),
        ("line-change", {"key": "payables", "path": "label", "value": ""}, "This must not be empty"),
        (
            "line-change",
            {"key": "payables", "path": "expand", "value": "ships"},
            "It can&#x27;t be expanded by &#x27;ships&#x27;",
        ),
        ("column-change", {"key": "now", "path": "heading", "value": "{perod}"}, "is no token of a heading"),
        (
            "column-change",
            {"key": "now", "path": "narrow", "value": "departmnt: 110"},
            "is nothing that a selection can narrow",
        ),
        (
            "statement-change",
            {"path": "page.footer.left", "value": "{pge}"},
            "is no token of a page. Did you mean page",
        ),
        (
            "statement-change",
            {"path": "figures.grouping", "value": "point"},
            "by the same point that marks their decimals",
        ),
    ],
)
def test_what_is_typed_is_checked_and_nothing_is_changed(do, values, message, accountant):
    before = {definition.pk: definition.body for definition in Definition.objects.all()}
    text = accountant.post(
        address("check-edit", "balance-sheet"), {"do": do, **values}, headers=FRAGMENT
    ).content.decode()
    assert message in text
    assert (
        accountant.post(
            address("check-edit", "balance-sheet"),
            {"do": "line-change", "key": "payables", "path": "label", "value": "S"},
        ).content.strip()
        == b""
    )
    assert {
        definition.pk: definition.body for definition in Definition.objects.all()
    } == before and not Edit.objects.filter(state="done").exists()


@pytest.mark.parametrize(
    ("do", "values", "message"),
    [
        ("nothing", {}, "There is no way to do &#x27;nothing&#x27;"),
        ("line-change", {"key": "payables"}, "No setting is named"),
        ("line-change", {"key": "payables", "path": "accounts.deep", "value": "x"}, "is no setting"),
        ("line-change", {"key": "payables", "path": "lines", "value": "x"}, "What a section holds is no setting"),
        ("statement-change", {"path": "spine", "value": "income-statement"}, "isn&#x27;t changed like this"),
        (
            "line-change",
            {"key": "payables", "path": "label", "value": "x", "stamp": "spine"},
            "can&#x27;t be read any more",
        ),
        ("column-change", {"key": "now", "path": "columns", "value": "x"}, "is no setting of a column"),
        ("line-move", {"lines": "payables", "way": "away"}, "is no way to move"),
        ("line-merge", {"lines": ""}, "No line is chosen"),
        ("column-add", {"kind": "row"}, "is no kind of column"),
        ("own-part", {"part": "scope"}, "This statement has no scope"),
    ],
)
def test_what_no_page_sends_is_refused_in_words(do, values, message, accountant):
    before = {definition.pk: definition.body for definition in Definition.objects.all()}
    assert message in edit(accountant, "balance-sheet", do, **values).content.decode()
    assert {definition.pk: definition.body for definition in Definition.objects.all()} == before


# -- accounts --------------------------------------------------------------------------------------


def test_picker_lists_accounts_with_balances_and_where_they_stand(accountant, demo_folder):
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    closing = oracle.trial_balance("TF", (2027, 7), (2027, 7))
    shown = page(accountant, "balance-sheet", panel="accounts", row="receivables", search="bank")
    assert '<aside class="panel wide"' in shown.content.decode(), "accounts need more room than a line's settings"
    picks = shown.context["pick_rows"]
    rows = {pick.code: pick for pick, _ in picks}
    assert rows["1810"].amount == int(closing["1810"][3] * 100) and rows["1810"].lines == ("Cash and bank",)
    assert not rows["1810"].chosen and rows["1800"].below == 5 and next(iter(rows)) == "1800"
    chosen = page(accountant, "balance-sheet", panel="accounts", row="receivables", only="chosen").context["picks"]
    assert chosen.chosen == chosen.fitting == 6
    unplaced = page(
        accountant, "income-statement", panel="accounts", row="fuel", only="unplaced", type="expense"
    ).context["pick_rows"]
    assert "6815" in [pick.code for pick, _ in unplaced] and "6110" not in [pick.code for pick, _ in unplaced]


def test_ticks_change_the_text_and_pasted_codes_are_told_apart(accountant):
    def accounts():
        return next(line for line in _lines("balance-sheet") if line.get("line") == "Receivables")["accounts"]

    assert accounts() == "1510 to 1599"
    edit(accountant, "balance-sheet", "accounts", key="receivables", how="drop", code="1590")
    assert accounts() == "1510 to 1599 except 1590"
    edit(accountant, "balance-sheet", "accounts", key="receivables", how="range", code="1630", **{"from": "1610"})
    assert accounts() == "1510 to 1599, 1610 to 1630 except 1590"
    pasted = edit(accountant, "balance-sheet", "accounts", key="receivables", how="paste", text="1590\n1590\n7777\n")
    text = pasted.content.decode()
    assert "1 came twice" in text and "Not in this ledger: 7777" in text
    assert accounts() == "1510 to 1599, 1610 to 1630"
    assert (
        "Account &#x27;99&#x27; does not exist"
        in edit(accountant, "balance-sheet", "accounts", key="receivables", code="99").content.decode()
    )


def _lines(spine):
    todo, found = list(body("spine", spine)["lines"]), []
    while todo:
        line = todo.pop(0)
        found.append(line)
        todo += line.get("lines", [])
    return found


def test_unplaced_account_is_offered_and_placed_where_it_belongs(accountant):
    before = page(accountant, "income-statement")
    [suggestion] = before.context["suggested"]
    assert (suggestion.code, suggestion.amount, suggestion.label) == ("6815", "14025.00", "Office and systems")
    assert suggestion.why == "beside 6740"
    after = edit(accountant, "income-statement", "place", **{"share-spine": "all"})
    assert "6815 Shore power placed in Office and systems." in after.content.decode()
    assert value(after, "office-and-systems") - value(before, "office-and-systems") == Fraction("-14025")
    assert all(check.ok for check in after.context["outcome"].checks)
    assert "Every account has its place" in edit(accountant, "income-statement", "place").content.decode()


# -- starting --------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind != "blank"])
@pytest.mark.parametrize("period", ["2027-P07", "2024-P12"])
def test_every_proposed_statement_foots_on_the_demo(kind, period, accountant):
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    response = edit(accountant, name, "start-kind", value=kind)
    assert f"Begun as {KINDS[kind]}." in response.content.decode()
    checks = accountant.get(f"{reverse('statement', args=[name])}?period={period}&node=TF").context["outcome"].checks
    assert [check.check for check in checks if not check.ok] == []


def test_proposed_results_are_those_of_the_books(accountant, demo_folder):
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    codes = {code for code, account in oracle.accounts.items() if account["type"] in ("revenue", "expense")}
    result = -oracle.activity("TF", codes, (2027, 1), (2027, 7))
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    for kind, row in (
        ("income by nature", "result-for-the-period"),
        ("income by function", "result-for-the-period"),
        ("balance sheet", "result-for-the-year"),
    ):
        response = edit(accountant, name, "start-kind", value=kind)
        column = response.context["outcome"].computed.columns
        place = next(at for at, one in enumerate(column) if one.key in ("ytd-actual", "now"))
        assert value(response, row, place) == Fraction(result), kind


@pytest.mark.parametrize("pattern", PATTERNS)
def test_every_ready_pattern_of_columns_shows_figures(pattern, accountant):
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    response = edit(accountant, name, "start-columns", value=pattern)
    computed = response.context["outcome"].computed
    assert "Columns: " in response.content.decode() and any(value for row in computed.rows for value in row.values)


def test_pages_for_each_department_and_a_name(accountant):
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    assert edit(accountant, name, "start-pages", value="department").context["outcome"].computed.node.code == "TF"
    accountant.post(address("name-statement", name), {"title": "Our departments"})
    named = body("statement", "our-departments")
    assert (
        "begun" not in named
        and named["spine"] == named["span"] == "our-departments"
        and not Definition.objects.filter(name=name).exists()
    )
    shown = accountant.get(address("statement", "our-departments", of="110")).context
    assert shown["outcome"].computed.node.name == "Deck" and [step.name for step in shown["nodes"].path] == [
        "Ternwick Ferries",
        "Ships",
    ]
    for _ in range(2):  # the name, then the pages that were chosen before it had one
        accountant.post(address("undo", "our-departments"))
    assert "scope" not in body("statement", "our-departments")
    text = accountant.post(address("name-statement", "balance-sheet"), {"title": "x"}).content.decode()
    assert "has its name already" in text


def test_nodes_of_a_statement_are_changed_on_its_page(accountant):
    nodes = (
        "TF | Ternwick Ferries | entity: TF\n  sea | At sea | department: under:100\n  land | On land | "
        "department: not under:100"
    )
    response = edit(accountant, "department-results", "scope-nodes", value=nodes)
    assert "Nodes of Departments of Ternwick Ferries changed." in response.content.decode()
    shown = accountant.get(address("statement", "department-results", of="sea", panel="nodes"))
    assert [choice.code for choice in shown.context["nodes"].choices] == ["TF", "sea", "land"]
    assert value(shown, "fuel") == value(page(accountant, "income-statement"), "fuel")  # all fuel is burnt at sea
    refused = edit(
        accountant, "department-results", "scope-nodes", value="TF | x | departmnt: 1", panel="nodes"
    ).content.decode()
    assert "is nothing that a selection can narrow" in refused and "departmnt: 1</textarea>" in refused
    edit(accountant, "balance-sheet", "scope-use", value="departments")
    assert body("statement", "balance-sheet")["scope"] == "departments"
    asked = edit(accountant, "balance-sheet", "scope-nodes", value="TF | Only | entity: TF").content.decode()
    assert "is used by 2 statements" in asked
    edit(accountant, "balance-sheet", "scope-use", value="new crossing")
    assert body("scope", "balance-sheet-by-crossing")["nodes"][0]["nodes"] == [{"grow": "crossing"}]
    edit(accountant, "balance-sheet", "scope-use", value="new department > crossing")
    within = [{"grow": "department", "nodes": [{"grow": "crossing"}]}]
    assert body("scope", "balance-sheet-by-department-crossing")["nodes"][0]["nodes"] == within
    shown = page(accountant, "balance-sheet", panel="nodes").content.decode()
    assert "a new one by department, in each by crossing" in shown and "Deck, North" in shown
    edit(accountant, "balance-sheet", "scope-use", value="")
    assert "scope" not in body("statement", "balance-sheet")


def test_a_line_becomes_a_row_for_each_period_and_one_again(accountant):
    def rows():
        computed = page(accountant, "income-statement").context["outcome"].computed
        return [row.label for row in computed.rows if row.line == "fuel"]

    def setting(path, value):
        return edit(
            accountant, "income-statement", "line-change", key="fuel", path=path, value=value, **{"share-spine": "all"}
        )

    assert rows() == ["Fuel"]
    setting("periods", "last 3 periods")
    assert rows() == [
        "Fuel, August 2026", "Fuel, September 2026", "Fuel, October 2026", "Fuel, August to October 2026",
    ]  # fmt: skip
    setting("total", "Fuel of {year}")
    setting("label", "{period.end:Oct}")
    assert rows() == ["Aug", "Sep", "Oct", "Fuel of 2027"]
    refused = setting("window", "year").content.decode()
    assert "has no window of time of its own" in refused
    refused = setting("label", "{month}").content.decode()
    assert "is no token of a heading" in refused and rows()[0] == "Aug"
    setting("periods", "")
    assert rows() == ["{period.end:Oct}"] and "total" not in str(body("spine", "income-statement")["lines"][1]["lines"])


def test_name_that_another_statement_has_is_refused(accountant):
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    text = accountant.post(address("name-statement", name), {"title": "balance sheet"}).content.decode()
    assert "Another statement is called &#x27;balance sheet&#x27;" in text


def test_statement_is_never_called_like_a_page_of_the_library(accountant):
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    accountant.post(address("name-statement", name), {"title": "Parts"})
    assert body("statement", "parts-2")["title"] == "Parts"


def test_statement_begun_from_another_has_its_own_parts(accountant):
    accountant.post(address("begin-statement"))
    name = Definition.objects.filter(kind="statement").last().name
    response = edit(accountant, name, "start-kind", value="from balance-sheet")
    assert value(response, "assets.total") == value(page(accountant, "balance-sheet"), "assets.total")
    assert body("statement", name)["spine"].startswith("new-statement")


# -- lines between statements ----------------------------------------------------------------------


def test_lines_are_copied_in_full_between_statements_and_as_text_from_elsewhere(accountant):
    text = accountant.post(address("copy-lines", "balance-sheet"), {"lines": "ships,terminals"}).content.decode()
    assert text == "Ships\t1010 to 1099\nTerminals\t1110 to 1199"
    edit(accountant, "key-results", "line-paste", text=text, lines="")
    assert (
        next(line for line in _lines("key-results") if line.get("line") == "Ships")["hide"] == "when nothing was booked"
    )
    edit(accountant, "key-results", "line-paste", text="Deck wages\t5010\n", lines="")
    assert {"line": "Deck wages", "accounts": "5010"} in _lines("key-results")


def test_columns_are_changed_duplicated_and_deleted_on_the_page(accountant):
    edit(accountant, "balance-sheet", "column-add", columns="change", kind="percent")
    assert [column.get("column") for column in body("span", "against-prior-year-end")["columns"]] == [
        "now",
        "prior-year-end",
        "change",
        "percent",
    ]
    edit(accountant, "balance-sheet", "column-change", key="percent", path="number.decimals", value="2")
    edit(accountant, "balance-sheet", "column-over", columns="now,prior-year-end", value="Closing\nBalances")
    raw = body("span", "against-prior-year-end")["columns"]
    assert raw[3]["number"] == {"decimals": "2"} and raw[0]["group"] == ["Closing", "Balances"]
    refused = edit(accountant, "balance-sheet", "column-delete", columns="now").content.decode()
    assert "is used by change, percent" in refused


def test_every_effect_stands_beside_a_setting():
    """Nothing is told of a setting that isn't there, or that says something of its own."""
    told = set()
    for table in (fields.LINE, fields.COLUMN, fields.STATEMENT):
        for row in (row for group in table for row in group.rows if isinstance(row.path, str) and not row.hint):
            own = f"column {row.path}"
            told.add(own if table is fields.COLUMN and own in fields.EFFECTS else row.path.removeprefix("look."))
    assert set(fields.EFFECTS) <= told
