"""Mutants: the proof, the fence and the seal wholly, and a sample of what computes, each changed in one place. A change
that neither the type checker nor a test notices survives: it gets a test, or a reason in `mutants.toml`.

`make mutants` makes them anew and runs them; `python -m tests.mutants --report` reads the last run again, `--again`
tries only what survived it, and what changed since: what a test noticed once is noticed.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import re
import shutil
import subprocess
import sys
import time
import tomllib
from bisect import bisect_right
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from difflib import unified_diff
from fnmatch import fnmatchcase
from pathlib import Path

ROOT = Path(__file__).parent.parent
MADE = ROOT / "mutants"
CHECKED = ("rulka/core/proof", "rulka/core/books", "rulka/core/compute")
SAMPLED = "rulka/core/compute/"
SAMPLE, SEED = 300, 27
SURVIVED, UNTESTED, LEFT_OUT, REFUSED = 0, 33, 34, 37
"""Codes by which the tool keeps how a mutant ended; of these the last two are set here."""
ENDED = {1: "by a test", 3: "by a test", REFUSED: "by the types", SURVIVED: "not", UNTESTED: "not"}
ENVIRONMENT = {
    **os.environ, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}", "RULKA_TESTS": "few",
    "HYPOTHESIS_PROFILE": "steady",
}  # fmt: skip


@dataclass(frozen=True)
class Survivor:
    """A mutant that nothing noticed: the function, and its changed lines as a diff has them."""

    name: str
    function: str
    change: str

    @property
    def is_wording(self) -> bool:
        """Whether only the letters of a sentence differ: nothing reads those but people, and tests name what they
        mean."""
        was, now = (
            "\n".join(line[1:] for line in self.change.split("\n") if line.startswith(sign)) for sign in ("-", "+")
        )
        changed = [text for text in re.findall(r'"[^"]*"', now) if text not in was]
        return bool(changed) and all(" " in text for text in changed) and _letters(was) == _letters(now)


def _letters(text: str) -> str:
    return text.replace("XX", "").casefold()


@dataclass(frozen=True)
class Reason:
    """Why mutants survive: those of functions that fit a pattern whose change fits an expression."""

    function: str
    change: str
    why: str

    def fits(self, survivor: Survivor) -> bool:
        return fnmatchcase(survivor.function, self.function) and re.search(self.change, survivor.change) is not None


def main() -> None:
    arguments = argparse.ArgumentParser(description=__doc__)
    arguments.add_argument("--report", action="store_true", help="read the last run again")
    arguments.add_argument("--again", action="store_true", help="try what survived the last run with the tests of now")
    asked = arguments.parse_args()
    if not asked.report:
        began = time.monotonic()
        if asked.again:
            forget_survivors()
        else:
            shutil.rmtree(MADE, ignore_errors=True)
        make()
        leave_out()
        subprocess.run(["mutmut", "run"], cwd=ROOT, env=ENVIRONMENT, check=True)
        print(f"{(time.monotonic() - began) / 60:.0f} minutes")
    sys.exit(1 if report() else 0)


def forget_survivors() -> None:
    """Forget how those ended that nothing noticed, and which tests reach what."""
    for path, ends in kept():
        keep_ends(path, {name: None if end in (SURVIVED, UNTESTED) else end for name, end in ends.items()})
    (MADE / "mutmut-stats.json").unlink(missing_ok=True)


def make() -> None:
    """Make all mutants, and find the tests that reach each function; one of them is run on the way."""
    subprocess.run(
        ["mutmut", "run", "rulka.core.books.fence.x__plain__mutmut_1"], cwd=ROOT, env=ENVIRONMENT, check=True
    )


def leave_out() -> None:
    """Set how those end that need no run: what the type checker refuses, and what the sample leaves out."""
    refused = refused_by_types()
    computing = sorted(name for path, ends in kept() if str(path).startswith(SAMPLED) for name in ends)
    sample = set(random.Random(SEED).sample(computing, SAMPLE))
    for path, ends in kept():
        for name in ends:
            if str(path).startswith(SAMPLED) and name not in sample:
                ends[name] = LEFT_OUT
            elif name in refused:
                ends[name] = REFUSED
        keep_ends(path, ends)


def kept() -> Iterator[tuple[Path, dict[str, int | None]]]:
    """Each changed file with its mutants and how they ended."""
    for file in sorted((MADE / "rulka").rglob("*.py.meta")):
        yield file.relative_to(MADE).with_suffix(""), json.loads(file.read_text())["exit_code_by_key"]


def keep_ends(path: Path, ends: Mapping[str, int | None]) -> None:
    """Write how the mutants of a file ended, as the tool keeps it."""
    file = MADE / f"{path}.meta"
    file.write_text(json.dumps({**json.loads(file.read_text()), "exit_code_by_key": ends}))


def functions(path: Path) -> dict[str, ast.FunctionDef]:
    """The functions of a made file that are one mutant each, or as they were, by their names."""
    body = ast.parse((MADE / path).read_text()).body
    every = [*body, *(inner for node in body if isinstance(node, ast.ClassDef) for inner in node.body)]
    return {node.name: node for node in every if isinstance(node, ast.FunctionDef) and "__mutmut_" in node.name}


def refused_by_types() -> set[str]:
    """The mutants in which the type checker finds an error."""
    told = subprocess.run(
        ["mypy", *CHECKED, "--output", "json"], cwd=MADE, env=ENVIRONMENT, capture_output=True, text=True, check=False
    )
    lines: dict[str, set[int]] = defaultdict(set)
    for text in told.stdout.splitlines():
        error = json.loads(text)
        if error["severity"] == "error" and error["code"] != "unused-ignore":
            lines[error["file"]].add(error["line"])
    if not lines:
        raise SystemExit(f"The type checker found nothing in any mutant, which can't be: {told.stderr or told.stdout}")
    refused = set()
    for path, errors in lines.items():
        spans = sorted((node.lineno, node.end_lineno or 0, name) for name, node in functions(Path(path)).items())
        for line in errors:
            at = bisect_right(spans, (line, sys.maxsize, "")) - 1
            if at >= 0 and line <= spans[at][1]:
                refused.add(f"{path.removesuffix('.py').replace('/', '.')}.{spans[at][2]}")
    return refused


def report() -> list[Survivor]:
    """Print how the mutants ended, by file; the survivors without a reason, which are given back."""
    reasons = [Reason(**each) for each in tomllib.loads((ROOT / "tests/mutants.toml").read_text()).get("reason", [])]
    survivors, whole = [], Counter[str]()
    for path, ends in kept():
        count = Counter(ENDED.get(end, "by time") for end in ends.values() if end not in (LEFT_OUT, None))
        whole += count
        if count:
            print(
                f"{str(path).removeprefix('rulka/core/'):28}"
                + "".join(f"{what} {n:5}  " for what, n in sorted(count.items()))
            )
        names = [name for name, end in ends.items() if end in (SURVIVED, UNTESTED)]
        survivors += changes(path, names)
    wording = sum(survivor.is_wording for survivor in survivors)
    left = [one for one in survivors if not one.is_wording and not any(reason.fits(one) for reason in reasons)]
    for survivor in left:
        print(f"\n{survivor.name}\n{survivor.change}")
    count = whole.total()
    noticed = count - whole["not"]
    print(f"\n{count:,} mutants: noticed {noticed:,}, {noticed / max(count, 1):.1%}", dict(whole))
    given = len(survivors) - len(left) - wording
    print(f"{len(survivors):,} survived: {wording:,} in words only, {given:,} with a reason, {len(left):,} without")
    for reason in reasons:
        if not any(reason.fits(survivor) for survivor in survivors):
            print(f"A reason that fits none any more: {reason}")
    return left


def changes(path: Path, names: list[str]) -> Iterator[Survivor]:
    """The mutants of a file with what changed in each."""
    if not names:
        return
    text, found = (MADE / path).read_text(), functions(path)
    for name in names:
        module, _, own = name.rpartition(".")
        stem = re.sub(r"__mutmut_\d+$", "", own)
        was, now = (lines_of(text, found[each]) for each in (f"{stem}__mutmut_orig", own))
        change = [
            line
            for line in unified_diff(was, now, lineterm="", n=0)
            if line[0] in "+-" and line[:3] not in ("+++", "---")
        ]
        plain = re.sub("^xǁ|^x_", "", stem).replace("ǁ", ".")
        yield Survivor(name, f"{module}.{plain}", "\n".join(change))


def lines_of(text: str, node: ast.FunctionDef) -> list[str]:
    """The lines of a function below its head."""
    return text.split("\n")[node.body[0].lineno - 1 : node.end_lineno]


if __name__ == "__main__":
    main()
