"""Taxonomy packages: the demo's read whole, what is none or leads outside refused in words; nothing is fetched."""

from __future__ import annotations

import io
import zipfile
from decimal import Decimal

import pytest

from demo.taxonomy import HOST, Year, package, packed
from rulka.core.errors import RulkaError
from rulka.core.filings.taxonomy import taxonomy_from
from rulka.formats.filings.apart import read_apart
from rulka.formats.filings.package import check_references, is_standard, open_package

BASE = f"{HOST}/taxonomy/2026"


def changed(**files: str | None) -> bytes:
    """The demo's package with some files otherwise, or left out."""
    made = Year(2026).files()
    names = {
        "schema": "coast.xsd", "labels": "coast-label.xml", "shown": "coast-presentation.xml",
        "sums": "coast-calculation.xml", "catalog": "META-INF/catalog.xml", "about": "META-INF/taxonomyPackage.xml",
    }  # fmt: skip
    for name, text in files.items():
        if text is None:
            del made[names[name]]
        else:
            made[names[name]] = text
    return packed(made, "saltmarch")


def test_the_demos_taxonomy_is_read_whole():
    taxonomy = taxonomy_from(read_apart(package(2026), "saltmarch.zip"))
    assert (taxonomy.title, taxonomy.version) == ("Saltmarch Registry, annual accounts", "2026")
    assert taxonomy.entry == f"{BASE}/coast.xsd" and taxonomy.namespaces["coast"] == BASE
    fuel, cash = taxonomy.concepts["coast:Fuel"], taxonomy.concepts["coast:Cash"]
    assert (fuel.label, fuel.kind, fuel.period, fuel.balance) == ("Fuel", "money", "duration", "debit")
    assert (cash.period, cash.role) == ("instant", "Balance sheet")
    assert taxonomy.concepts["coast:Sailings"].kind == "number"
    assert taxonomy.concepts["coast:BasisOfPreparation"].kind == "block"
    assert taxonomy.concepts["coast:BalanceHeading"].abstract and taxonomy.concepts["coast:CrossingAxis"].abstract
    fixed = next(one for one in taxonomy.sums if one.total == "coast:FixedAssets")
    assert fixed.parts == (
        ("coast:Ships", Decimal(1)), ("coast:Terminals", Decimal(1)), ("coast:Equipment", Decimal(1)),
        ("coast:AccumulatedDepreciation", Decimal(-1)),
    )  # fmt: skip
    north = {"coast:CrossingAxis": "coast:NorthMember"}
    assert taxonomy.takes("coast:VehicleFares", north) and taxonomy.takes("coast:VehicleFares", {})
    assert not taxonomy.takes("coast:VehicleFares", {"coast:CrossingAxis": "coast:CrossingDomain"})
    assert not taxonomy.takes("coast:VehicleFares", {"coast:OtherAxis": "coast:NorthMember"})
    assert len(list(taxonomy.reportable)) == 51


def test_packages_are_the_same_bytes_every_time():
    assert package(2026) == package(2026) != package(2027)


def schema() -> str:
    return Year(2026).schema()


def shown_circle() -> str:
    text = Year(2026).presentation()
    arc = ('<link:presentationArc xlink:type="arc" xlink:arcrole="http://www.xbrl.org/2003/arcrole/parent-child" '
           'xlink:from="Fuel" xlink:to="IncomeHeading" order="99"/>')  # fmt: skip
    at = text.index("</link:presentationLink>", text.index(f'xlink:role="{HOST}/role/income"'))
    return text[:at] + arc + text[at:]


REFUSED = [
    ("no zip", b"PK nonsense", "It is no .zip"),
    ("no package file", packed({"coast.xsd": "<a/>"}, "x"), "It holds no META-INF/taxonomyPackage.xml"),
    ("no entry", changed(about=Year(2026).package().replace("entryPointDocument", "other")), "names no entry point"),
    ("a missing linkbase", changed(labels=None), "coast-label.xml is missing"),
    ("several missing", changed(labels=None, sums=None), "coast-calculation.xml is missing"),
    ("a missing schema", changed(schema=None), "coast.xsd is missing"),
    ("no catalog", changed(catalog=None), f"refers to {BASE}/coast.xsd, which the package doesn't hold"),
    ("a remote schema", changed(schema=schema().replace(
        "https://www.xbrl.org/dtr/type/2022-03-31/types.xsd", "http://elsewhere.example/types.xsd")),
     "refers to http://elsewhere.example/types.xsd, which the package doesn't hold. Nothing is fetched"),
    ("a local file", changed(schema=schema().replace(
        "https://www.xbrl.org/dtr/type/2022-03-31/types.xsd", "file:///etc/passwd")), "refers to file:///etc/passwd"),
    ("a remote label", changed(labels=Year(2026).labels().replace("coast.xsd#", "http://a.example/coast.xsd#", 1)),
     "refers to http://a.example/coast.xsd"),
    ("a catalog that leads out", changed(catalog=Year(2026).catalog().replace('"../"', '"/etc/"')), "leads out of"),
    ("steps out", changed(catalog=Year(2026).catalog().replace('"../"', '"../../../"')), "is missing"),
    ("entities", changed(labels='<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><a/>'), "declares entities"),
    ("broken", changed(labels="<link:linkbase"), "It is broken"),
    ("a circle", changed(shown=shown_circle()), "It shows something as a part of itself: coast:IncomeHeading → "
     "coast:Fuel → coast:IncomeHeading"),
    ("a schema that isn't valid", changed(schema=schema().replace(
        'periodType="duration" xbrli:balance="debit" nillable="true"/>',
        'periodType="sometimes" xbrli:balance="debit" nillable="true"/>')),
     "Item coast:Wages must have a valid periodType"),
]  # fmt: skip


APART = ("several missing", "a circle", "a schema that isn't valid")
"""Those that only the validator's own process finds, and one whose words come from there."""


@pytest.mark.parametrize(("title", "data", "words"), REFUSED, ids=[one[0] for one in REFUSED])
def test_what_is_no_whole_package_is_refused_in_words(title, data, words):
    with pytest.raises(RulkaError) as refused:
        if title in APART:
            read_apart(data, "strange.zip")
        opened = open_package(data, "strange.zip")
        check_references(opened, opened.entry(""))
    assert words in str(refused.value)


def test_a_zip_that_unpacks_to_too_much_is_refused():
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("x/META-INF/taxonomyPackage.xml", b" " * 300_000_000)
    with pytest.raises(RulkaError, match="would unpack to"):
        open_package(buffer.getvalue(), "bomb.zip")


def test_files_outside_of_the_zip_are_refused():
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("x/../../evil.xsd", "<a/>")
    with pytest.raises(RulkaError, match="a file outside of itself"):
        open_package(buffer.getvalue(), "evil.zip")


def test_several_entry_points_ask_which_one():
    entry = '<tp:entryPoint><tp:name>Other</tp:name><tp:entryPointDocument href="http://a.example/b"/></tp:entryPoint>'
    data = changed(about=Year(2026).package().replace("</tp:entryPoints>", f"{entry}</tp:entryPoints>"))
    opened = open_package(data, "two.zip")
    with pytest.raises(RulkaError, match="It has 2 entry points: 'Annual accounts 2026', 'Other'"):
        opened.entry("")
    with pytest.raises(RulkaError, match="no entry point 'Third'"):
        opened.entry("Third")
    check_references(opened, opened.entry("Annual accounts 2026"))


def test_standards_are_known_and_nothing_else():
    assert is_standard("http://www.xbrl.org/2003/xbrl-instance-2003-12-31.xsd")
    assert not is_standard("http://www.xbrl.org/../../../../etc/passwd")
    assert not is_standard("file:///etc/passwd") and not is_standard("http://www.xbrl.org/nowhere.xsd")
