"""Many sections as one PDF, drawn by several processes side by side, a bounded number of sections each, and joined."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from io import BytesIO
from itertools import accumulate, pairwise
from pathlib import Path
from typing import TYPE_CHECKING

from rulka.core.later import later

if TYPE_CHECKING:
    import pikepdf
else:
    pikepdf = later("pikepdf")

MANY = 12
"""Sections from which several processes are quicker than one."""
AT_ONCE = 20
"""Sections that one process draws, so that memory stays flat."""
MOST_PROBED = 6
"""Lengths of sections that are drawn once before, to know how many pages they take."""
ROOT = Path(__file__).parents[3]

Write = Callable[[Sequence[int], int, int], str]
"""The web page of some sections (by their places), when its first page has this number, and all have so many."""


@dataclass
class _Drawn:
    """Some sections on paper, with the numbers that they were drawn for."""

    places: list[int]
    start: int
    total: int
    data: bytes
    pages: list[int]


def draw_many(write: Write, lengths: Sequence[int], titles: Sequence[str]) -> bytes:
    """All sections on paper. Page numbers are guessed by each section's length, of which one is drawn before; what was
    guessed wrongly is drawn again."""
    lanes = min(os.cpu_count() or 1, 4)
    counts = _guessed(write, lengths)
    rounds = -(-len(lengths) // (lanes * AT_ONCE))  # each process draws as much as the others
    ends = [len(lengths) * at // (rounds * lanes) for at in range(rounds * lanes + 1)]
    parts = [list(range(start, end)) for start, end in pairwise(ends) if start < end]
    drawn: list[_Drawn | None] = [None] * len(parts)
    with ThreadPoolExecutor(lanes) as pool:
        for _ in range(3):  # as guessed; with what is known then; nothing may be left after that
            begins, total = [0, *accumulate(counts)], sum(counts)
            wanted = [
                at for at, (part, one) in enumerate(zip(parts, drawn, strict=True))
                if one is None or (one.start, one.total) != (begins[part[0]] + 1, total)
            ]  # fmt: skip
            if not wanted:
                break
            made = pool.map(lambda at: _draw(write, parts[at], begins[parts[at][0]] + 1, total), wanted)  # noqa: B023
            for at, one in zip(wanted, made, strict=True):
                drawn[at] = one
            counts = [pages for one in drawn if one is not None for pages in one.pages]
        else:
            raise RuntimeError("The sections take other numbers of pages each time they are drawn.")
    return _joined([one for one in drawn if one is not None], titles, begins)


def _guessed(write: Write, lengths: Sequence[int]) -> list[int]:
    """How many pages each section takes, as one of its length does, or the nearest of those that were looked at."""
    samples = {length: place for place, length in enumerate(lengths)}
    looked = sorted(samples)
    if len(looked) > MOST_PROBED:
        looked = [looked[at * (len(looked) - 1) // (MOST_PROBED - 1)] for at in range(MOST_PROBED)]
    pages = dict(zip(looked, _draw(write, [samples[length] for length in looked], 1, 1).pages, strict=True))
    return [pages[min(looked, key=lambda one: abs(one - length))] for length in lengths]


def _draw(write: Write, places: list[int], start: int, total: int) -> _Drawn:
    with tempfile.TemporaryDirectory(prefix="rulka-paper-") as folder:
        page, paper = Path(folder) / "page.html", Path(folder) / "paper.pdf"
        page.write_text(write(places, start, total), encoding="utf-8")
        done = subprocess.run(
            [sys.executable, "-m", "rulka.formats.output.drawn_apart", str(page), str(paper)],
            cwd=ROOT, check=True, capture_output=True, text=True,
        )  # fmt: skip
        return _Drawn(places, start, total, paper.read_bytes(), json.loads(done.stdout.splitlines()[-1]))


def _joined(drawn: Sequence[_Drawn], titles: Sequence[str], begins: Sequence[int]) -> bytes:
    """All pages behind each other, with the outline and the properties that one drawing would have."""
    with pikepdf.new() as whole:
        opened = [pikepdf.open(BytesIO(one.data)) for one in drawn]
        for one in opened:
            whole.pages.extend(one.pages)
        with whole.open_outline() as outline:
            for title, begin in zip(titles, begins, strict=False):
                if title:
                    outline.root.append(pikepdf.OutlineItem(title, begin))
        for name, value in opened[0].docinfo.items():
            whole.docinfo[name] = str(value)
        whole.Root.Lang = "en"
        buffer = BytesIO()
        whole.save(buffer, object_stream_mode=pikepdf.ObjectStreamMode.generate)
        for one in opened:
            one.close()
        return buffer.getvalue()
