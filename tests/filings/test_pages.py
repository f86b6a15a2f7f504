"""Pages and commands of filings: what each person sees and does, what is refused in words, files in the background."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError
from django.urls import reverse
from django.utils import timezone

from demo.taxonomy import Year, package, packed
from rulka.filings.library.storing import definition_of
from rulka.filings.models import Filing, FilingJob, Taxonomy
from rulka.filings.output import background
from rulka.filings.output.asking import ask, recover
from rulka.filings.output.background import reading_for
from rulka.filings.output.tidying import forget_old
from rulka.ledger.models import Ledger
from rulka.statements.models import Shelf, ShelfRight
from rulka.statements.output.origins import verify
from rulka.work.models import LeftFile
from rulka.work.services import files
from tests.filings.world import (
    RETURN,
    address,
    filing,
    person,
    post,
    reading,
    signed_in,
    text_of,
    with_line,
    with_text,
)
from tests.pages import flat

pytestmark = pytest.mark.django_db
NEXT = "saltmarch-registry-annual-accounts-2027"
INCOME = {"part": "annual-income"}


def tag_of(line: str, statement: str = "annual-income"):
    return definition_of(filing()).tags(statement).line(line)


# looking --------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("panel", ["tag", "checks", "files", "about"])
@pytest.mark.parametrize("who", ["accountant", "director", "ships-lead"])
def test_each_panel_of_each_part(ternwick, panel, who):
    with_line("annual-income", "tax")
    with_text(statements=[{**one, "columns": one["columns"][:1]} for one in filing().body["statements"]])
    parts = (
        {}, INCOME, {**INCOME, "line": "tax"}, {**INCOME, "column": "year-before"}, {**INCOME, "line": "fuel"},
        {**INCOME, "column": "this-year"}, {"part": "words"}, {"part": "words", "line": "basis"},
        {**INCOME, "line": "nowhere"}, {"part": "nowhere"},
    )  # fmt: skip
    for asked in parts:
        answer = signed_in(who).get(address(panel=panel, **asked))
        assert answer.status_code == 200, asked
    page = text_of(answer)
    assert "March 2026" in page and ("Undo" in page) == (who == "accountant")


def test_what_is_tagged_stands_beside_the_figures(ternwick):
    page = text_of(signed_in("accountant").get(address(line="fuel", **INCOME)))
    assert "Fuel Fuel turned \u22123 586 523.47" in page
    assert "It can be filed; look at what warns" in page and "108 facts of 108 figures" in page
    assert "2025-04-01 to 2026-03-31" in page and "Shows credits as positive" in page


def test_a_failing_check_leads_to_its_cause(ternwick):
    with_line("annual-income", "fuel", concept="coast:Fuel")
    client = signed_in("accountant")
    page = client.get(address(panel="checks")).content.decode()
    at = page.index("Fuel, FY2026 shows credits as positive")
    link = page[page.rindex('href="', 0, at) + 6 :].partition('"')[0].replace("&amp;", "&")
    there = text_of(client.get(link))
    assert "Running costs › an amount of money over a time, debit" in there and "part=annual-income" in link


def test_who_sees_a_part_files_nothing(ternwick):
    page = text_of(signed_in("ships-lead").get(address(panel="checks")))
    assert "You see a part of the whole: department Ships" in page and "It can't be filed yet" in page
    refused = post("ships-lead", "make-filing", form="xbrl")
    assert refused.status_code == 422 and "All of the figures are seen" in text_of(refused)
    assert not FilingJob.objects.exists()


def test_a_sealed_figure_is_never_left_out_in_silence(ternwick):
    Ledger.objects.update(sealed="4010 to 4099")  # foot passengers show by company, not by crossing
    director = person("director")
    whole = next(one for one in reading_for(filing(), director).checks if one.code == "whole")
    assert whole.state == "fails" and "Foot passengers, North is sealed for you" in [
        one.message.rstrip(".") for one in whole.problems
    ]
    assert "Foot passengers, All crossings is sealed for you." not in [one.message for one in whole.problems]
    with_line("annual-fares", "foot-passengers", **{"left out": "yes"})
    whole = next(one for one in reading_for(filing(), director).checks if one.code == "whole")
    assert whole.state == "holds"


def test_the_list_and_search_show_it(ternwick):
    page = text_of(signed_in("director").get(address("filings")))
    assert "Annual return to the registry" in page and NEXT in page and "Load a package" not in page
    found = signed_in("accountant").get(f"{reverse('find')}?ledger=ternwick&q=annual+return")
    assert found.status_code == 200 and "Annual return to the registry" in text_of(found)


def test_a_shelf_hides_it(ternwick):
    shelf = Shelf.objects.create(ledger=ternwick, name="Closed")
    Filing.objects.update(shelf=shelf)
    ShelfRight.objects.create(shelf=shelf, person=person("controller"), level=3)
    assert signed_in("director").get(address()).status_code == 404
    assert signed_in("director").get(address("search-concepts", q="fuel")).status_code == 404
    page = text_of(signed_in("director").get("/filings/?ledger=ternwick"))
    assert "Annual return" not in page and "one more" in page


def test_concepts_are_searched_those_that_fit_first(ternwick):
    answer = signed_in("accountant").get(address("search-concepts", q="result", line="fuel", **INCOME))
    page = flat(answer.content.decode())
    assert b"<html" not in answer.content and page.index("Operating result") < page.index("within equity")
    assert (
        "Result of the year, within equity</b> <small>an amount of money at a day, credit, Balance sheet: not for"
        in page
    )
    assert "Nothing holds all" in text_of(signed_in("accountant").get(address("search-concepts", q="zzz")))


# tagging --------------------------------------------------------------------------------------------------------------


def test_a_line_is_tagged_with_the_sign_that_fits_and_taken_back(ternwick):
    asked = {**INCOME, "line": "fuel"}
    done = post("accountant", "change-filing", asked, do="tag", statement="annual-income", line="fuel",
                concept="coast:Upkeep", following="tax")  # fmt: skip
    assert done.status_code == 302 and "line=tax" in done["Location"]
    assert (tag_of("fuel").concept, tag_of("fuel").turned) == ("coast:Upkeep", True)
    undone = post("accountant", "undo-filing", asked)
    assert undone.status_code == 302 and tag_of("fuel").concept == "coast:Fuel"
    post("accountant", "undo-filing", asked, redo="yes")
    assert tag_of("fuel").concept == "coast:Upkeep"
    post("accountant", "change-filing", asked, do="leave out", statement="annual-income", line="fuel")
    assert tag_of("fuel").left_out
    post("accountant", "change-filing", asked, do="untag", statement="annual-income", line="fuel")
    assert tag_of("fuel") is None


def test_columns_texts_and_settings(ternwick):
    post("accountant", "change-filing", do="column", statement="annual-income", column="year-before", reported="no")
    assert not definition_of(filing()).tags("annual-income").column("year-before").reported
    sent = {"do": "column", "statement": "annual-fares", "column": "all", "reported": "yes",
            "axis:coast:CrossingAxis": "coast:NorthMember"}  # fmt: skip
    signed_in("accountant").post(address("change-filing"), sent)
    assert definition_of(filing()).tags("annual-fares").column("all").members == {
        "coast:CrossingAxis": "coast:NorthMember"
    }
    post("accountant", "change-filing", do="text", section="judgements", concept="")
    assert [one.sections for one in definition_of(filing()).texts] == [("year",), ("basis",)]
    post("accountant", "change-filing", do="about", identifier="SM-9", title="Another", folio="annual-accounts",
         scheme="http://x.example", period="2025-P12", node="TF")  # fmt: skip
    assert (definition_of(filing()).identifier, reading().reading.period.code) == ("SM-9", "2025-P12")


REFUSED = [
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:Fule"}, "Did you mean coast:Fuel"),
    ({"do": "tag", "statement": "annual-income", "line": "fule", "concept": "coast:Fuel"}, "shows no line 'fule'"),
    ({"do": "tag", "statement": "other", "line": "fuel", "concept": "coast:Fuel"}, "shows no statement 'other'"),
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:BalanceHeading"}, "is a heading"),
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:YearInWords"}, "is for words"),
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:Fuel", "scale": "x"}, "scale"),
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:Fuel", "unit": "EUR"}, "unit"),
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:Fuel", "members": "a"}, "no member"),
    ({"do": "tag", "statement": "annual-income", "line": "fuel", "concept": "coast:Fuel",
      "members": "coast:CrossingAxis = coast:WestMember"}, "has no member 'coast:WestMember'"),
    ({"do": "column", "statement": "annual-income", "column": "budget"}, "shows no column 'budget'"),
    ({"do": "untag", "statement": "annual-income", "line": "nowhere"}, "It has no tag"),
    ({"do": "text", "section": "income", "concept": "coast:YearInWords"}, "no section of words 'income'"),
    ({"do": "text", "section": "basis", "concept": "coast:Fuel"}, "isn't for words"),
    ({"do": "taxonomy", "taxonomy": "other"}, "'other' is not loaded"),
    ({"do": "move", "old": "coast:Nothing", "concept": "coast:Fuel"}, "Nothing is tagged as 'coast:Nothing'"),
    ({"do": "proposals"}, "Nothing is proposed"),
    ({"do": "about", "folio": "nowhere"}, "The folio 'nowhere' does not exist"),
    ({"do": "fly"}, "Nothing is called 'fly'"),
    ({"do": "tag", "version": "0", "statement": "annual-income", "line": "fuel", "concept": "coast:Fuel"}, "since you"),
]  # fmt: skip


@pytest.mark.parametrize(("sent", "words"), REFUSED, ids=[one[1] for one in REFUSED])
def test_what_can_not_be_is_refused_in_words_and_changes_nothing(ternwick, sent, words):
    before = filing().body
    page = f"http://testserver{address()}"
    answer = signed_in("accountant").post(address("change-filing", **INCOME), sent, headers={"Referer": page})
    assert answer.status_code == 422 and words in text_of(answer), text_of(answer)[-1500:]
    assert b'href="?' not in answer.content and b'href="/filings/annual-return/change' not in answer.content
    assert filing().body == before


def test_who_only_reads_changes_nothing(ternwick):
    before = filing().body
    for who in ("director", "ships-lead"):
        answer = post(who, "change-filing", do="untag", statement="annual-income", line="fuel")
        assert answer.status_code in (403, 404, 422) and filing().body == before
        assert post(who, "manage-filing", do="delete", title="Annual return to the registry").status_code in (
            403,
            404,
            422,
        )
        sent = {"file": SimpleUploadedFile("s.zip", package(2026))}
        assert signed_in(who).post(address("load-taxonomy"), sent).status_code in (403, 422)
    assert Filing.objects.count() == 1


def test_another_years_taxonomy_proposes_and_moves_nothing_by_itself(ternwick):
    before = list(filing().body["statements"])
    post("accountant", "change-filing", do="taxonomy", taxonomy=NEXT)
    assert filing().body["statements"] == before
    page = text_of(signed_in("accountant").get(address(line="shop-and-galley", **INCOME)))
    assert "coast:ShopIncome isn't in Saltmarch Registry, annual accounts 2027" in page
    assert "Income of shop and galley coast:ShopAndGalleyIncome, the same label" in page
    states = {one.code: one.state for one in reading().checks}
    assert states["known"] == "fails" and states["sums"] == "fails"
    for old, new in (("ShopIncome", "ShopAndGalleyIncome"), ("Office", "OfficeAndSystems")):
        post("accountant", "change-filing", do="move", old=f"coast:{old}", concept=f"coast:{new}")
    assert {one.state for one in reading().checks} == {"holds", "warns"}


def test_one_that_lost_its_folio_says_so_and_can_be_mended(ternwick):
    with_text(folio="nowhere")
    page = text_of(signed_in("accountant").get(address(panel="about")))
    assert "The folio 'nowhere' does not exist" in page and "It can't be opened" in page
    post("accountant", "change-filing", do="about", folio="annual-accounts")
    assert "March 2026" in text_of(signed_in("accountant").get(address()))


def test_a_new_one_is_begun_from_its_folio_and_taken_away(ternwick):
    client = signed_in("accountant")
    page = text_of(client.get(address("begin-filing", "annual-accounts")))
    assert "Annual return to the registry" in page and "Begin it" in page
    made = client.post(address("begin-filing", "annual-accounts"), {"taxonomy": NEXT, "title": "Mine"})
    assert made.status_code == 302 and definition_of(filing("mine")).taxonomy == NEXT
    taken = client.post(address("change-filing", "mine", part="annual-balance"), {"do": "proposals"})
    assert taken.status_code == 302 and len(definition_of(filing("mine")).tags("annual-balance").lines) > 20
    refused = client.post(address("manage-filing", "mine"), {"do": "delete", "title": "Other"})
    assert refused.status_code == 422 and "was not deleted" in text_of(refused)
    client.post(address("manage-filing", "mine"), {"do": "copy", "title": "Copy"})
    client.post(address("manage-filing", "mine"), {"do": "delete", "title": "Mine"})
    assert sorted(Filing.objects.values_list("name", flat=True)) == [RETURN, "copy"]
    assert client.post(address("begin-filing", "annual-accounts"), {"taxonomy": "none"}).status_code == 422
    text = "filing: x\nfolio: annual-accounts\ntaxonomy: other\nfly: high\n"
    wrong = client.post(address("manage-filing", "copy"), {"do": "text", "text": text})
    assert wrong.status_code == 422 and "docs/guides/filings.md" in text_of(wrong)


# taxonomies -----------------------------------------------------------------------------------------------------------


def loaded(client, data: bytes, **more) -> str:
    """What the list says once a package was read."""
    sent = client.post(address("load-taxonomy"), {"file": SimpleUploadedFile("s.zip", data), **more})
    assert sent.status_code == 302 and "s.zip: waits its turn" in text_of(client.get(sent["Location"]))
    background.make(FilingJob.objects.filter(form="load").latest("pk").pk)
    partial = client.get(sent["Location"], headers={"HX-Request": "true"})
    assert b"<html" not in partial.content and b"hx-get" not in partial.content
    return text_of(partial)


def test_packages_are_loaded_once_and_kept_while_they_are_followed(ternwick):
    client, where = signed_in("accountant"), address("load-taxonomy")
    assert "was there as saltmarch-registry-annual-accounts-2026" in loaded(client, package(2026))
    other = packed(Year(2026).files() | {"more.txt": "x"}, "s")
    assert "refused , nothing was kept: s.zip: Another package is loaded as" in loaded(client, other)
    assert "loaded as second-one" in loaded(client, other, name="Second one")
    assert Taxonomy.objects.filter(name="second-one").exists()
    assert "It is no .zip" in loaded(client, b"nothing")
    assert not [one for one in FilingJob.objects.all() if one.file and files.find(one.file)]
    assert client.post(where, {}).status_code == 422
    used, unused = (Taxonomy.objects.get(name=name) for name in ("saltmarch-registry-annual-accounts-2026", NEXT))
    kept = client.post(where, {"do": "forget", "taxonomy": used.pk})
    assert kept.status_code == 422 and "Annual return to the registry follows it" in text_of(kept)
    assert client.post(where, {"do": "forget", "taxonomy": unused.pk}).status_code == 302
    assert not Taxonomy.objects.filter(name=NEXT).exists()
    assert client.post(where, {"do": "forget", "taxonomy": unused.pk}).status_code == 422


# files ----------------------------------------------------------------------------------------------------------------


def test_a_file_is_made_and_validated_in_the_background_and_taken(ternwick):
    client = signed_in("accountant")
    asked = client.post(address("make-filing"), {"form": "xbrl", "period": "2025-P12"})
    job = FilingJob.objects.get()
    assert asked.status_code == 302 and "waits its turn" in text_of(client.get(asked["Location"]))
    partial = client.get(asked["Location"], headers={"HX-Request": "true"})
    assert b"<html" not in partial.content and b"hx-get" in partial.content
    background.make(job.pk)
    assert client.get(asked["Location"], headers={"HX-Request": "true"})["HX-Refresh"] == "true"
    page = text_of(client.get(asked["Location"]))
    assert "It can be filed." in page and "facts; checks and validator have nothing against it" in page
    taken = client.get(address("take-filing", RETURN, job.pk))
    assert taken["Content-Disposition"] == 'attachment; filename="annual-return-2025-P12.xbrl"'
    assert b"<coast:Fuel" in taken.content and LeftFile.objects.get().kind == "filing"
    told = verify(taken.content, "a.xbrl", person("accountant"))
    assert told.state == "untouched" and told.since[0].figures == 0
    assert signed_in("controller").get(address("take-filing", RETURN, job.pk)).status_code == 404
    access = person("accountant").accesses.get()
    access.members = {"department": "under:100"}
    access.save()
    assert client.get(address("take-filing", RETURN, job.pk)).status_code == 404


def test_what_fails_says_why_and_what_a_dead_worker_left_is_taken_up(ternwick, monkeypatch):
    job = ask(filing(), person("accountant"), "xbrl", "")
    with_line("annual-income", "fuel", concept="coast:Fuel")
    background.make(job.pk)
    failed = FilingJob.objects.get()
    assert failed.state == "failed" and "Signs agree with the accounts" in failed.problem
    assert "Signs agree" in text_of(signed_in("accountant").get(address("filing-file", RETURN, job.pk)))
    FilingJob.objects.update(state="running", worker="gone:1")
    monkeypatch.setattr("rulka.work.services.jobs.is_left", lambda worker, own=False: True)
    assert recover(False) == 1 and FilingJob.objects.get().state == "waiting"
    signed_in("accountant").post(address("stop-filing", RETURN, job.pk))
    assert FilingJob.objects.get().state == "cancelled"
    refused = post("accountant", "make-filing", form="pdf")
    assert refused.status_code == 422 and "no filing as 'pdf'" in text_of(refused)


def test_old_files_go(ternwick):
    job = ask(filing(), person("accountant"), "xbrl", "")
    where = files.find(files.keep(f"filing-{job.pk}.xbrl", b"x"))
    assert where is not None
    FilingJob.objects.update(file=str(where), state="ready", ended=timezone.now())
    assert forget_old() == 0
    FilingJob.objects.update(ended=timezone.now() - timedelta(days=400))
    assert forget_old() == 1 and not FilingJob.objects.exists()


# commands -------------------------------------------------------------------------------------------------------------


def test_filings_in_and_out_by_command(ternwick, command, tmp_path):
    text = command("dump_filing", RETURN, ledger="ternwick")
    path = tmp_path / "f.yaml"
    path.write_text(text)
    assert command("load_filing", path, ledger="ternwick") == f"{RETURN}: version 1, as it was\n"
    done = command("tag_statement", RETURN, "annual-income", ledger="ternwick", line="Fuel", concept="coast:Upkeep")
    assert done == f"{RETURN}, version 2: Fuel: Upkeep and dry-dock\n" and tag_of("fuel").turned
    command("tag_statement", RETURN, "annual-income", ledger="ternwick", line="fuel", leave_out=True)
    assert tag_of("fuel").left_out
    command("tag_statement", RETURN, "annual-income", ledger="ternwick", line="fuel", untag=True)
    assert "1 proposals taken" in command("tag_statement", RETURN, "annual-income", ledger="ternwick", proposals=True)
    assert tag_of("fuel").concept == "coast:Fuel"
    command("tag_statement", RETURN, "annual-fares", ledger="ternwick", column="all", leave_out=True)
    assert not definition_of(filing()).tags("annual-fares").column("all").reported
    for wrong, words in (({}, "names no line or column"), ({"line": "x", "concept": "coast:Fuel"}, "no line 'x'"),
                         ({"line": "fuel", "concept": "coast:X"}, "no concept 'coast:X'")):  # fmt: skip
        with pytest.raises(CommandError, match=words):
            command("tag_statement", RETURN, "annual-income", ledger="ternwick", **wrong)
    with pytest.raises(CommandError, match="does not exist"):
        command("run_filing", "nothing", ledger="ternwick")
    path.write_text("filing: a\nfolio: nowhere\ntaxonomy: b\n")
    with pytest.raises(CommandError, match="The folio 'nowhere' does not exist"):
        command("load_filing", path, ledger="ternwick")
    zipped = tmp_path / "t.zip"
    zipped.write_bytes(package(2026))
    assert command("load_taxonomy", zipped, ledger="ternwick").endswith("51 concepts, as it was\n")
