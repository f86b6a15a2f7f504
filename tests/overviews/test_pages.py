"""Pages of overviews: what each person sees of them, how they are arranged, traced, taken away and kept."""

from __future__ import annotations

import io
import json
import re
import zipfile
from html import unescape

import pytest
from django.test import Client
from django.urls import reverse

from rulka.core.errors import RulkaError
from rulka.overviews.models import Overview, OverviewStep
from rulka.overviews.output.sending import Overviews
from rulka.people.library.persons import make_person
from rulka.people.library.rights import grant
from rulka.people.models import Person
from rulka.statements.models import Definition, Shelf, ShelfRight

pytestmark = pytest.mark.django_db
WHERE = "?ledger=ternwick&period=2027-P07&node=TF&of=group"


def signed_in(name: str) -> Client:
    client = Client()
    client.force_login(Person.objects.get(username=name))
    return client


def page(client: Client, name: str = "group", more: str = "", where: str = WHERE):
    return client.get(reverse("overview", args=[name]) + where + more)


def act(client: Client, do: str, name: str = "group", more: str = "", **sent: str):
    return client.post(reverse("edit-overview", args=[name]) + WHERE + more, {"do": do, **sent})


def text_of(response) -> str:
    """What an answer says, without its marks."""
    return " ".join(unescape(re.sub(r"<[^>]+>", " ", response.content.decode())).split())


def problem(response) -> str:
    assert response.status_code in (404, 422), response.status_code
    return text_of(response)


def test_a_director_reads_an_overview_and_can_not_arrange_it(ternwick):
    director = signed_in("director")
    told = text_of(page(director))
    assert "The group at a glance" in told and "Every figure is a line of a statement" in told
    assert "Income" in told and "budget to actual" in told and "one scale for all 3" in told
    assert "Arrange" not in told
    assert "may look at overviews, not change" in problem(act(director, "remove", tile="strip"))
    assert "The group at a glance" in text_of(director.get(reverse("overviews") + WHERE))


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ("&window=month", "thousand EUR, October 2026"),
        ("&window=year", "Outlook"),
        ("&window=beside", "April to October 2026"),
        ("&line=results%3A+Income", "Income, budget to actual"),
        ("&line=nothing&window=nothing&page=77", "Explanations"),
        ("&of=NF", "Norrsund Fraktlinje"),
    ],
)
def test_switches_change_the_whole_page(ternwick, more, says):
    assert says in text_of(page(signed_in("accountant"), more=more))


def test_a_mark_leads_to_its_journal_lines(ternwick):
    director = signed_in("director")
    found = re.findall(r'<a href="([^"]+)" aria-label="Fuel: [^"]+"><rect', page(director).content.decode())
    assert len(found) == 1
    trace = director.get(unescape(found[0]))
    assert "Agrees with the figure it splits" in text_of(trace) and "Back to the overview" in text_of(trace)
    lines = director.get(unescape(found[0]) + "&panel=trace&in=entity%3DTF&by=line")
    assert "Agrees" in text_of(lines) and "2026" in text_of(lines)
    taken = director.get(unescape(found[0]).replace("/trace/", "/trace/csv/") + "&in=entity%3DTF")
    assert taken.status_code == 200 and b"Origin" in taken.content
    wrong = "&statement=results&source=entity.week&row=fuel&column=x"
    assert "no such figure" in problem(director.get(reverse("overview-trace", args=["group"]) + WHERE + wrong))


def test_from_a_contributor_one_step_opens_its_page_and_back(ternwick):
    lead = signed_in("ships-lead")
    where = "?ledger=ternwick&period=2027-P07&node=TF&of=100"
    shown = page(lead, "ships", where=where).content.decode()
    steps = [unescape(one) for one in re.findall(r'<a href="([^"]+)"><text [^>]+>Engine', shown)]
    assert len(steps) == 1
    engine = lead.get(steps[0])
    assert "Engine" in text_of(engine) and 'id="up-2"' in engine.content.decode()
    assert "Part of the whole: department Ships" in text_of(engine)


def test_an_accountant_arranges_and_takes_it_back(ternwick):
    accountant = signed_in("accountant")
    assert act(accountant, "add", kind="trend", page="1").status_code == 302
    stored = Overview.objects.get(name="group")
    keys = [tile["key"] for tile in stored.body["pages"][0]["tiles"]]
    assert keys == ["strip", "bridge", "ranked", "multiples", "trend", "trend-2"]
    assert "tile=trend-2" in act(accountant, "back", tile="trend-2")["Location"]
    sent = {"title": "Months", "line": "Fuel", "tile": "trend-2", "version": str(stored.version + 1)}
    assert act(accountant, "set", **sent).status_code == 302
    assert "Months" in text_of(page(accountant))
    told = problem(act(accountant, "set", tile="trend-2", line="Fule"))
    assert (
        "No line is called 'Fule'" in told
        and "Fuel" in told
        and 'value="Fule"'
        in unescape(
            act(accountant, "set", more="&arrange=yes&tile=trend-2", tile="trend-2", line="Fule").content.decode()
        )
    )
    assert "Somebody changed it" in problem(act(accountant, "remove", tile="trend", version="1"))
    assert "no tile 'pie'" in problem(act(accountant, "wider", tile="pie"))
    assert "Nothing is called 'fly'" in problem(act(accountant, "fly"))
    for _ in range(3):
        accountant.post(reverse("undo-overview", args=["group"]) + WHERE)
    assert "trend-2" not in text_of(page(accountant, more="&arrange=yes"))
    assert accountant.post(reverse("undo-overview", args=["group"]) + WHERE, {"redo": "yes"}).status_code == 302
    assert OverviewStep.objects.filter(overview=stored, undone=False).count() == 1
    panel = text_of(page(accountant, more="&arrange=yes&tile=bridge"))
    assert "Begins at" in panel and "Alt" in text_of(page(accountant, more="&arrange=yes"))
    assert "Lines to choose from" in text_of(page(accountant, more="&arrange=yes&tab=about"))


def test_text_shelf_copy_and_delete(ternwick):
    accountant = signed_in("accountant")
    address = reverse("manage-overview", args=["group"]) + WHERE
    panel = page(accountant, more="&arrange=yes&tab=text").content.decode()
    text = re.search(r'name="text"[^>]*>(.*?)</textarea>', panel, re.S)
    assert text
    changed = unescape(text[1]).replace("The group at a glance", "The whole")
    assert accountant.post(address, {"do": "text", "text": changed}).status_code == 302
    assert Overview.objects.get(name="group").title == "The whole"
    assert "pie" in problem(
        accountant.post(address, {"do": "text", "text": "overview: x\npages: [{tiles: [{tile: pie}]}]"})
    )
    assert accountant.post(address, {"do": "copy", "title": "Mine"}).status_code == 302
    assert Overview.objects.get(name="mine").title == "Mine"
    shelf = Shelf.objects.create(ledger=ternwick, name="Board")
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="accountant"), level=3)
    accountant.post(address, {"do": "shelf", "shelf": str(shelf.pk)})
    assert "does not exist" in problem(page(signed_in("director")))
    assert "was not deleted" in problem(accountant.post(address, {"do": "delete", "title": "no"}))
    assert accountant.post(address, {"do": "delete", "title": "The whole"}).status_code == 302
    assert not Overview.objects.filter(name="group").exists()


def test_files_hold_what_is_shown_and_name_their_origin(ternwick):
    accountant = signed_in("accountant")

    def file(form: str, more: str = "") -> bytes:
        response = accountant.get(reverse("overview-file", args=["group", form]) + WHERE + more)
        assert response.status_code == 200, response.content
        return response.content

    told = json.loads(file("json", "&window=date"))
    strip = told["pages"][0]["tiles"][0]
    assert strip["rows"][0]["line"] == "results: Income" and "origin" in told
    page_text = text_of(page(accountant))
    assert f"{round(float(strip['rows'][0]['date-actual']) / 1000):,}".replace(",", "\u00a0") in unescape(
        page(accountant).content.decode()
    )
    assert "Income" in page_text
    html = file("html").decode()
    assert "<svg" in html and "Origin" in html and 'href="http://testserver/overviews/group/trace/' in html
    assert "<script" not in html
    pdf = file("pdf")
    assert pdf[:5] == b"%PDF-"
    with zipfile.ZipFile(io.BytesIO(file("png"))) as archive:
        names = archive.namelist()
        assert {"page-1.png", "page-2.png", "bridge-1.svg"} <= set(names)
        assert archive.read("page-1.png")[:4] == b"\x89PNG" and archive.read("bridge-1.svg")[:4] == b"<svg"
    assert "no file as 'xlsx'" in problem(accountant.get(reverse("overview-file", args=["group", "xlsx"]) + WHERE))
    from django.core.files.uploadedfile import SimpleUploadedFile

    back = accountant.post(reverse("verify") + WHERE, {"file": SimpleUploadedFile("g.json", file("json"))})
    assert "Nothing of it moved in the ledger since." in text_of(back)


def test_who_sees_figures_only_gets_no_further(ternwick):
    person = make_person("fig", title="Fig", role="reader")
    grant(person, "ternwick", "", "", {}, opens_seals=False, depth="figures")
    client = signed_in("fig")
    shown = page(client)
    assert shown.status_code == 200 and "/trace/" not in shown.content.decode()
    address = reverse("overview-trace", args=["group"]) + WHERE + "&statement=results&source=&row=fuel&column=date-gap"
    assert "You see figures only" in problem(client.get(address))


def test_a_statement_on_a_closed_shelf_says_so_in_its_tiles_alone(ternwick):
    shelf = Shelf.objects.create(ledger=ternwick, name="Closed")
    ShelfRight.objects.create(shelf=shelf, person=Person.objects.get(username="accountant"), level=3)
    Definition.objects.filter(kind="statement", name="income-by-entity").update(shelf=shelf)
    told = text_of(page(signed_in("director"), more="&page=2"))
    assert "The statement 'income-by-entity' does not exist" in told and "1 tile can't be shown" in told
    assert "From income to the net result" in told
    assert "2 tiles can't be shown" not in text_of(page(signed_in("accountant"), more="&page=2"))


def test_what_is_no_sum_or_has_no_plan_is_told_in_its_tile(ternwick, command, tmp_path):
    file = tmp_path / "o.yaml"
    file.write_text("""
overview: odd
of: per-sailing
pages:
- tiles:
  - {tile: bridge, line: Fuel for each sailing}
  - {tile: bridge, key: b2, line: Fuel, from: nothing}
  - {tile: strip, lines: [Fuel for each sailing, Sailings]}
  - {tile: ranked, line: Fuel, by: entity}
""")
    command("load_overview", file, ledger="ternwick")
    told = text_of(page(signed_in("accountant"), "odd"))
    assert "does more than add lines up" in told and "told by a bridge through subtotals" in told
    assert "Sailings" in told and "2 tiles can't be shown" in told


def test_a_chart_of_a_statement_is_drawn_and_kept(ternwick):
    accountant = signed_in("accountant")
    where = "?ledger=ternwick&period=2027-P07&node=TF"
    address = reverse("chart-of-statement", args=["income-by-month"]) + where
    shown = accountant.get(f"{address}&rows=operating-result&rows=income.total")
    assert "one scale for all 2" in text_of(shown) and "Operating result" in text_of(shown)
    assert 'name="columns" value="months"' in shown.content.decode(), "a series is kept as one, so that it goes on"
    mixed = accountant.get(f"{address}&rows=sailings&rows=fuel&columns=months-2027-p07")
    assert "amounts, quantities or percents on one scale" in text_of(mixed)
    keep = reverse("keep-chart", args=["income-by-month"]) + where
    sent = {"rows": ["operating-result"], "columns": ["months"], "title": "By month", "overview": "group"}
    kept = accountant.post(keep, sent)
    assert kept.status_code == 302 and "tile=chart" in kept["Location"]
    assert Overview.objects.get(name="group").body["pages"][0]["tiles"][-1]["rows"] == ["operating-result"]
    told = text_of(page(accountant))
    assert "By month" in told
    assert accountant.post(keep, {**sent, "overview": "", "new": "My charts"}).status_code == 302
    assert Overview.objects.get(name="my-charts").title == "My charts"
    assert "needs a line and a column" in problem(accountant.post(keep, {"overview": "group"}))
    assert "may look at overviews" in problem(signed_in("director").post(keep, {**sent, "overview": ""}))


def test_a_new_overview_begins_with_what_most_need(ternwick):
    accountant = signed_in("accountant")
    begun = accountant.post(reverse("begin-overview") + WHERE, {"of": "income-statement", "title": ""})
    assert begun.status_code == 302
    shown = text_of(accountant.get(begun["Location"]))
    assert "Income statement at a glance" in shown and "Operating result" in shown and "can't be shown" not in shown
    assert "not make them" in problem(signed_in("director").post(reverse("begin-overview") + WHERE, {"of": "results"}))
    assert "does not exist" in problem(accountant.post(reverse("begin-overview") + WHERE, {"of": "nothing"}))


def test_commands_load_dump_and_run(ternwick, command, tmp_path):
    dumped = tmp_path / "group.yaml"
    dumped.write_text(command("dump_overview", "group", ledger="ternwick"))
    assert "as it was" in command("load_overview", dumped, ledger="ternwick")
    told = json.loads(command("run_overview", "group", ledger="ternwick", node="TF", window="month"))
    assert (told["node"], told["window"], told["period"]) == ("TF", "month", "2027-P07")
    assert "<svg" in command("run_overview", "group", ledger="ternwick", format="html")
    assert command("run_overview", "ships", ledger="ternwick", node="100", person="ships-lead")
    from django.core.management.base import CommandError

    for arguments, says in (
        ({"window": "date", "line": "Fule"}, "can't be chosen"),
        ({"node": "XX"}, "does not exist"),
        ({"period": "2099-P01"}, "2099-P01"),
    ):
        with pytest.raises(CommandError, match=says):
            command("run_overview", "group", ledger="ternwick", **arguments)
    for body, says in (
        ("overview: x\nof: nothing\npages: [{tiles: [{tile: trend, line: A}]}]", "'nothing' does not exist"),
        ("overview: x\nof: results\npages: [{tiles: [{tile: trend, line: Incme}]}]", "tile trend"),
        ("overview: x\nof: results\npages: [{tiles: [{tile: ranked, line: Income, by: ship}]}]", "no ship"),
        ("overview: x\nof: results\nscope: none\npages: [{tiles: [{tile: ranked, line: Income}]}]", "scope 'none'"),
        ("overview: begin\nof: results\npages: [{tiles: [{tile: findings}]}]", "can't be named"),
    ):
        dumped.write_text(body)
        with pytest.raises(CommandError, match=says):
            command("load_overview", dumped, ledger="ternwick")
    assert not Overview.objects.filter(name__in=("x", "begin")).exists()


def test_an_overview_is_sent_behind_its_recipients_fence(ternwick):
    from django.utils import timezone

    from rulka.people.library.rights import fence_of
    from rulka.statements.output.sendable import SendRequest

    lead = Person.objects.get(username="ships-lead")
    asked = SendRequest(ternwick, lead, fence_of(lead, "ternwick"), "ships", "2027-P07", "100", 2, timezone.localtime())
    (piece,) = Overviews().pieces(asked)
    told = json.loads(piece.content("json"))
    assert told["node"] == "100" and piece.values["node"] == "Ships"
    assert piece.content("pdf")[:5] == b"%PDF-"
    with pytest.raises(RulkaError, match="goes as PDF"):
        piece.content("xlsx")
    assert ("ships", "The ships") in Overviews().names(ternwick, lead)


def test_an_overview_is_found_and_made_ones_own(ternwick):
    director = signed_in("director")
    assert "The ships" in text_of(director.get(reverse("find") + WHERE + "&q=ships"))
    own = reverse("choose-overview", args=["ships"]) + WHERE
    assert director.post(own, {"own": "yes"}).status_code == 302
    assert "The ships \u203a" in text_of(director.get(reverse("month") + WHERE))
