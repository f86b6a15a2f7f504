"""What people say about variances: rights, states, figures that move, notes, editions that wait; findings dismissed;
the commands."""

from __future__ import annotations

import io
import json
from datetime import date
from decimal import Decimal
from fractions import Fraction

import openpyxl
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management.base import CommandError
from django.urls import reverse
from pypdf import PdfReader

from rulka.core.books.fence import NO_FENCE
from rulka.core.money import grouped
from rulka.ledger.models import DismissedFinding, JournalLine, TunedRule
from rulka.ledger.reading.queries import view_of
from rulka.people.library.rights import fence_of
from rulka.statements.library.opening import definitions_for
from rulka.statements.models import Edition, Explanation
from rulka.statements.running.bounds import bounds_of
from rulka.statements.running.runs import run
from tests.oracle import Oracle
from tests.pages import flat
from tests.statements.test_editing import FRAGMENT, address, edit, page, person

pytestmark = pytest.mark.django_db
FUEL = {"row": "fuel", "column": "ytd-difference"}
NAME = "income-statement"


@pytest.fixture
def people(ternwick, django_user_model):
    from django.test import Client

    found = {}
    for name in ("accountant", "controller", "ships-lead", "director", "administrator"):
        found[name] = Client()
        found[name].force_login(person(name))
    return found


def explained(client, **query):
    return {item.one.item.key[0]: item for item in page(client, NAME, panel="explain", **query).context["items"]}


def act(client, do, *, version=None, where=FUEL, period="2027-P07", node="TF", **values):
    if version is None:
        stored = Explanation.objects.filter(line=where["row"], column=where["column"], period=period).first()
        version = stored.version if stored else 0
    sent = {**where, "do": do, "version": version, **values}
    return client.post(address("statement-explain", NAME, period=period, node=node), sent, headers=FRAGMENT)


def listed(context):
    """The findings that stand, of all pieces of the list."""
    return [one for piece in context["pieces"] for one in piece.rows]


def test_the_list_holds_what_exceeds_and_who_explains_it(people):
    items = explained(people["accountant"])
    assert list(items) == ["foot-passengers", "shop-and-galley", "fuel", "upkeep-and-dry-dock", "tax"]
    assert [item.one.item.number for item in items.values()] == [1, 2, 3, 4, 5]
    fuel = items["fuel"]
    assert (fuel.figure, fuel.percent, fuel.state, fuel.one.due) == ("−216.7", "−9.0 %", "open, you", date(2026, 11, 6))
    assert items["tax"].one.owner == person("controller")
    # the line names the ships' lead, who doesn't see the whole node: there the node's owner is proposed instead
    assert fuel.one.owner == person("accountant")
    own = explained(people["ships-lead"])
    assert own["fuel"].one.owner == person("ships-lead") and own["fuel"].state == "open, you"
    shown = page(people["accountant"], NAME)
    assert shown.context["waiting"] == 5 and "5 variances to explain" in shown.content.decode()
    marks = {key: [mark.kind for mark in given] for key, given in shown.context["marks"].items()}
    assert marks["fuel"] == ["explain"]


def test_explaining_accepting_and_sending_back_are_different_peoples_rights(people):
    for nobody in ("director", "administrator"):
        assert "You may not explain variances." in act(people[nobody], "explain", text="x").content.decode()
    act(people["accountant"], "explain", text="Diesel is dearer\nfrom June on.")
    stored = Explanation.objects.get()
    assert (stored.state, stored.text, stored.explainer) == ("explained", "Diesel is dearer\nfrom June on.",
                                                             person("accountant"))  # fmt: skip
    assert Fraction(stored.value) == Fraction("-216730.29")
    for nobody in ("accountant", "director", "administrator"):
        assert "You may not accept explanations." in act(people[nobody], "accept").content.decode()
    assert "It says nothing about why." in act(people["controller"], "send-back", remark=" ").content.decode()
    act(people["controller"], "send-back", remark="Which suppliers?")
    stored.refresh_from_db()
    assert (stored.state, stored.remark, stored.judge) == ("sent back", "Which suppliers?", person("controller"))
    assert "is not explained as it stands" in act(people["controller"], "accept").content.decode()
    act(people["accountant"], "explain", text="Both suppliers, from June on.")
    act(people["controller"], "accept")
    stored.refresh_from_db()
    assert stored.state == "accepted" and stored.remark == ""
    assert [step.what for step in stored.steps.all()] == [
        "accepted", "explained", "sent back: Which suppliers?", "explained",
    ]  # fmt: skip
    # who explained it can't accept it, whatever their role
    act(people["controller"], "explain", text="I know better.")
    assert "You explained this yourself." in act(people["controller"], "accept").content.decode()
    assert explained(people["accountant"])["fuel"].state == "explained"


def test_nobody_overwrites_another_one_or_explains_a_figure_that_moved(people):
    act(people["accountant"], "explain", text="First.")
    again = act(people["controller"], "explain", version=0, text="Second.").content.decode()
    assert "Somebody else did something about it" in again and ">Second.</textarea>" in again
    moved = act(people["accountant"], "explain", figure="-1", text="Third.").content.decode()
    assert "Its figure changed since you opened it." in moved and ">Third.</textarea>" in moved
    assert Explanation.objects.get().text == "First."
    for wrong, told in (({"text": " "}, "Nothing is written."), ({"text": "x" * 4001}, "4001 characters")):
        assert told in act(people["accountant"], "explain", **wrong).content.decode()
    nowhere = act(people["accountant"], "explain", where={"row": "fuel", "column": "nowhere"}, text="x")
    assert "There is nothing to explain here." in nowhere.content.decode()
    assert "Nothing is called" in act(people["accountant"], "dance").content.decode()


def test_another_figure_opens_it_again_and_a_line_that_goes_closes_it(people, ternwick):
    act(people["accountant"], "explain", text="Diesel.")
    act(people["controller"], "accept")
    Explanation.objects.update(value="-200000")
    fuel = explained(people["accountant"])["fuel"]
    assert (fuel.state, fuel.former, fuel.figure, fuel.one.text) == ("open again", "−200.0", "−216.7", "Diesel.")
    edit(people["accountant"], NAME, "line-change", key="fuel", path="explain", value="never", **{"share-spine": "all"})
    closed = explained(people["accountant"])["fuel"]
    assert (closed.state, closed.about) == ("closed", "It is no longer more than its threshold.")
    edit(people["accountant"], NAME, "line-delete", lines="fuel", **{"share-spine": "all"})
    gone = explained(people["accountant"])["fuel"]
    assert (gone.state, gone.about, gone.one.item.label) == ("closed", "Its line is gone.", "Fuel")
    assert "It is closed." in act(people["accountant"], "explain", text="x").content.decode()


def test_last_months_text_is_offered_as_a_start(people):
    act(people["accountant"], "explain", period="2027-P06", text="Diesel up since June.")
    item = explained(people["accountant"])["fuel"]
    assert item.one.offered == "Diesel up since June." and item.one.is_from_last and not item.one.text
    shown = flat(page(people["accountant"], NAME, panel="explain", **FUEL).content.decode())
    assert ">Diesel up since June.</textarea>" in shown and "from 2027-P06's text" in shown
    assert page(people["accountant"], NAME).context["waiting"] == 5  # offered isn't said


def test_entries_and_files_prove_it_for_those_who_see_them(people):
    act(people["accountant"], "explain", text="Diesel.")
    entry = JournalLine.objects.filter(key__account__code="6110", period=202707).first().entry
    assert "names no entry" in act(people["accountant"], "prove", entry="nothing").content.decode()
    assert "does not exist" in act(people["accountant"], "prove", entry="TF nothing").content.decode()
    act(people["accountant"], "prove", entry=f"TF {entry.number}")
    assert "proves it already" in act(people["accountant"], "prove", entry=f"TF {entry.number}").content.decode()
    upload = SimpleUploadedFile('..\\up/prices "x".csv', b"a;b\n=1;2\n")
    act(people["accountant"], "attach", file=upload)
    assert "The file is empty." in act(people["accountant"], "attach",
                                       file=SimpleUploadedFile("x.txt", b"")).content.decode()  # fmt: skip
    big = SimpleUploadedFile("big.bin", b"x" * 5_000_001)
    assert "larger than 5 MB" in act(people["accountant"], "attach", file=big).content.decode()
    shown = page(people["director"], NAME, panel="explain", **FUEL)
    assert entry.number in shown.content.decode() and "prices" in shown.content.decode()
    (file,) = shown.context["chosen"].files
    answer = people["director"].get(address("explanation-file", NAME, file.pk, **FUEL))
    assert answer.content == b"a;b\n=1;2\n" and answer["Content-Disposition"].startswith("attachment")
    assert answer["Content-Type"] == "application/octet-stream" and answer["X-Content-Type-Options"] == "nosniff"
    assert people["director"].get(address("explanation-file", NAME, 10**9, **FUEL)).status_code == 404
    # what is said of the whole node shows to nobody who sees a part of it, nor do its files
    lead = page(people["ships-lead"], NAME, panel="explain", **FUEL)
    assert lead.context["chosen"].stored is None and "Diesel." not in lead.content.decode()
    assert people["ships-lead"].get(address("explanation-file", NAME, file.pk, **FUEL)).status_code == 404
    act(people["accountant"], "disprove", entry=f"TF {entry.number}")
    act(people["accountant"], "detach", file=str(file.pk))
    stored = Explanation.objects.get()
    assert stored.proof == [] and not stored.files.exists()


def test_somebody_who_sees_all_of_a_node_shares_it_with_those_who_see_the_whole(people, ternwick):
    """The pages of departments: the ships' own node is the same for its lead and for the accountant."""
    definitions = definitions_for(ternwick, "department-results", None)
    lead = fence_of("ships-lead", "ternwick")
    for node, whole in (("100", True), ("110", True)):
        computed = run(definitions, "2027-P07", node, lead).computed
        assert (bounds_of(ternwick, computed) == "") is whole
    part = run(definitions_for(ternwick, NAME, None), "2027-P07", "TF", lead).computed
    assert bounds_of(ternwick, part) == part.view.fence.digest != ""


def test_people_are_put_down_until_a_day(people):
    assert "You may not put people down" in act(people["ships-lead"], "assign", owner="accountant").content.decode()
    assert "may not explain this" in act(people["accountant"], "assign", owner="director").content.decode()
    assert "may not explain this" in act(people["accountant"], "assign", owner="ships-lead").content.decode()
    assert "is no day" in act(people["accountant"], "assign", owner="controller", due="soon").content.decode()
    act(people["accountant"], "assign", owner="controller", due="2026-11-30")
    item = explained(people["controller"])["fuel"]
    assert (item.one.owner, item.one.due, item.state) == (person("controller"), date(2026, 11, 30), "open, you")
    progress = page(people["accountant"], NAME, panel="explain").context["progress"]
    assert progress == [("Accountant", 0, 3), ("Controller", 0, 2)]


def explain_all(people, **more):
    for row in explained(people["accountant"]):
        if row not in more:
            act(people["accountant"], "explain", where={**FUEL, "row": row}, text=f"About {row}.")


def keep(client, **values):
    return client.post(address("keep-edition", NAME), {"title": "October", **values}, headers=FRAGMENT)


def test_an_edition_waits_until_all_is_explained_or_somebody_says_why_not(people):
    refused = keep(people["accountant"]).content.decode()
    assert "5 variances are not explained yet: 1 Foot passengers, 2 Shop and galley" in refused
    assert "with a reason" in refused and not Edition.objects.exists()
    # a reason of somebody without the right is none, and a right without a reason neither
    keep(people["accountant"], reason="The board is waiting.")
    assert "say why you keep it without" in keep(people["controller"]).content.decode()
    assert not Edition.objects.exists()
    act(people["accountant"], "explain", text="Diesel, from June on.")
    keep(people["controller"], reason="The board is waiting.")
    early = Edition.objects.get()
    assert early.reason == "The board is waiting." and early.missing == [
        "1 Foot passengers", "2 Shop and galley", "4 Upkeep and dry-dock", "5 Tax",
    ]  # fmt: skip
    shown = people["director"].get(address("edition", early.pk)).content.decode()
    assert "Kept before these were explained" in shown and "Diesel, from June on." in shown
    assert '<sup class="notemark">3</sup>' in shown
    explain_all(people, fuel=1)
    act(people["controller"], "send-back", where={**FUEL, "row": "tax"}, remark="Why?")
    assert "1 variance is not explained yet: 5 Tax." in keep(people["accountant"]).content.decode()
    act(people["accountant"], "explain", where={**FUEL, "row": "tax"}, text="Less result, less tax.")
    keep(people["accountant"])
    whole = Edition.objects.first()
    assert (whole.missing, whole.reason, len(whole.notes)) == ([], "", 5)
    # what was kept stays as it was kept
    act(people["accountant"], "explain", text="Something else.")
    whole.refresh_from_db()
    assert whole.notes[2]["text"] == "Diesel, from June on."


def test_notes_are_printed_in_every_file(people):
    act(people["accountant"], "explain", text="=Diesel is <b>dearer</b>\nfrom June on.")
    told = "3 Fuel, April to October 2026, Difference: −216.7. =Diesel is <b>dearer</b> from June on."
    missing = "Not explained yet: 1 Foot passengers, 2 Shop and galley, 4 Upkeep and dry-dock, 5 Tax."
    pdf = people["director"].get(address("download", NAME, "pdf")).content
    text = " ".join(PdfReader(io.BytesIO(pdf)).pages[0].extract_text().split())
    assert told in text and missing in text
    html = people["director"].get(address("download", NAME, "html")).content.decode()
    assert "Fuel<sup>3</sup>" in html and "&lt;b&gt;dearer&lt;/b&gt;" in html
    book = openpyxl.load_workbook(io.BytesIO(people["director"].get(address("download", NAME, "xlsx")).content))
    cells = [cell for sheet in book for row in sheet.iter_rows() for cell in row if cell.value]
    (note,) = [cell for cell in cells if "dearer" in str(cell.value)]
    assert note.data_type == "s" and " ".join(note.value.split()) == told
    # behind other bounds nothing of it is printed
    other = people["ships-lead"].get(address("download", NAME, "html")).content.decode()
    assert "dearer" not in other


# the list and any comparison ----------------------------------------------------------------------------------------


def test_variances_are_listed_by_size_and_anything_can_be_compared(people):
    listed = people["director"].get(address("statement-variances", NAME)).context["found"]
    assert [row.label for row in listed.rows] == [
        "Tax", "Foot passengers", "Shop and galley", "Upkeep and dry-dock", "Fuel",
    ]  # fmt: skip
    by_label = {row.label: row for row in listed.rows}
    assert by_label["Upkeep and dry-dock"].hint == "Dry-dock stands in March 2026"
    assert by_label["Foot passengers"].hint == "Shop and galley has as much the other way"
    where = {"against": ["budget", "year before"], "beyond": "300 000 and 20 %", "look": "year to date"}
    found = people["director"].get(reverse("statement-variances", args=[NAME]),
                                   {"period": "2027-P07", "node": "TF", **where})  # fmt: skip
    rows = [(row.label, row.heading) for row in found.context["found"].rows]
    assert ("Tax", "Budget, April to October 2026") in rows
    assert ("Shop and galley", "Year before, April to October 2025") in rows
    assert all(row.exceeds and not row.explain for row in found.context["found"].rows)
    # its drivers open over the same comparison
    traced = people["director"].get(
        f"{reverse('statement-trace', args=[NAME])}?{found.context['found'].rows[0].drivers}"
    )
    assert traced.context["agrees"] and traced.context["level"] == "drivers" and traced.context["explaining"] is None
    for wrong, told in (
        ({"against": "actual"}, "compared with itself"), ({"against": "dreams"}, "can&#x27;t be compared"),
        ({"against": "budget", "look": "fortnight"}, "no window"), ({"beyond": "much"}, "no threshold"),
    ):  # fmt: skip
        answer = people["director"].get(address("statement-variances", NAME, **wrong))
        assert answer.status_code == 422 and told in answer.content.decode()


def test_the_statements_of_thresholds_are_checked_where_they_are_written(people):
    bad = edit(people["accountant"], NAME, "statement-change", path="explain.beyond", value="a lot").content.decode()
    assert "is no threshold" in bad
    edit(people["accountant"], NAME, "statement-change", path="explain.beyond", value="300 000")
    assert list(explained(people["accountant"])) == [
        "foot-passengers", "shop-and-galley", "upkeep-and-dry-dock", "tax",
    ]  # fmt: skip
    edit(people["accountant"], NAME, "statement-change", path="explain.types.revenue", value="never")
    assert list(explained(people["accountant"])) == ["upkeep-and-dry-dock", "tax"]


# commands -----------------------------------------------------------------------------------------------------------


def test_drivers_of_the_fuel_variance_are_what_the_files_hold(ternwick, command, demo_folder):
    told = json.loads(command("drivers", NAME, ledger="ternwick", period="2027-P07", node="TF", line="fuel",
                              column="ytd-difference"))  # fmt: skip
    oracle = Oracle(demo_folder / "ledger", demo_folder / "news")
    sums = {}
    for code in oracle.between("6110", "6199"):
        planned = oracle.budget("budget", "TF", {code}, (2027, 1), (2027, 7))
        sums[code] = planned - oracle.activity("TF", {code}, (2027, 1), (2027, 7))
    assert told["variance"] == "-216730.29" and told["by"] == "account"
    assert {one["code"]: Decimal(one["value"]) for one in told["drivers"]} == {
        code: sums[code] for code in ("6110", "6130")
    }  # fmt: skip
    total = sum((Decimal(one["value"]) for one in told["drivers"]), Decimal(0))
    assert total + Decimal(told["rest"]) == Decimal(told["variance"]) == sum(sums.values())
    parts = told["price and volume"]
    price = sum(Fraction(parts[name]) for name in ("price", "volume", "mix", "unmeasured"))
    assert abs(price - Fraction(told["variance"])) < Fraction(1, 10**8)  # each is written to ten decimals
    assert Fraction(parts["price"]) < -290_000 and abs(Fraction(parts["volume"])) < 6_000
    # through somebody's fence, and what is no variance
    lead = json.loads(command("drivers", NAME, ledger="ternwick", period="2027-P07", node="TF", line="fuel",
                              column="ytd-difference", person="ships-lead"))  # fmt: skip
    assert Decimal(lead["rest"]) + sum(Decimal(one["value"]) for one in lead["drivers"]) == Decimal(lead["variance"])
    with pytest.raises(CommandError, match="no difference"):
        command("drivers", NAME, ledger="ternwick", period="2027-P07", line="fuel", column="actual")


PLANTED = {
    "2027-P02": ("first", "4440", 401_395),  # 3: fares at the shop till
    "2027-P04": ("late", "6310", 27_480),  # 8: the late entry
    "2027-P05": ("moved", "5010", None),  # 4: deck's pay run in Finance
    "2027-P06": ("first", "6815", 13_160),  # 5: shore power
    "2027-P07": ("apart", "6250", 12_400),  # 6: berth fees
}


@pytest.mark.parametrize("period", PLANTED)
def test_what_was_planted_stands_among_the_first_ten_of_its_month(ternwick, command, period):
    rule, account, amount = PLANTED[period]
    found = json.loads(command("findings", ledger="ternwick", period=period))
    assert [one["score"] for one in found] == sorted((one["score"] for one in found), reverse=True)
    hits = [one for one in found[:10] if one["rule"] == rule and one["entries"]]
    assert hits and (amount is None or any(int(Decimal(one["amount"])) == amount for one in hits))
    named = {entry["entry"] for one in hits for entry in one["entries"]}
    lines = JournalLine.objects.filter(entry__number__in=named, key__account__code=account)
    assert lines.exists()


def test_the_director_finds_nothing_of_what_is_sealed(ternwick, command):
    """Deck's wages are sealed: their totals by department are not, their entries are."""
    found = json.loads(command("findings", ledger="ternwick", period="2027-P05", person="director"))
    (moved,) = [one for one in found if one["rule"] == "moved"]
    wages = {line.entry.number for line in JournalLine.objects.filter(
        entry__number__in=[entry["entry"] for entry in moved["entries"]]).select_related("entry")}  # fmt: skip
    view = view_of(ternwick, fence_of("director", "ternwick"))
    for number in wages:  # what is named shows at least one line that is not sealed
        from rulka.ledger.reading.entries import seen_entry

        assert seen_entry(ternwick, view, "TF", number).lines
    table = command("findings", ledger="ternwick", period="2027-P05", format="csv")
    assert table.splitlines()[0] == "rule,score,title,amount,currency,entries"


# findings on the page -----------------------------------------------------------------------------------------------

APART = {"rule": "apart", "subject": "TF TQ income and costs"}


def test_a_finding_is_dismissed_with_a_reason_that_holds_until_it_doubles(people, ternwick, command):
    wrong = people["accountant"].get(address("ledger-wrong", **APART))
    assert wrong.context["chosen"].amount == grouped(1_240_000, 2)
    assert len(wrong.context["entries"]) == 2
    assert "Dismiss" not in people["director"].get(address("ledger-wrong", **APART)).content.decode()

    def dismiss(client, **values):
        return client.post(address("dismiss-finding"), {**APART, **values})

    assert dismiss(people["director"], reason="So be it.").status_code == 422
    assert dismiss(people["ships-lead"], reason="So be it.").status_code == 422
    assert "It says nothing about why." in dismiss(people["accountant"], reason=" ").content.decode()
    assert dismiss(people["accountant"], reason="x" * 1001).status_code == 422
    assert not DismissedFinding.objects.exists()
    assert dismiss(people["accountant"], reason="A credit note is on its way.").status_code == 302
    context = people["controller"].get(address("ledger-wrong")).context
    assert [one.one.finding.rule for one in context["dismissed"]] == ["apart"]
    assert "apart" not in {one.one.finding.rule for one in listed(context)}
    assert "apart" not in {one["rule"] for one in json.loads(command("findings", ledger="ternwick", period="2027-P07"))}
    told = json.loads(command("findings", "--all", ledger="ternwick", period="2027-P07"))
    assert next(one for one in told if one["rule"] == "apart")["dismissed"] == "A credit note is on its way."
    panel = page(people["accountant"], NAME, panel="explain").context["wrong"]
    assert not [one for one in panel if "agree" in one.title]
    DismissedFinding.objects.update(amount=600_000)  # as if it had been less than half
    standing = listed(people["accountant"].get(address("ledger-wrong")).context)
    assert any(one.one.grew for one in standing)
    assert people["accountant"].post(address("restore-finding"), APART).status_code == 302
    assert people["accountant"].post(address("restore-finding"), APART).status_code == 422
    gone = people["accountant"].post(address("dismiss-finding"), {"rule": "apart", "subject": "A B", "reason": "x"})
    assert gone.status_code == 422 and "This isn&#x27;t found any more." in gone.content.decode()


def test_rules_are_tuned_by_those_who_may(people):
    def tune(client, **values):
        return client.post(address("finding-rules"), {"name": "apart", "on": "yes", "degree": "100", **values})

    assert tune(people["director"], least="5").status_code == 422
    for wrong in ({"least": "much"}, {"least": "-1"}, {"degree": "5000"}, {"degree": "x"}, {"name": "none"}):
        assert tune(people["accountant"], **{"least": "1", **wrong}).status_code == 422
    assert not TunedRule.objects.exists()
    tune(people["accountant"], least="20000")
    assert "apart" not in {
        one.one.finding.rule for one in listed(people["accountant"].get(address("ledger-wrong")).context)
    }  # fmt: skip
    tune(people["accountant"], least="1")  # as it comes again
    assert not TunedRule.objects.exists()
    people["accountant"].post(address("finding-rules"), {"name": "apart", "least": "1", "degree": "100"})
    assert not TunedRule.objects.get().on
    empty = people["accountant"].get(address("ledger-wrong", period="2027-P12"))
    assert empty.status_code == 200 and "Nothing is booked in" in empty.content.decode()


def test_a_lead_sees_what_looks_wrong_within_their_part(people):
    inside = people["ships-lead"].get(address("ledger-wrong"))
    assert inside.status_code == 200
    assert "apart" not in {one.one.finding.rule for one in listed(inside.context)}
    assert view_of(person("ships-lead").accesses.get().ledger, NO_FENCE).revision == 2


def test_explaining_beside_the_trace_stays_there_and_keeps_what_was_typed_when_refused(people):
    where = {**FUEL, "do": "explain", "version": 0, "room": "yes"}
    done = people["accountant"].post(address("statement-explain", NAME), {**where, "text": "Diesel."})
    assert done.status_code == 302 and "/trace/" in done["Location"] and "by=drivers" in done["Location"]
    shown = people["accountant"].get(done["Location"])
    assert shown.context["level"] == "drivers" and "Diesel.</textarea>" in shown.content.decode()
    assert shown.context["explaining"].left == 4
    refused = people["accountant"].post(address("statement-explain", NAME), {**where, "text": "Older."})
    text = refused.content.decode()
    assert refused.status_code == 422 and ">Older.</textarea>" in text
    assert "Somebody else did something about it" in text
    # an entry that is opened from there is offered as proof
    lines = people["accountant"].get(address("statement-trace", NAME, **FUEL, by="line"))
    entry = lines.context["tables"][0].lines.lines[0]
    opened = people["accountant"].get(
        address("statement-trace", NAME, **FUEL, by="line", entity=entry.entity, entry=entry.entry)
    )
    assert f'value="{entry.entity} {entry.entry}"' in opened.content.decode()


def test_what_compares_nothing_or_is_closed_has_no_drivers(people):
    for column, told in (("actual", "it is no difference"), ("ytd-percent", "it is no difference")):
        answer = people["director"].get(address("statement-trace", NAME, row="fuel", column=column, by="drivers"))
        assert told in answer.content.decode()
    edit(people["accountant"], NAME, "line-change", key="fuel", path="detail", value="closed", **{"share-spine": "all"})
    closed = people["director"].get(address("statement-trace", NAME, **FUEL, by="drivers")).content.decode()
    assert "can&#x27;t be told apart" in closed or "closed" in closed
    assert "Marine diesel" not in closed
    # what is said about it may be read all the same
    act(people["accountant"], "explain", text="Diesel.")
    assert "Diesel." in page(people["director"], NAME, panel="explain", **FUEL).content.decode()
