"""How cost grows with the number of lines: `python -m bench.growth --most 10000000`, which draws `docs/growth.svg`.

For 100 thousand, 1 million, 10 million lines: a first load, a process's first look at the ledger, a statement of one
node, the journal's first page. Milliseconds, on axes whose steps are tenfold.
"""

from __future__ import annotations

import argparse
import json
import math
import os
import subprocess
import sys
import tempfile
from pathlib import Path

from bench.intake import load_alone, migrate, write_ledger

LOOKS = """
import json, time, django
django.setup()
from rulka.core.books.fence import NO_FENCE
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.ledger.models import Ledger
from rulka.ledger.reading.journal import Journal, JournalFilter
from rulka.ledger.reading.queries import view_of

def taken(run, times=3):
    best = None
    for _ in range(times):
        before = time.perf_counter()
        run()
        spent = (time.perf_counter() - before) * 1000
        best = spent if best is None else min(best, spent)
    return best

ledger = Ledger.objects.get(code="bench")
before = time.perf_counter()
view = view_of(ledger, NO_FENCE)
view.balances("actual")
first = (time.perf_counter() - before) * 1000
lines = [{"line": f"Line {at}", "accounts": f"{1000 + 5 * at} to {1004 + 5 * at}"} for at in range(60)]
spans = [{"column": name, "window": window} for name, window in (("now", "period"), ("year", "year to date"))]
made = statement_from(
    {"statement": "s", "spine": "s", "span": "s"}, spine_from({"spine": "s", "covers": "nothing", "lines": lines}),
    span_from({"span": "s", "columns": spans}), None,
)
at = view.frame.calendar.period("2025-P11")
run_statement(made, view, at)
print(json.dumps([first, taken(lambda: run_statement(made, view, at)),
                  taken(lambda: Journal(view, ledger, JournalFilter()).page())]))
"""
NAMES = ("first load", "first look of a process", "statement of one node", "first page of the journal")
COLOURS = ("#20292b", "#1f5a4d", "#8a5d10", "#a43a2c")


def measure(folder: Path, lines: int) -> tuple[list[float], float]:
    """Milliseconds of each of NAMES, and the load's memory in MB."""
    var = folder / f"var{lines}"
    migrate(var)
    write_ledger(folder / f"ledger{lines}", lines)
    _, seconds, memory = load_alone(var, folder / f"ledger{lines}")
    env = {**os.environ, "RULKA_VAR": str(var), "DATABASE_URL": "", "DJANGO_SETTINGS_MODULE": "rulka.web.settings"}
    done = subprocess.run([sys.executable, "-c", LOOKS], env=env, check=True, capture_output=True, text=True)
    return [seconds * 1000, *json.loads(done.stdout.splitlines()[-1])], memory


def drawn(found: dict[int, list[float]]) -> str:
    """The chart: lines along, milliseconds up, both in tenfold steps."""
    wide, high, left, below = 640, 360, 70, 46
    first, last = math.log10(min(found)), math.log10(max(found))
    top = math.ceil(math.log10(max(max(row) for row in found.values())))

    def x(lines: int) -> float:
        return left + (math.log10(lines) - first) / max(last - first, 1) * (wide - left - 190)

    def y(taken: float) -> float:
        return 20 + (top - math.log10(max(taken, 1))) / top * (high - below - 20)

    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide} {high}" font-family="sans-serif" font-size="12">'
    ]
    for power in range(top + 1):
        label = f"{10**power:,} ms" if power < 3 else f"{10 ** (power - 3):,} s"
        parts.append(
            f'<line x1="{left}" x2="{wide - 190}" y1="{y(10**power):.0f}" y2="{y(10**power):.0f}" stroke="#cfc7b4"/>'
        )
        parts.append(f'<text x="{left - 8}" y="{y(10**power) + 4:.0f}" text-anchor="end" fill="#505856">{label}</text>')
    for lines in found:
        parts.append(f'<text x="{x(lines):.0f}" y="{high - 20}" text-anchor="middle" fill="#505856">{lines:,}</text>')
    middle = f'x="{(left + wide - 190) / 2:.0f}" y="{high - 4}" text-anchor="middle"'
    parts.append(f'<text {middle} fill="#505856">journal lines</text>')
    for at, (name, colour) in enumerate(zip(NAMES, COLOURS, strict=True)):
        points = " ".join(f"{x(lines):.1f},{y(row[at]):.1f}" for lines, row in found.items())
        parts.append(f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="2"/>')
        end = found[max(found)][at]
        parts.append(f'<text x="{wide - 182}" y="{y(end) + 4:.0f}" fill="{colour}">{name}</text>')
    return "\n".join([*parts, "</svg>\n"])


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--most", type=int, default=1_000_000)
    parser.add_argument("--out", type=Path, default=Path("docs/growth.svg"))
    asked = parser.parse_args()
    found: dict[int, list[float]] = {}
    print("| lines | " + " | ".join(NAMES) + " | memory of the load |\n|---" + "|---:" * (len(NAMES) + 1) + "|")
    lines = 100_000
    while lines <= asked.most:
        with tempfile.TemporaryDirectory(prefix="rulka-growth-") as name:
            found[lines], memory = measure(Path(name), lines)
        told = " | ".join(f"{taken / 1000:,.1f} s" if taken >= 1000 else f"{taken:.0f} ms" for taken in found[lines])
        print(f"| {lines:,} | {told} | {memory:,.0f} MB |", flush=True)
        lines *= 10
    asked.out.write_text(drawn(found))


if __name__ == "__main__":
    main()
