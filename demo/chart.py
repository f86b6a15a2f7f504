"""Ternwick Ferries' codes: entities, accounts, members, scenarios, suppliers and customers. All made up."""

from __future__ import annotations

ENTITIES = [
    ("TF", "Ternwick Ferries", "EUR", ""),
    ("TQ", "Ternwick Quays", "EUR", ""),
    ("NF", "Norrsund Fraktlinje", "SEK", ""),
]

SHIPS = ["Tern", "Petrel", "Guillemot", "Eider", "Sandpiper"]

# code | name | category | parent; the type follows from the block it stands in
_BLOCKS = {
    "asset": """
1000|Ships|ships|
1010|Ship Tern|ships|1000
1020|Ship Petrel|ships|1000
1030|Ship Guillemot|ships|1000
1040|Ship Eider|ships|1000
1050|Ship Sandpiper|ships|1000
1060|Life-saving gear|ships|1000
1070|Bridge and navigation gear|ships|1000
1080|Ships under construction|ships|1000
1100|Terminals|terminals|
1110|Terminal Ternwick|terminals|1100
1120|Terminal Norrsund|terminals|1100
1130|Terminal Holm|terminals|1100
1140|Quays and ramps|terminals|1100
1150|Car parks|terminals|1100
1160|Land|terminals|1100
1200|Equipment and systems|equipment|
1210|Ticket machines|equipment|1200
1220|Vehicles and cranes|equipment|1200
1230|Galley and shop fittings|equipment|1200
1240|Ticket system|equipment|1200
1250|Office equipment|equipment|1200
1300|Accumulated depreciation|depreciation|
1310|Accumulated depreciation, ships|depreciation|1300
1320|Accumulated depreciation, terminals|depreciation|1300
1330|Accumulated depreciation, equipment|depreciation|1300
1400|Stock|stock|
1410|Marine diesel in tanks|fuel stock|1400
1420|Lubricants in stock|fuel stock|1400
1430|Shop goods|stock|1400
1440|Galley goods|stock|1400
1450|Spare parts|stock|1400
1500|Receivables|receivables|
1510|Freight customers|receivables|1500
1520|Travel agents|receivables|1500
1530|Berth customers|receivables|1500
1540|Other receivables|receivables|1500
1550|Input tax recoverable|receivables|1500
1590|Allowance for doubtful debts|receivables|1500
1600|Prepaid costs|prepaid|
1610|Prepaid insurance|prepaid|1600
1620|Prepaid licences|prepaid|1600
1630|Prepaid rent|prepaid|1600
1700|Owed by group companies|intercompany|
1710|Group current account, owed to us|intercompany|1700
1720|Group loans given|intercompany|1700
1800|Cash and bank|cash and bank|
1810|Bank, current account|cash and bank|1800
1820|Bank, savings account|cash and bank|1800
1830|Card payments on their way|cash and bank|1800
1840|Tills and floats|cash and bank|1800
1850|Cash on the way to the bank|cash and bank|1800
""",
    "liability": """
2000|Bank loans|loans|
2010|Ship mortgage Guillemot|loans|2000
2020|Ship mortgage Eider|loans|2000
2030|Terminal loan|loans|2000
2040|Freight line loan|loans|2000
2100|Leases|leases|
2110|Lease of Sandpiper|leases|2100
2120|Lease of vehicles|leases|2100
2200|Payables|payables|
2210|Suppliers|payables|2200
2220|Invoices not yet received|payables|2200
2230|Interest owed|payables|2200
2240|Refunds owed to passengers|payables|2200
2300|Wages, social costs and taxes owed|wages and taxes|
2310|Net wages owed|wages and taxes|2300
2320|Wage tax withheld|wages and taxes|2300
2330|Social costs owed|wages and taxes|2300
2340|Holiday pay owed|wages and taxes|2300
2350|Income tax owed|tax|2300
2400|Deferred ticket income|deferred ticket income|
2410|Season cards not yet used|deferred ticket income|2400
2420|Gift cards|deferred ticket income|2400
2500|Owed to group companies|intercompany|
2510|Group current account, owed by us|intercompany|2500
2520|Group loans taken|intercompany|2500
2600|Overdraft|cash and bank|
2610|Bank overdraft|cash and bank|2600
""",
    "equity": """
3000|Capital|equity|
3010|Share capital|equity|3000
3020|Share premium|equity|3000
3100|Reserves|equity|
3110|Legal reserve|equity|3100
3120|Fleet renewal reserve|equity|3100
3190|Translation reserve|equity|3100
3200|Earnings kept|equity|
3210|Retained earnings|equity|3200
3220|Dividends|equity|3200
""",
    "revenue": """
4000|Income|income|
4010|Foot passengers, adults|fare income|4000
4020|Foot passengers, children|fare income|4000
4030|Foot passengers, groups|fare income|4000
4040|Bicycles|fare income|4000
4090|Refunds, foot passengers|fare income|4000
4110|Cars|fare income|4000
4120|Vans and campers|fare income|4000
4130|Coaches|fare income|4000
4140|Motorcycles|fare income|4000
4190|Refunds, vehicles|fare income|4000
4210|Lorries|freight income|4000
4220|Trailers without driver|freight income|4000
4230|Dangerous goods supplement|freight income|4000
4240|Mail and parcels|freight income|4000
4310|Season cards, commuters|fare income|4000
4320|Season cards, islanders|fare income|4000
4410|Shop|shop and galley|4000
4420|Galley|shop and galley|4000
4430|Vending machines|shop and galley|4000
4440|Fares sold at the shop till|shop and galley|4000
4510|Berth fees from others|berth fees|4000
4520|Quay services|berth fees|4000
4590|Berth fees from group companies|berth fees|4000
4610|Rent of kiosks|other income|4000
4620|Car park fees|other income|4000
4630|Advertising on board|other income|4000
4640|Gain on sale of equipment|other income|4000
""",
    "expense": """
5000|People and goods|costs|
5010|Wages, permanent crew and staff|wages|5000
5020|Wages, seasonal|wages|5000
5030|Overtime|wages|5000
5040|Holiday pay|wages|5000
5050|Training and certificates|wages|5000
5110|Social costs|wages|5000
5120|Pension costs|wages|5000
5130|Work clothes and canteen|wages|5000
5210|Goods for the shop|goods|5000
5220|Goods for the galley|goods|5000
6000|Operating costs|costs|
6110|Marine diesel|fuel|6000
6120|Lubricants|fuel|6000
6130|Fuel tax returned|fuel|6000
6210|Port dues|port dues|6000
6220|Pilotage and towage|port dues|6000
6230|Waste and water|port dues|6000
6250|Berth fees to group companies|port dues|6000
6310|Upkeep of ships|upkeep|6000
6320|Upkeep of terminals|upkeep|6000
6330|Dry-dock|upkeep|6000
6340|Spare parts used|upkeep|6000
6350|Classification and survey|upkeep|6000
6410|Hull insurance|insurance|6000
6420|Liability insurance|insurance|6000
6430|Property insurance|insurance|6000
6510|Advertising|marketing|6000
6520|Travel agents' commission|marketing|6000
6530|Events and sponsorship|marketing|6000
6610|Rent and leases|office|6000
6620|Electricity and heating|office|6000
6630|Cleaning|office|6000
6640|Travel and meetings|office|6000
6650|Audit and advice|office|6000
6660|Bank and card charges|office|6000
6670|Telephone and post|office|6000
6680|Doubtful debts|office|6000
6710|Ticket system, running costs|IT|6000
6720|Office systems|IT|6000
6730|IT support|IT|6000
6740|Data lines on ships|IT|6000
6815|Shore power|energy|6000
7000|Depreciation|depreciation cost|
7010|Depreciation of ships|depreciation cost|7000
7020|Depreciation of terminals|depreciation cost|7000
7030|Depreciation of equipment|depreciation cost|7000
8000|Interest and tax|financing|
8010|Interest on loans|interest|8000
8020|Interest on leases|interest|8000
8030|Interest on overdraft|interest|8000
8040|Interest received|interest|8000
8050|Interest from group companies|interest|8000
8060|Interest to group companies|interest|8000
8070|Exchange differences|interest|8000
8110|Income tax|tax|8000
8120|Income tax of former years|tax|8000
""",
    "statistical": """
9010|Passengers carried|statistics|
9020|Vehicles carried|statistics|
9030|Sailings|statistics|
9040|Full-time equivalents|statistics|
""",
}
UNITS = {"9010": "passengers", "9020": "vehicles", "9030": "sailings", "9040": "FTE"}
INTERCOMPANY = {"1710", "1720", "2510", "2520", "4590", "6250", "8050", "8060"}

ACCOUNTS = [
    (*line.split("|")[:2], type_, *line.split("|")[2:])
    for type_, block in _BLOCKS.items()
    for line in block.strip().splitlines()
]
TYPE = {code: type_ for code, _, type_, _, _ in ACCOUNTS}

DEPARTMENTS = [
    ("100", "Ships", ""),
    ("110", "Deck", "100"),
    ("120", "Engine", "100"),
    ("130", "Galley and shop", "100"),
    ("200", "Shore", ""),
    ("210", "Ticketing", "200"),
    ("220", "Terminals", "200"),
    ("230", "Quay crew", "200"),
    ("300", "Upkeep", ""),
    ("310", "Fleet workshop", "300"),
    ("320", "Buildings", "300"),
    ("400", "Office", ""),
    ("410", "Finance", "400"),
    ("420", "People", "400"),
    ("430", "Management", "400"),
]
CROSSINGS = [("N", "North"), ("I", "Islands"), ("S", "Sound")]
SCENARIOS = [
    ("actual", "Actual", "actual"),
    ("budget", "Budget", "budget"),
    ("revised-budget", "Revised budget FY2027", "budget"),
    ("forecast", "Forecast FY2027", "forecast"),
]

COUNTERPARTIES = {
    "K001": ("Northpier Bunkers", "supplier", "Pier road 4, Norrsund"),
    "K002": ("Sound Oil", "supplier", "Tank yard 1, Holm"),
    "K003": ("Ternwick Port Office", "authority", "Harbour square 2, Ternwick"),
    "K004": ("Holm Slipway", "supplier", "Slip lane 9, Holm"),
    "K005": ("Coast Mutual", "insurer", "Lantern street 21, Ternwick"),
    "K006": ("Brightside Print and Post", "supplier", "Market row 7, Ternwick"),
    "K007": ("Gullwing Systems", "supplier", "Mill hill 3, Norrsund"),
    "K008": ("Larder and Galley Supply", "supplier", "Quay store 12, Ternwick"),
    "K009": ("Kelp Power", "supplier", "Weir road 1, Norrsund"),
    "K010": ("Anchor Audit", "supplier", "Church lane 5, Ternwick"),
    "K011": ("Skerry Cleaning", "supplier", "Rope walk 8, Ternwick"),
    "K012": ("Rivet and Weld Works", "supplier", "Dock road 30, Holm"),
    "K101": ("Norrsund Timber", "customer", "Saw yard 2, Norrsund"),
    "K102": ("Fjell Dairy", "customer", "Valley road 44, Norrsund"),
    "K103": ("Island Grocers", "customer", "Green 1, Holm"),
    "K104": ("Stonecutters' Union", "customer", "Quarry road 6, Norrsund"),
    "K105": ("Lindholm Paper", "customer", "River bend 10, Norrsund"),
    "K106": ("Mail and Parcel Service", "customer", "Station square 3, Ternwick"),
    "K201": ("Saltmarsh Cruises", "customer", "Outer mole 1, Ternwick"),
    "K202": ("Gravel Coasters", "customer", "Gravel quay 5, Holm"),
    "K301": ("Ternwick Savings Bank", "bank", "Market row 1, Ternwick"),
}

# name, entity, department, monthly wage in whole units of the entity's currency, seasonal
CREW = [
    *(
        (name, "TF", "110", 3650 + 35 * place, False)
        for place, name in enumerate(
            [
                "A. Marren",
                "B. Oske",
                "C. Tolland",
                "D. Vey",
                "E. Harrow",
                "F. Quist",
                "G. Pell",
                "H. Sund",
                "I. Brae",
                "J. Corran",
                "K. Noll",
                "L. Ferren",
            ]
        )
    ),
    *(
        (name, "TF", "120", 3900 + 40 * place, False)
        for place, name in enumerate(
            ["M. Dray", "N. Ilver", "O. Tamm", "P. Wick", "Q. Renno", "R. Stell", "S. Aske", "T. Moorin"]
        )
    ),
    *(
        (name, "TF", "130", 2750 + 25 * place, False)
        for place, name in enumerate(["U. Lorne", "V. Bask", "W. Eddo", "X. Fenn", "Y. Carrow"])
    ),
    *(
        (name, "TF", "210", 2950 + 30 * place, False)
        for place, name in enumerate(["Z. Hale", "A. Tirre", "B. Nesk", "C. Orrin", "D. Malt"])
    ),
    *(
        (name, "TF", "310", 3350 + 45 * place, False)
        for place, name in enumerate(["E. Sorrel", "F. Krane", "G. Ushant", "H. Dunn"])
    ),
    *(
        (name, "TF", dept, wage, False)
        for name, dept, wage in (
            ("I. Vellow", "410", 4300),
            ("J. Asker", "410", 3600),
            ("K. Thole", "420", 3900),
            ("L. Garron", "430", 7800),
            ("M. Estry", "430", 6200),
        )
    ),
    *(
        (name, "TF", dept, 2600, True)
        for name, dept in (
            ("N. Sands", "110"),
            ("O. Reef", "110"),
            ("P. Holt", "110"),
            ("Q. Dale", "130"),
            ("R. Linn", "130"),
            ("S. Mosse", "130"),
            ("T. Wade", "210"),
        )
    ),
    *(
        (name, "TQ", dept, wage, False)
        for name, dept, wage in (
            ("U. Crane", "220", 3050),
            ("V. Ledge", "220", 3000),
            ("W. Stone", "220", 2950),
            ("X. Pier", "230", 3100),
            ("Y. Mole", "230", 3050),
            ("Z. Ramp", "230", 2900),
            ("A. Brick", "320", 3300),
            ("B. Slate", "320", 3150),
            ("C. Till", "410", 4100),
        )
    ),
    *(
        (name, "NF", dept, wage, False)
        for name, dept, wage in (
            ("D. Alm", "110", 36500),
            ("E. Bjork", "110", 36100),
            ("F. Dahl", "110", 35400),
            ("G. Ek", "120", 39800),
            ("H. Fors", "120", 39100),
            ("I. Gran", "230", 33900),
            ("J. Holm", "410", 41500),
            ("K. Lind", "430", 58000),
        )
    ),
]

# entity, asset account, cost in major units, life in months, depreciation account, accumulated account, department,
# months in use at start
REGISTER = [
    ("TF", "1010", 6_200_000, 300, "7010", "1310", "110", 190),
    ("TF", "1020", 7_400_000, 300, "7010", "1310", "110", 140),
    ("TF", "1030", 11_800_000, 300, "7010", "1310", "110", 75),
    ("TF", "1040", 12_600_000, 300, "7010", "1310", "110", 50),
    ("TF", "1050", 4_900_000, 240, "7010", "1310", "110", 60),
    ("TF", "1060", 640_000, 120, "7010", "1310", "110", 40),
    ("TF", "1070", 910_000, 120, "7010", "1310", "110", 55),
    ("TF", "1210", 380_000, 84, "7030", "1330", "210", 30),
    ("TF", "1230", 450_000, 96, "7030", "1330", "130", 36),
    ("TF", "1240", 720_000, 72, "7030", "1330", "210", 12),
    ("TF", "1250", 160_000, 60, "7030", "1330", "410", 10),
    ("TQ", "1110", 5_600_000, 480, "7020", "1320", "220", 150),
    ("TQ", "1120", 3_900_000, 480, "7020", "1320", "220", 120),
    ("TQ", "1130", 2_700_000, 480, "7020", "1320", "220", 96),
    ("TQ", "1140", 3_300_000, 360, "7020", "1320", "230", 100),
    ("TQ", "1150", 800_000, 240, "7020", "1320", "220", 60),
    ("TQ", "1220", 560_000, 120, "7030", "1330", "230", 45),
    ("NF", "1050", 78_000_000, 300, "7010", "1310", "110", 90),
    ("NF", "1220", 6_400_000, 120, "7030", "1330", "230", 30),
]
