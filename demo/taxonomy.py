"""The made-up taxonomy of the made-up Saltmarch Registry, to which Ternwick Ferries files its accounts once a year: one
package for each year, the same bytes on every machine. The second year renames two concepts and adds one."""

from __future__ import annotations

import io
import sys
import zipfile
from collections.abc import Iterator, Mapping
from html import escape
from pathlib import Path
from typing import Final

HOST: Final = "http://registry.saltmarch.example"
HEADER: Final = '<?xml version="1.0" encoding="UTF-8"?>\n'
MONEY, COUNT, BLOCK = "xbrli:monetaryItemType", "xbrli:nonNegativeIntegerItemType", "dtr-types:textBlockItemType"

# local name: (label, type, period, balance)
BALANCE: Final = {
    "Ships": ("Ships", "debit"),
    "Terminals": ("Terminals", "debit"),
    "Equipment": ("Equipment and systems", "debit"),
    "AccumulatedDepreciation": ("Accumulated depreciation", "credit"),
    "FixedAssets": ("Fixed assets", "debit"),
    "Stock": ("Stock of fuel and goods", "debit"),
    "Receivables": ("Receivables", "debit"),
    "PrepaidCosts": ("Prepaid costs", "debit"),
    "OwedByGroup": ("Owed by group companies", "debit"),
    "Cash": ("Cash and bank", "debit"),
    "CurrentAssets": ("Current assets", "debit"),
    "Assets": ("Assets", "debit"),
    "ShareCapital": ("Share capital", "credit"),
    "Reserves": ("Reserves", "credit"),
    "RetainedEarnings": ("Retained earnings", "credit"),
    "ResultOfTheYear": ("Result of the year, within equity", "credit"),
    "Equity": ("Equity", "credit"),
    "BankLoans": ("Bank loans", "credit"),
    "Leases": ("Leases", "credit"),
    "Payables": ("Payables", "credit"),
    "WagesAndTaxesOwed": ("Wages, social costs and taxes owed", "credit"),
    "DeferredIncome": ("Deferred income", "credit"),
    "OwedToGroup": ("Owed to group companies", "credit"),
    "Overdraft": ("Overdraft", "credit"),
    "Liabilities": ("Liabilities", "credit"),
    "EquityAndLiabilities": ("Equity and liabilities", "credit"),
}
INCOME: Final = {
    "PassengerFares": ("Fares of foot passengers", "credit"),
    "VehicleFares": ("Fares of vehicles", "credit"),
    "FreightFares": ("Fares of freight", "credit"),
    "SeasonCards": ("Season cards", "credit"),
    "ShopIncome": ("Income of shop and galley", "credit"),
    "BerthFees": ("Berth fees from others", "credit"),
    "OtherIncome": ("Other income", "credit"),
    "Income": ("Income", "credit"),
    "Wages": ("Wages and social costs", "debit"),
    "GoodsSold": ("Goods for shop and galley", "debit"),
    "Fuel": ("Fuel", "debit"),
    "PortDues": ("Port dues and berths", "debit"),
    "Upkeep": ("Upkeep and dry-dock", "debit"),
    "Insurance": ("Insurance", "debit"),
    "Marketing": ("Marketing", "debit"),
    "Office": ("Office and systems", "debit"),
    "Depreciation": ("Depreciation", "debit"),
    "RunningCosts": ("Running costs", "debit"),
    "OperatingResult": ("Operating result", "credit"),
    "InterestCost": ("Interest", "debit"),
    "TaxCost": ("Tax", "debit"),
    "Result": ("Result of the year", "credit"),
}
ADDS_UP: Final[Mapping[str, Mapping[str, int]]] = {
    "FixedAssets": {"Ships": 1, "Terminals": 1, "Equipment": 1, "AccumulatedDepreciation": -1},
    "CurrentAssets": {"Stock": 1, "Receivables": 1, "PrepaidCosts": 1, "OwedByGroup": 1, "Cash": 1},
    "Assets": {"FixedAssets": 1, "CurrentAssets": 1},
    "Equity": {"ShareCapital": 1, "Reserves": 1, "RetainedEarnings": 1, "ResultOfTheYear": 1},
    "Liabilities": {"BankLoans": 1, "Leases": 1, "Payables": 1, "WagesAndTaxesOwed": 1, "DeferredIncome": 1,
                    "OwedToGroup": 1, "Overdraft": 1},
    "EquityAndLiabilities": {"Equity": 1, "Liabilities": 1},
    "Income": {"PassengerFares": 1, "VehicleFares": 1, "FreightFares": 1, "SeasonCards": 1, "ShopIncome": 1,
               "BerthFees": 1, "OtherIncome": 1},
    "RunningCosts": {"Wages": 1, "GoodsSold": 1, "Fuel": 1, "PortDues": 1, "Upkeep": 1, "Insurance": 1,
                     "Marketing": 1, "Office": 1, "Depreciation": 1},
    "OperatingResult": {"Income": 1, "RunningCosts": -1},
    "Result": {"OperatingResult": 1, "InterestCost": -1, "TaxCost": -1},
}  # fmt: skip
BY_CROSSING: Final = ("PassengerFares", "VehicleFares", "FreightFares", "SeasonCards", "Sailings")
MEMBERS: Final = {
    "NorthMember": "Northern crossing",
    "IslandsMember": "Islands crossing",
    "SoundMember": "Sound crossing",
}
RENAMED: Final = {"ShopIncome": "ShopAndGalleyIncome", "Office": "OfficeAndSystems"}
"""What the second year calls otherwise."""

ROLES: Final = {"balance": "Balance sheet", "income": "Income statement", "crossings": "Fares by crossing",
                "notes": "Notes in words"}  # fmt: skip


class Year:
    """One year's taxonomy: `files` by their names within the package."""

    def __init__(self, year: int) -> None:
        self.year, self.base = year, f"{HOST}/taxonomy/{year}"
        self.named = RENAMED if year > 2026 else {}

    def concepts(self) -> Iterator[tuple[str, str, str, str, str]]:
        """(local name, label, type, period, balance) of what can be reported."""
        for name, (label, balance) in BALANCE.items():
            yield self.called(name), label, MONEY, "instant", balance
        for name, (label, balance) in INCOME.items():
            yield self.called(name), label, MONEY, "duration", balance
        yield "Sailings", "Sailings", COUNT, "duration", ""
        yield "BasisOfPreparation", "Basis of preparation", BLOCK, "duration", ""
        yield "YearInWords", "The year in words", BLOCK, "duration", ""
        if self.year > 2026:
            yield "Crew", "Crew, full-time equivalents", "xbrli:decimalItemType", "duration", ""

    def called(self, name: str) -> str:
        return self.named.get(name, name)

    def parents(self) -> Iterator[tuple[str, str]]:
        """(local name, label) of headings."""
        yield from ((f"{role.title()}Heading", label) for role, label in ROLES.items())

    def files(self) -> dict[str, str]:
        return {
            "META-INF/taxonomyPackage.xml": self.package(), "META-INF/catalog.xml": self.catalog(),
            "coast.xsd": self.schema(), "coast-label.xml": self.labels(), "coast-presentation.xml": self.presentation(),
            "coast-calculation.xml": self.calculation(), "coast-definition.xml": self.definition(),
        }  # fmt: skip

    def package(self) -> str:
        return (
            f'{HEADER}<tp:taxonomyPackage xmlns:tp="http://xbrl.org/2016/taxonomy-package" xml:lang="en">'
            f"<tp:identifier>{self.base}</tp:identifier><tp:name>Saltmarch Registry, annual accounts</tp:name>"
            f"<tp:description>Made up for the demo of Rulka</tp:description><tp:version>{self.year}</tp:version>"
            f"<tp:publisher>Saltmarch Registry</tp:publisher>"
            f"<tp:entryPoints><tp:entryPoint><tp:name>Annual accounts {self.year}</tp:name>"
            f"<tp:description>Balance sheet, income statement, fares by crossing, notes</tp:description>"
            f'<tp:entryPointDocument href="{self.base}/coast.xsd"/></tp:entryPoint></tp:entryPoints>'
            f"</tp:taxonomyPackage>\n"
        )

    def catalog(self) -> str:
        return (
            f'{HEADER}<catalog xmlns="urn:oasis:names:tc:entity:xmlns:xml:catalog">'
            f'<rewriteURI uriStartString="{self.base}/" rewritePrefix="../"/></catalog>\n'
        )

    def _elements(self) -> str:
        """An element for each concept and heading."""
        item = "".join(
            f'<xsd:element name="{name}" id="coast_{name}" type="{kind}" substitutionGroup="xbrli:item" '
            f'xbrli:periodType="{period}"{f""" xbrli:balance="{balance}" """ if balance else " "}nillable="true"/>\n'
            for name, _, kind, period, balance in self.concepts()
        )
        heading = "".join(
            f'<xsd:element name="{name}" id="coast_{name}" type="xbrli:stringItemType" abstract="true" '
            f'substitutionGroup="xbrli:item" xbrli:periodType="duration" nillable="true"/>\n'
            for name, _ in (*self.parents(), *((one, "") for one in (*MEMBERS, "CrossingDomain")))
        )
        return item + heading

    def schema(self) -> str:
        roles = "".join(
            f'<link:roleType roleURI="{HOST}/role/{role}" id="role_{role}"><link:definition>{label}</link:definition>'
            f"{''.join(f'<link:usedOn>link:{kind}Link</link:usedOn>' for kind in KINDS)}</link:roleType>\n"
            for role, label in ROLES.items()
        )
        books = "".join(
            f'<link:linkbaseRef xlink:type="simple" xlink:arcrole="http://www.w3.org/1999/xlink/properties/linkbase" '
            f'xlink:role="http://www.xbrl.org/2003/role/{kind}LinkbaseRef" xlink:href="coast-{kind}.xml"/>\n'
            for kind in ("label", *KINDS)
        )
        return (
            f'{HEADER}<xsd:schema xmlns:xsd="http://www.w3.org/2001/XMLSchema" xmlns:coast="{self.base}" '
            f'xmlns:xbrli="http://www.xbrl.org/2003/instance" xmlns:link="http://www.xbrl.org/2003/linkbase" '
            f'xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:xbrldt="http://xbrl.org/2005/xbrldt" '
            f'xmlns:dtr-types="http://www.xbrl.org/dtr/type/2022-03-31" '
            f'targetNamespace="{self.base}" elementFormDefault="qualified">\n'
            f"<xsd:annotation><xsd:appinfo>{roles}{books}</xsd:appinfo></xsd:annotation>\n"
            f'<xsd:import namespace="http://www.xbrl.org/2003/instance" '
            f'schemaLocation="http://www.xbrl.org/2003/xbrl-instance-2003-12-31.xsd"/>\n'
            f'<xsd:import namespace="http://xbrl.org/2005/xbrldt" '
            f'schemaLocation="http://www.xbrl.org/2005/xbrldt-2005.xsd"/>\n'
            f'<xsd:import namespace="http://www.xbrl.org/dtr/type/2022-03-31" '
            f'schemaLocation="https://www.xbrl.org/dtr/type/2022-03-31/types.xsd"/>\n'
            f"{self._elements()}"
            f'<xsd:element name="CrossingAxis" id="coast_CrossingAxis" type="xbrli:stringItemType" abstract="true" '
            f'substitutionGroup="xbrldt:dimensionItem" xbrli:periodType="duration" nillable="true"/>\n'
            f'<xsd:element name="CrossingTable" id="coast_CrossingTable" type="xbrli:stringItemType" abstract="true" '
            f'substitutionGroup="xbrldt:hypercubeItem" xbrli:periodType="duration" nillable="true"/>\n'
            f"</xsd:schema>\n"
        )

    def labels(self) -> str:
        named = {name: label for name, label, *_ in self.concepts()} | dict(self.parents()) | MEMBERS
        named |= {"CrossingDomain": "All crossings", "CrossingAxis": "Crossing", "CrossingTable": "Fares by crossing"}
        inside = "".join(
            f"{self.locator(name)}"
            f'<link:label xlink:type="resource" xlink:label="label_{name}" xml:lang="en" '
            f'xlink:role="http://www.xbrl.org/2003/role/label">{escape(label)}</link:label>'
            f'<link:labelArc xlink:type="arc" xlink:arcrole="http://www.xbrl.org/2003/arcrole/concept-label" '
            f'xlink:from="{name}" xlink:to="label_{name}"/>\n'
            for name, label in named.items()
        )
        return linkbase(f'<link:labelLink xlink:type="extended" xlink:role="{STANDARD}">\n{inside}</link:labelLink>')

    def presentation(self) -> str:
        crossing = [self.called(name) for name in BY_CROSSING]
        under = {
            "balance": [self.called(name) for name in BALANCE], "income": [self.called(name) for name in INCOME],
            "crossings": ["CrossingTable", *crossing], "notes": ["BasisOfPreparation", "YearInWords"],
        }  # fmt: skip
        if self.year > 2026:
            under["notes"].append("Crew")
        pairs = {role: [(f"{role.title()}Heading", name, "") for name in names] for role, names in under.items()}
        pairs["crossings"] += [("CrossingTable", "CrossingAxis", ""), ("CrossingAxis", "CrossingDomain", "")]
        pairs["crossings"] += [("CrossingDomain", name, "") for name in MEMBERS]
        arcs = {role: [(*pair[:2], PARENT, "") for pair in found] for role, found in pairs.items()}
        return linkbase("".join(self.link("presentation", role, found) for role, found in arcs.items()))

    def calculation(self) -> str:
        sums = {"balance": BALANCE, "income": INCOME}
        arcs = {
            role: [
                (self.called(total), self.called(part), SUMS, f' weight="{weight}"')
                for total, parts in ADDS_UP.items() if total in names for part, weight in parts.items()
            ]
            for role, names in sums.items()
        }  # fmt: skip
        used = f'<link:arcroleRef xlink:type="simple" arcroleURI="{SUMS}" xlink:href="{SUMS_AT}#summation-item"/>' if (
            SUMS != OLD_SUMS) else ""  # fmt: skip
        return linkbase(used + "".join(self.link("calculation", role, found) for role, found in arcs.items()))

    def definition(self) -> str:
        """Which concepts are reported by crossing."""
        by = "http://xbrl.org/int/dim/arcrole"
        items = [self.called(name) for name in BY_CROSSING]
        arcs = [
            (
                "CrossingsHeading",
                "CrossingTable",
                f"{by}/all",
                ' xbrldt:closed="true" xbrldt:contextElement="scenario"',
            ),
            ("CrossingTable", "CrossingAxis", f"{by}/hypercube-dimension", ""),
            ("CrossingAxis", "CrossingDomain", f"{by}/dimension-domain", ""),
            ("CrossingAxis", "CrossingDomain", f"{by}/dimension-default", ""),
            *(("CrossingDomain", name, f"{by}/domain-member", "") for name in MEMBERS),
            *(("CrossingsHeading", name, f"{by}/domain-member", "") for name in items),
        ]
        names = ("all", "hypercube-dimension", "dimension-domain", "dimension-default", "domain-member")
        used = "".join(
            f'<link:arcroleRef xlink:type="simple" arcroleURI="{by}/{name}" '
            f'xlink:href="http://www.xbrl.org/2005/xbrldt-2005.xsd#{name}"/>\n'
            for name in names
        )
        return linkbase(used + self.link("definition", "crossings", arcs))

    def locator(self, name: str) -> str:
        return f'<link:loc xlink:type="locator" xlink:href="coast.xsd#coast_{name}" xlink:label="{name}"/>'

    def link(self, kind: str, role: str, arcs: list[tuple[str, str, str, str]]) -> str:
        names = dict.fromkeys(name for arc in arcs for name in arc[:2])
        inside = "".join(f"{self.locator(name)}\n" for name in names)
        for at, (above, below, arcrole, more) in enumerate(arcs, 1):
            if arcrole.endswith("dimension-default"):  # a second arc between the same two needs a locator of its own
                inside += f"{self.locator(below)}\n".replace(f'label="{below}"', f'label="default_{below}"')
                below = f"default_{below}"
            inside += (
                f'<link:{kind}Arc xlink:type="arc" xlink:arcrole="{arcrole}" xlink:from="{above}" xlink:to="{below}" '
                f'order="{at}"{more}/>\n'
            )
        return f'<link:{kind}Link xlink:type="extended" xlink:role="{HOST}/role/{role}">\n{inside}</link:{kind}Link>\n'


KINDS: Final = ("presentation", "calculation", "definition")
STANDARD: Final = "http://www.xbrl.org/2003/role/link"
PARENT: Final = "http://www.xbrl.org/2003/arcrole/parent-child"
OLD_SUMS: Final = "http://www.xbrl.org/2003/arcrole/summation-item"
SUMS: Final = "https://xbrl.org/2023/arcrole/summation-item"
SUMS_AT: Final = "https://www.xbrl.org/2023/calculation-1.1.xsd"


def linkbase(inside: str) -> str:
    """A linkbase that says its own roles."""
    roles = "".join(
        f'<link:roleRef xlink:type="simple" roleURI="{HOST}/role/{role}" xlink:href="coast.xsd#role_{role}"/>\n'
        for role in ROLES if f"{HOST}/role/{role}" in inside
    )  # fmt: skip
    return (
        f'{HEADER}<link:linkbase xmlns:link="http://www.xbrl.org/2003/linkbase" '
        f'xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:xbrldt="http://xbrl.org/2005/xbrldt">\n'
        f"{roles}{inside}</link:linkbase>\n"
    )


def package(year: int, **changed: str) -> bytes:
    """A year's package as a .zip; files named in `changed` (`coast_xsd`) say something else."""
    files = Year(year).files()
    files |= {name.replace("_", "-" if name.count("_") == 2 else ".", 1): text for name, text in changed.items()}
    return packed(files, f"saltmarch-{year}")


def packed(files: Mapping[str, str], folder: str) -> bytes:
    """Files as a .zip with one folder on top."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            info = zipfile.ZipInfo(f"{folder}/{name}", (2026, 1, 1, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, text)
    return buffer.getvalue()


def main(folder: Path) -> None:
    """Write both years' packages."""
    folder.mkdir(parents=True, exist_ok=True)
    for year in (2026, 2027):
        (folder / f"saltmarch-{year}.zip").write_bytes(package(year))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
