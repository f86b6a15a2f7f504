"""Writes the demo ledger of Ternwick Ferries: `ledger/` and the later `news/`, the same bytes for the same
arguments."""

from __future__ import annotations

import argparse
import csv
import itertools
import json
from collections.abc import Iterable, Sequence
from contextlib import ExitStack
from datetime import date, timedelta
from pathlib import Path
from random import Random

from demo import chart, plan
from demo.journal import Journal, Line
from demo.plan import Month

SEED = 20231
DEFAULT_LINES = 60_000
LINES_OF_ONE_TILL, LINES_OF_A_FURTHER_TILL = 63_900, 27_600
OUTAGE = (date(2026, 5, 4), date(2026, 5, 24))
FUEL_JUMP = 1.17
CENT = 100

# planted amounts in cents, documented in docs/demo-data.md
DRY_DOCK_OVERRUN = 1.40
BERTH_GAP = 1_240_000
PENDING_PORT_DUES, PENDING_INSURANCE = 1_860_000, 925_000
LATE_INVOICE = 2_748_000
TIMETABLE_INVOICE, TIMETABLE_CORRECTED = 1_118_400, 118_400
SHORE_POWER = {(2026, 9): 1_316_000, (2026, 10): 1_402_500}

OPENING = {
    "TF": {
        "1160": 0,
        "1410": 186_000,
        "1420": 21_000,
        "1430": 74_000,
        "1440": 38_000,
        "1450": 265_000,
        "1520": 92_000,
        "1810": 1_950_000,
        "1820": 600_000,
        "1840": 24_000,
        "2010": -5_300_000,
        "2020": -6_900_000,
        "2110": -2_100_000,
        "2210": -410_000,
        "2340": -190_000,
        "2410": -395_000,
        "2420": -28_000,
        "3010": -4_000_000,
        "3020": -2_500_000,
        "3110": -400_000,
        "3120": -1_200_000,
    },
    "TQ": {
        "1160": 1_900_000,
        "1530": 64_000,
        "1810": 720_000,
        "2030": -3_600_000,
        "2210": -85_000,
        "3010": -3_000_000,
        "3110": -300_000,
    },
    "NF": {
        "1510": 3_900_000,
        "1810": 9_400_000,
        "2040": -18_000_000,
        "2210": -2_700_000,
        "3010": -20_000_000,
        "3110": -2_000_000,
    },
}
"""Amounts brought forward by entity and account, whole units, debit positive."""


class Generator:
    """Keeps the books month by month; every random figure comes from one seeded stream."""

    def __init__(self, journal: Journal, tills: int) -> None:
        self.journal, self.tills = journal, tills
        self.random = Random(SEED)
        self.due: list[tuple[date, str, str, str, int, bool]] = []
        self.taxed: dict[str, int] = {}
        self.full_time: dict[tuple[str, str], int] = {}
        self._result_before: dict[str, int] = {}
        self._year_start: dict[str, int] = {}
        self._wrong_lines: list[tuple[str, int]] = []
        self.weekly: dict[tuple[str, str], int] = {}

    def noise(self, spread: float) -> float:
        """A factor around one; the mean of three draws, so that extremes are rare."""
        return 1 + spread * (self.random.random() + self.random.random() + self.random.random() - 1.5) / 1.5

    def run(self) -> None:
        self._opening()
        for month in plan.months(plan.START, plan.LAST):
            for day in month.days:
                self._tickets(month, day)
                if day.weekday() == 0:
                    self._week(month, day)
                self._settle(day)
            self._month(month)
            if (month.year, month.month) == (2024, 3):
                self._closing_entries(month)
        self._pending()

    def split(self, cents: int, parts: int) -> list[int]:
        """Cut an amount into parts that add up to it again."""
        cuts = sorted(round(cents * (place + 0.6 * self.random.random()) / parts) for place in range(1, parts))
        edges = [0, *(min(cut, cents) for cut in cuts), cents]
        return [after - before for before, after in itertools.pairwise(edges)]

    # at the beginning -----------------------------------------------------------------------------------------------

    def _opening(self) -> None:
        own: dict[str, list[Line]] = {"TF": [], "TQ": [], "NF": []}
        for entity, asset, cost, life, _, accumulated, _, used in chart.REGISTER:
            own[entity].append(Line(asset, cost * CENT))
            own[entity].append(Line(accumulated, -(cost * CENT * used // life)))
        for entity, amounts in OPENING.items():
            lines = own[entity] + [Line(account, amount * CENT) for account, amount in amounts.items()]
            if entity == "TF":
                lines.append(Line("1720", 80_000_000, partner="TQ"))
            if entity == "TQ":
                lines.append(Line("2520", -80_000_000, partner="TF"))
            lines.append(Line("3210", -sum(line.cents for line in lines)))
            self.journal.post(
                entity,
                "general",
                plan.START,
                "Balances brought forward",
                lines,
                kind="opening",
                document="OPENING-2023",
            )

    # day by day -----------------------------------------------------------------------------------------------------

    def _tickets(self, month: Month, day: date) -> None:
        outage = OUTAGE[0] <= day <= OUTAGE[1]
        weekend = 1.25 if day.weekday() >= 5 else 0.9
        for crossing, share in plan.CROSSING_SHARE.items():
            level = share * month.season * month.growth * weekend * self.noise(0.14) / len(month.days)
            fares = {
                account: max(0, round(amount * CENT * level * self.noise(0.06)))
                for account, amount in plan.FARES.items()
            }
            if outage:
                for account in ("4110", "4120", "4130", "4140"):
                    fares[account] = round(fares[account] * 0.64)
            fares["4090"] = -round(fares["4010"] * 0.011 * self.noise(0.5))
            fares["4190"] = -round(fares["4110"] * 0.008 * self.noise(0.5))
            self._count(month, crossing, level, outage)
            self._weekly(day == month.last or day.weekday() == 6, crossing, fares)
            for till in range(1, self.tills + 1):
                self._till(day, crossing, till, fares, outage)
            if day == month.last or day.weekday() == 6:
                self._counted(day, crossing)
        self._onboard(month, day, weekend)

    def _weekly(self, now: bool, crossing: str, fares: dict[str, int]) -> None:
        """What sells little is cashed up once a week."""
        for account in ("4030", "4040", "4130", "4140", "4090", "4190"):
            kept = self.weekly.get((crossing, account), 0) + fares.pop(account)
            if now:
                fares[account] = kept
            self.weekly[crossing, account] = 0 if now else kept

    def _till(self, day: date, crossing: str, till: int, fares: dict[str, int], outage: bool) -> None:
        def part(cents: int) -> int:
            return cents * till // self.tills - cents * (till - 1) // self.tills

        lines = []
        foot_at_shop = 0
        for account, cents in fares.items():
            if outage and account in ("4010", "4020", "4030"):
                foot_at_shop += part(cents)
            else:
                lines.append(Line(account, -part(cents), "210", crossing))
        taken = -sum(line.cents for line in lines)
        cash = round(taken * 0.12)
        name = {"N": "North", "I": "Islands", "S": "Sound"}[crossing]
        lines += [Line("1830", taken - cash), Line("1840", cash)]
        place = f", till {till}" if self.tills > 1 else ""
        self.journal.post(
            "TF", "tickets", day, f"Tickets {name}{place}", lines, document=f"Z-{crossing}{day:%y%m%d}-{till}"
        )
        if foot_at_shop:
            self.journal.post(
                "TF",
                "tickets",
                day,
                f"Fares taken on board, {name}{place}",
                [Line("1840", foot_at_shop), Line("4440", -foot_at_shop, "130", crossing)],
                document=f"B-{crossing}{day:%y%m%d}-{till}",
            )

    def _count(self, month: Month, crossing: str, level: float, outage: bool) -> None:
        runs = (
            plan.sailings(month, crossing)
            + (1 if self.random.random() < 0.04 else 0)
            - (1 if self.random.random() < 0.06 else 0)
        )
        carried = level * len(month.days) / month.growth
        counts = {"9010": round(1_250 * carried), "9020": round(330 * carried * (0.64 if outage else 1)), "9030": runs}
        for account, count in counts.items():
            self.weekly[crossing, account] = self.weekly.get((crossing, account), 0) + count

    def _counted(self, day: date, crossing: str) -> None:
        lines = [
            Line(account, self.weekly.pop((crossing, account)) * CENT, "110", crossing)
            for account in ("9010", "9020", "9030")
        ]
        self.journal.post(
            "TF", "tickets", day, "Counted since the last count", lines, document=f"C-{crossing}{day:%y%m%d}"
        )

    def _onboard(self, month: Month, day: date, weekend: float) -> None:
        level = month.season * month.growth * weekend * self.noise(0.16) / len(month.days)
        lines = [
            Line(account, -round(amount * CENT * level * self.noise(0.08)), "130")
            for account, amount in plan.ONBOARD.items()
        ]
        taken = -sum(line.cents for line in lines)
        cash = round(taken * 0.3)
        lines += [Line("1830", taken - cash), Line("1840", cash)]
        self.journal.post("TF", "tickets", day, "Shop and galley", lines, document=f"S-{day:%y%m%d}")

    def _week(self, month: Month, day: date) -> None:
        cards, cash = self.journal.of("TF", "1830"), self.journal.of("TF", "1840") - 2_400_000
        if cards > 0:
            fee = round(cards * 0.0085)
            self.journal.post(
                "TF",
                "bank",
                day,
                "Card payments received",
                [Line("1810", cards - fee), Line("6660", fee, "410"), Line("1830", -cards)],
                party="K301",
                document=f"CARD-{day:%y%m%d}",
            )
        if cash > 0:
            self.journal.post(
                "TF",
                "bank",
                day,
                "Tills paid in",
                [Line("1810", cash), Line("1840", -cash)],
                party="K301",
                document=f"CASH-{day:%y%m%d}",
            )
        self._bunkers(month, day)
        self._freight(month, day)
        if day.day <= 7:
            cents = round(41_000 * CENT * month.season * month.growth * self.noise(0.1))
            self._sale(
                "TQ",
                day,
                "K201" if month.month % 2 else "K202",
                "Berth fees",
                [("4510", "220", "-", cents), ("4520", "230", "-", round(850_000 * month.growth * self.noise(0.1)))],
                "1530",
            )

    def _bunkers(self, month: Month, day: date) -> None:
        price = FUEL_JUMP if day >= date(2026, 6, 1) else 1.0
        supplier = "K001" if day.day <= 14 else "K002"
        runs = len(month.days) / sum(1 for other in month.days if other.weekday() == 0)
        for crossing, per_sailing in plan.FUEL_PER_SAILING.items():
            cents = round(
                per_sailing * CENT * runs * plan.sailings(month, crossing) * month.growth * price * self.noise(0.05)
            )
            self._purchase("TF", day, supplier, "Marine diesel", [Line("6110", cents, "120", crossing)])
        if day.day <= 7:
            back = round(self.noise(0.2) * 900_000 * month.season)
            self.journal.post(
                "TF",
                "bank",
                day,
                "Fuel tax returned",
                [Line("1810", back), Line("6130", -back, "120")],
                document=f"FT-{day:%y%m}",
            )

    def _freight(self, month: Month, day: date) -> None:
        customers = ["K101", "K102", "K103", "K104", "K105"]
        weeks = len(month.days) / 7
        for place, customer in enumerate(customers):
            share = (0.31, 0.22, 0.19, 0.16, 0.12)[place] * month.growth * self.noise(0.12) / weeks
            sold = [
                (account, "230", "N", round(plan.FREIGHT_SEK[account] * CENT * share))
                for account in ("4210", "4220", "4230")
            ]
            self._sale("NF", day, customer, "Freight", sold, "1510")
        if day.day <= 7:
            self._sale(
                "NF",
                day,
                "K106",
                "Mail and parcels",
                [("4240", "230", "N", round(plan.FREIGHT_SEK["4240"] * CENT * month.growth * self.noise(0.08)))],
                "1510",
            )

    def _sale(
        self,
        entity: str,
        day: date,
        customer: str,
        text: str,
        sold: Iterable[tuple[str, str, str, int]],
        receivable: str,
    ) -> None:
        lines = [Line(account, -cents, department, crossing) for account, department, crossing, cents in sold]
        total = -sum(line.cents for line in lines)
        document = f"S{day:%y%m%d}-{customer[1:]}"
        self.journal.post(
            entity,
            "receivables",
            day,
            f"{text}, {chart.COUNTERPARTIES[customer][0]}",
            [Line(receivable, total), *lines],
            document=document,
            party=customer,
        )
        self.due.append(
            (day + timedelta(days=30 + int(self.random.random() * 15)), entity, customer, document, total, True)
        )

    def _purchase(self, entity: str, day: date, supplier: str, text: str, lines: list[Line]) -> None:
        total = sum(line.cents for line in lines)
        document = f"I-{int(1000 + self.random.random() * 9000)}"
        self.journal.post(
            entity,
            "payables",
            day,
            f"{chart.COUNTERPARTIES[supplier][0]}, {text}",
            [*lines, Line("2210", -total)],
            document=document,
            party=supplier,
        )
        self.due.append((day + timedelta(days=30), entity, supplier, document, total, False))

    def _settle(self, day: date) -> None:
        ready = [item for item in self.due if item[0] <= day]
        self.due = [item for item in self.due if item[0] > day]
        for _, entity, party, document, cents, received in ready:
            control = ("1530" if entity == "TQ" else "1510") if received else "2210"
            lines = (
                [Line("1810", cents), Line(control, -cents)]
                if received
                else [Line("2210", cents), Line("1810", -cents)]
            )
            self.journal.post(
                entity,
                "bank",
                day,
                f"{'Received' if received else 'Paid'} {document}",
                lines,
                document=document,
                party=party,
            )

    # month by month -------------------------------------------------------------------------------------------------

    def _month(self, month: Month) -> None:
        self._payroll(month)
        self._invoices(month)
        self._insurance(month)
        self._dry_docks(month)
        self._season_cards(month)
        self._group(month)
        self._assets(month)
        self._staff_count(month)
        self._finance(month)
        self._tax(month)
        self._treasury(month)

    def _payroll(self, month: Month) -> None:
        self._pay_runs(month)
        if (month.year, month.month) == (2026, 9):
            self._move_wrong_run()
        for entity in ("TF", "TQ", "NF"):
            self._pay_out(entity, month)

    def _pay_runs(self, month: Month) -> None:
        """The wages of each department; one run of 2026 stands in a wrong one."""
        pay_day = date(month.year, month.month, 25)
        groups: dict[tuple[str, str], list[tuple[str, int, bool]]] = {}
        for person, entity, department, cents, seasonal in plan.crew_pay(month):
            groups.setdefault((entity, department), []).append((person, cents, seasonal))
        for (entity, department), people in groups.items():
            wrong = (month.year, month.month, entity, department) == (2026, 8, "TF", "110")
            booked = "410" if wrong else department
            lines = [
                Line("5020" if seasonal else "5010", cents, booked, text=f"Wages, {person}")
                for person, cents, seasonal in people
            ]
            overtime = (
                round(sum(cents for _, cents, _ in people) * 0.045 * month.season * self.noise(0.4))
                if department in ("110", "120")
                else 0
            )
            lines.append(Line("5030", overtime, booked))
            gross = sum(line.cents for line in lines)
            tax = round(gross * 0.27)
            social, pension = round(gross * plan.SOCIAL), round(gross * plan.PENSION)
            lines += [Line("5110", social, booked), Line("5120", pension, booked)]
            lines += [Line("2310", -(gross - tax)), Line("2320", -tax), Line("2330", -(social + pension))]
            run = f"PAY-{month.year}-{month.month:02d}-{department}"
            self.journal.post(entity, "payroll", pay_day, f"Pay run, department {booked}", lines, document=run)
            if wrong:
                self._wrong_lines = [(line.account, line.cents) for line in lines if line.department == "410"]

    def _move_wrong_run(self) -> None:
        sums: dict[str, int] = {}
        for account, cents in self._wrong_lines:
            sums[account] = sums.get(account, 0) + cents
        lines = [Line(a, c, "110") for a, c in sums.items()] + [Line(a, -c, "410") for a, c in sums.items()]
        text = "Deck pay run of August moved from Finance to Deck"
        self.journal.post("TF", "general", date(2026, 9, 8), text, lines, document="GJ-2026-117")

    def _pay_out(self, entity: str, month: Month) -> None:
        """What is owed from pay runs leaves the bank."""
        net = -self.journal.of(entity, "2310")
        lines = [Line("2310", net), Line("1810", -net)]
        day = date(month.year, month.month, 28)
        self.journal.post(entity, "bank", day, "Net wages paid", lines, party="K301", document=f"PAYOUT-{month.code}")
        owed = [(account, -self.journal.of(entity, account)) for account in ("2320", "2330")]
        lines = [Line(account, cents) for account, cents in owed] + [Line("1810", -sum(cents for _, cents in owed))]
        self.journal.post(
            entity, "bank", month.last, "Wage tax and social costs paid", lines, document=f"LEVY-{month.code}"
        )

    def _invoices(self, month: Month) -> None:
        for entity, account, department, crossing, supplier, cents, falls, seasonal in plan.PURCHASES:
            total = round(plan.purchase(month, cents, falls, seasonal) * self.noise(0.09))
            parts = 3 if account in ("6310", "5210", "5220", "6320") else 1
            for place, part in enumerate(self.split(total, parts) if total else []):
                day = date(month.year, month.month, 6 + 7 * place)
                name = next(row[1] for row in chart.ACCOUNTS if row[0] == account)
                self._purchase(entity, day, supplier, name, [Line(account, part, department, crossing)])
        if (month.year, month.month) in SHORE_POWER:
            self._purchase(
                "TF",
                date(month.year, month.month, 24),
                "K009",
                "Shore power",
                [Line("6815", SHORE_POWER[month.year, month.month], "120")],
            )

    def _insurance(self, month: Month) -> None:
        for entity, account, department, yearly in plan.PREMIUMS:
            if month.month == 4:
                self._purchase(entity, date(month.year, 4, 3), "K005", "Premium for the year", [Line("1610", yearly)])
            self.journal.post(
                entity,
                "general",
                month.last,
                "Insurance of the month",
                [Line(account, yearly // 12, department), Line("1610", -(yearly // 12))],
                document=f"INS-{month.code}",
            )

    def _dry_docks(self, month: Month) -> None:
        for year, falls_in, ship, cents in plan.DRY_DOCKS:
            year, falls_in = (2026, 9) if ship == "Eider" else (year, falls_in)
            if (year, falls_in) == (month.year, month.month):
                cost = round(cents * DRY_DOCK_OVERRUN) if ship == "Guillemot" else round(cents * self.noise(0.03))
                for place, part in enumerate(self.split(cost, 4)):
                    self._purchase(
                        "TF",
                        date(year, falls_in, 4 + 6 * place),
                        "K004",
                        f"Dry-dock, ship {ship}, part {place + 1}",
                        [Line("6330", part, "310")],
                    )

    def _season_cards(self, month: Month) -> None:
        yearly = sum(plan.SEASON_CARDS.values()) * 12 * CENT * month.growth
        share = {3: 0.34, 4: 0.22, 5: 0.08, 9: 0.1}.get(month.month, 0.26 / 8)
        sold = round(yearly * share * self.noise(0.05))
        self.journal.post(
            "TF",
            "tickets",
            month.days[9],
            "Season cards sold",
            [Line("1810", sold), Line("2410", -sold)],
            document=f"SC-{month.code}",
        )
        lines = [
            Line(account, -round(amount * CENT * month.growth * self.noise(0.03)), "210")
            for account, amount in plan.SEASON_CARDS.items()
        ]
        lines.append(Line("2410", -sum(line.cents for line in lines)))
        self.journal.post("TF", "general", month.last, "Season cards used up", lines, document=f"SCU-{month.code}")

    def _group(self, month: Month) -> None:
        """What entities of the group book with each other, and the quay's rents."""
        fee = round(plan.BERTH_FEE * CENT * month.growth * self.noise(0.02) / 100) * 100
        self._berths(month, fee)
        owed = -self.journal.of("TF", "2510") - fee
        if owed > 0:
            self._settled(month, owed)
        interest = 80_000_000 * 3 // 100 // 12
        for entity, lines in (
            ("TF", [Line("1810", interest), Line("8050", -interest, "410", partner="TQ")]),
            ("TQ", [Line("8060", interest, "410", partner="TF"), Line("1810", -interest)]),
        ):
            self.journal.post(
                entity, "general", month.last, "Interest on group loan", lines, document=f"GI-{month.code}"
            )
        rent, parking = 920_000, round(2_100_000 * month.season * month.growth * self.noise(0.07))
        lines = [Line("1810", rent + parking), Line("4610", -rent, "220"), Line("4620", -parking, "220")]
        self.journal.post("TQ", "receivables", month.last, "Kiosks and car parks", lines, document=f"KP-{month.code}")

    def _berths(self, month: Month, fee: int) -> None:
        """Berth fees as the quay bills and as the ferries book them: in one month they are apart."""
        billed = fee + (BERTH_GAP if (month.year, month.month) == (2026, 10) else 0)
        document = f"BF-{month.code}"
        lines = [Line("1710", billed, partner="TF"), Line("4590", -billed, "220", partner="TF")]
        self.journal.post("TQ", "receivables", month.last, "Berth fees, Ternwick Ferries", lines, document=document)
        lines = [Line("6250", fee, "110", partner="TQ"), Line("2510", -fee, partner="TQ")]
        self.journal.post("TF", "payables", month.last, "Berth fees, Ternwick Quays", lines, document=document)

    def _settled(self, month: Month, owed: int) -> None:
        for entity, lines in (
            ("TF", [Line("2510", owed, partner="TQ"), Line("1810", -owed)]),
            ("TQ", [Line("1810", owed), Line("1710", -owed, partner="TF")]),
        ):
            self.journal.post(
                entity, "bank", month.days[14], "Group account settled", lines, document=f"GS-{month.code}"
            )

    def _assets(self, month: Month) -> None:
        by_entity: dict[str, list[Line]] = {}
        for entity, expense, accumulated, department, cents in plan.depreciation(month):
            by_entity.setdefault(entity, []).extend([Line(expense, cents, department), Line(accumulated, -cents)])
        for entity, lines in by_entity.items():
            self.journal.post(
                entity, "fixed assets", month.last, "Depreciation by the register", lines, document=f"FA-{month.code}"
            )

    def _staff_count(self, month: Month) -> None:
        now: dict[tuple[str, str], int] = {}
        for _, entity, department, _, _ in plan.crew_pay(month):
            now[entity, department] = now.get((entity, department), 0) + 1
        for place in sorted(set(now) | set(self.full_time)):
            moved = now.get(place, 0) - self.full_time.get(place, 0)
            self.journal.post(
                place[0],
                "payroll",
                month.last,
                "Full-time equivalents",
                [Line("9040", moved * CENT, place[1])],
                document=f"FTE-{month.code}",
            )
        self.full_time = now

    def _finance(self, month: Month) -> None:
        for (entity, loan), rate in plan.INTEREST.items():
            interest = round(-self.journal.of(entity, loan) * rate / 12)
            paid = {"2010": 3_200_000, "2020": 3_900_000, "2030": 1_250_000, "2040": 11_000_000}[loan]
            lines = [Line("8010", interest, "410"), Line(loan, paid), Line("1810", -(interest + paid))]
            self.journal.post(
                entity,
                "bank",
                month.last,
                "Loan instalment and interest",
                lines,
                party="K301",
                document=f"LN-{loan}-{month.code}",
            )
        lease = round(-self.journal.of("TF", "2110") * 0.05 / 12)
        self.journal.post(
            "TF",
            "bank",
            month.last,
            "Lease of Sandpiper",
            [Line("8020", lease, "410"), Line("2110", 2_400_000), Line("1810", -(lease + 2_400_000))],
            document=f"LS-{month.code}",
        )
        drawn = -self.journal.of("TF", "2610")
        if drawn > 0:
            cost = round(drawn * 0.08 / 12)
            self.journal.post(
                "TF",
                "bank",
                month.last,
                "Interest on overdraft",
                [Line("8030", cost, "410"), Line("1810", -cost)],
                party="K301",
                document=f"OD-{month.code}",
            )

    def _tax(self, month: Month) -> None:
        for entity in ("TF", "TQ", "NF"):
            first = month.number == 1
            so_far = -sum(
                cents
                for (owner, account, *_), cents in self.journal.result.items()
                if owner == entity and not account.startswith("81")
            )
            if first:
                self._year_start[entity] = self._result_before.get(entity, 0)
                self.taxed[entity] = 0
            profit = so_far - self._year_start[entity]
            wanted = max(0, round(profit * 0.22))
            step = wanted - self.taxed[entity]
            self.taxed[entity] = wanted
            self._result_before[entity] = so_far
            self.journal.post(
                entity,
                "general",
                month.last,
                "Income tax on the result so far",
                [Line("8110", step, "410"), Line("2350", -step)],
                document=f"TAX-{month.code}",
            )
            owed = -self.journal.of(entity, "2350")
            if month.month in (6, 9, 12, 3) and owed > 0:
                self.journal.post(
                    entity,
                    "bank",
                    month.last,
                    "Income tax paid on account",
                    [Line("2350", owed), Line("1810", -owed)],
                    document=f"TAXP-{month.code}",
                )

    def _treasury(self, month: Month) -> None:
        """Keep the banks sensible: draw or repay the overdraft, save, and pay dividends in June."""
        bank, drawn = self.journal.of("TF", "1810"), -self.journal.of("TF", "2610")
        if bank < 15_000_000:
            draw = (20_000_000 - bank) // 100_000 * 100_000
            self.journal.post(
                "TF",
                "bank",
                month.last,
                "Overdraft drawn",
                [Line("1810", draw), Line("2610", -draw)],
                party="K301",
                document=f"ODD-{month.code}",
            )
        elif drawn and bank > 60_000_000:
            back = min(drawn, bank - 40_000_000)
            self.journal.post(
                "TF",
                "bank",
                month.last,
                "Overdraft repaid",
                [Line("2610", back), Line("1810", -back)],
                party="K301",
                document=f"ODR-{month.code}",
            )
        for entity, keep in (("TF", 150_000_000), ("TQ", 60_000_000), ("NF", 900_000_000)):
            spare = self.journal.of(entity, "1810") - keep
            if month.month in (9, 11) and spare > 0:
                paid = spare * 2 // 3 // 100_000 * 100_000
                self.journal.post(
                    entity,
                    "bank",
                    month.last,
                    "Dividend paid",
                    [Line("3220", paid), Line("1810", -paid)],
                    party="K301",
                    document=f"DIV-{month.code}",
                )

    # at the end of a year, and the planted loose ends ---------------------------------------------------------------

    def _closing_entries(self, month: Month) -> None:
        """FY2024 is closed by entries, key by key, as its source did; later years are not."""
        for entity in ("TF", "TQ", "NF"):
            lines, kept = [], {}
            for (owner, account, department, crossing, partner), cents in sorted(self.journal.result.items()):
                if owner == entity and cents:
                    lines.append(Line(account, -cents, department, crossing, partner=partner))
                    kept[department, crossing] = kept.get((department, crossing), 0) + cents
            lines += [
                Line("3210", cents, department, crossing) for (department, crossing), cents in sorted(kept.items())
            ]
            before = dict(self.journal.result)
            self.journal.post(
                entity, "general", month.last, "Year-end close FY2024", lines, kind="closing", document="CLOSE-FY2024"
            )
            self.journal.result = before  # the tax goes on by year from the running result

    def _pending(self) -> None:
        day = date(2026, 10, 31)
        self.journal.post(
            "TF",
            "general",
            day,
            "Port dues of October not yet invoiced",
            [Line("6210", PENDING_PORT_DUES, "110", "I"), Line("2220", -PENDING_PORT_DUES)],
            status="pending",
            document="ACC-2026-44",
            party="K003",
            number="TF-GE2610-P001",
        )
        self.journal.post(
            "TF",
            "general",
            day,
            "Insurance true-up",
            [Line("6410", PENDING_INSURANCE, "110"), Line("2220", -PENDING_INSURANCE)],
            status="pending",
            document="ACC-2026-45",
            party="K005",
            number="TF-GE2610-P002",
        )
        self.journal.post(
            "TF",
            "payables",
            date(2026, 10, 6),
            "Brightside Print and Post, autumn timetable",
            [Line("6510", TIMETABLE_INVOICE, "430"), Line("2210", -TIMETABLE_INVOICE)],
            document="I-8802",
            party="K006",
            number="TF-PA2610-N001",
        )


def write_table(path: Path, header: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        writer.writerows(rows)


def write_master_data(folder: Path) -> None:
    settings = {
        "name": "Ternwick Ferries group",
        "group_currency": "EUR",
        "calendar": {"first_month": 4, "year_label": "end", "first_year": 2024, "last_year": 2027},
        "retained_earnings": "3210",
        "translation_reserve": "3190",
        "dimensions": ["department", "crossing"],
    }
    (folder / "ledger.json").write_text(json.dumps(settings, indent=2) + "\n", encoding="utf-8")
    write_table(folder / "entities.csv", ("code", "name", "currency", "parent"), chart.ENTITIES)
    write_table(
        folder / "accounts.csv",
        ("code", "name", "type", "category", "parent", "unit", "intercompany"),
        [
            (code, name, type_, category, parent, chart.UNITS.get(code, ""), int(code in chart.INTERCOMPANY))
            for code, name, type_, category, parent in chart.ACCOUNTS
        ],
    )
    members = [("department", *row) for row in chart.DEPARTMENTS] + [
        ("crossing", code, name, "") for code, name in chart.CROSSINGS
    ]
    write_table(folder / "members.csv", ("dimension", "code", "name", "parent"), members)
    write_table(folder / "scenarios.csv", ("code", "name", "kind"), chart.SCENARIOS)
    write_table(
        folder / "counterparties.csv",
        ("code", "name", "kind", "address"),
        [(code, *row) for code, row in chart.COUNTERPARTIES.items()],
    )
    write_table(folder / "rates.csv", ("period", "from", "to", "average", "closing"), _rates())


def _rates() -> Iterable[tuple[str, str, str, str, str]]:
    random = Random(SEED + 1)
    level = 11.25
    for month in plan.months(plan.START, plan.LAST):
        former, level = level, min(11.9, max(10.7, level + 0.16 * (random.random() - 0.5)))
        average = (former + level) / 2
        yield month.code, "EUR", "SEK", f"{average:.4f}", f"{level:.4f}"
        yield month.code, "SEK", "EUR", f"{1 / average:.6f}", f"{1 / level:.6f}"
    for month in plan.months(date(2026, 11, 1), plan.PLANNED_TO):  # plans are translated as the year stands now
        yield month.code, "EUR", "SEK", f"{level:.4f}", f"{level:.4f}"
        yield month.code, "SEK", "EUR", f"{1 / level:.6f}", f"{1 / level:.6f}"


def write_budgets(folder: Path) -> None:
    def rows() -> Iterable[tuple[str, ...]]:
        for month in plan.months(plan.START, plan.PLANNED_TO):
            scenarios = {"budget": 1.0}
            if month.fiscal_year == 2027:
                scenarios |= {"revised-budget": 1.02, "forecast": 1.0}
            for scenario, factor in scenarios.items():
                sums: dict[tuple[str, str, str, str], int] = {}
                for entity, account, department, crossing, cents in plan.planned(month):
                    fuel = FUEL_JUMP if scenario == "forecast" and account == "6110" and month.number >= 3 else 1.0
                    value = round(cents * (factor if account >= "5000" and account < "9000" else 1.0) * fuel)
                    key = (entity, account, department, crossing)
                    sums[key] = sums.get(key, 0) + value
                for (entity, account, department, crossing), cents in sums.items():
                    yield (
                        scenario,
                        entity,
                        account,
                        department,
                        crossing,
                        month.code,
                        f"{'-' if cents < 0 else ''}{abs(cents) // 100}.{abs(cents) % 100:02d}",
                        "",
                    )

    write_table(
        folder / "budgets.csv",
        ("scenario", "entity", "account", "department", "crossing", "period", "amount", "note"),
        rows(),
    )


def write_news(folder: Path) -> None:
    """The second load: the late July invoice, and two entries corrected at the source."""
    write_master_data(folder)
    with (folder / "entries.csv").open("w", encoding="utf-8", newline="") as file:
        journal = Journal(file)
        stamp = "2026-11-05T09:12:00+00:00"
        journal.post(
            "TF",
            "payables",
            date(2026, 7, 29),
            "Rivet and Weld Works, bow door hydraulics of Petrel",
            [Line("6310", LATE_INVOICE, "310"), Line("2210", -LATE_INVOICE)],
            document="I-7741",
            party="K012",
            number="TF-PA2607-L001",
            modified=stamp,
        )
        journal.post(
            "TF",
            "general",
            date(2026, 10, 31),
            "Port dues of October not yet invoiced",
            [Line("6210", PENDING_PORT_DUES, "110", "S"), Line("2220", -PENDING_PORT_DUES)],
            status="pending",
            document="ACC-2026-44",
            party="K003",
            number="TF-GE2610-P001",
            modified=stamp,
        )
        journal.post(
            "TF",
            "payables",
            date(2026, 10, 6),
            "Brightside Print and Post, autumn timetable",
            [Line("6510", TIMETABLE_CORRECTED, "430"), Line("2210", -TIMETABLE_CORRECTED)],
            document="I-8802",
            party="K006",
            number="TF-PA2610-N001",
            modified=stamp,
        )


def generate(out: Path, lines: int = DEFAULT_LINES) -> int:
    """Write `out/ledger` and `out/news`; returns the journal lines of the first. More lines come from more tills."""
    tills = 1 + max(0, round((lines - LINES_OF_ONE_TILL) / LINES_OF_A_FURTHER_TILL))
    for name in ("ledger", "news"):
        (out / name).mkdir(parents=True, exist_ok=True)
    write_master_data(out / "ledger")
    write_budgets(out / "ledger")
    with ExitStack() as stack:
        file = stack.enter_context((out / "ledger" / "entries.csv").open("w", encoding="utf-8", newline=""))
        journal = Journal(file)
        Generator(journal, tills).run()
    write_news(out / "news")
    return journal.lines


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path)
    parser.add_argument("--lines", type=int, default=DEFAULT_LINES, help="about how many journal lines")
    arguments = parser.parse_args()
    print(f"{generate(arguments.out, arguments.lines)} journal lines in {arguments.out / 'ledger'}")


if __name__ == "__main__":
    main()
