"""A web page of many sections as paper, in a process of its own: `python -m ... drawn_apart PAGE PAPER`.

Tells how many pages each section takes, by the anchors `s0`, `s1` ... at their beginnings, as a JSON list.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path


def main(page: Path, paper: Path) -> None:
    from weasyprint import HTML

    document = HTML(string=page.read_text(encoding="utf-8")).render()
    begins: dict[str, int] = {}
    for at, one in enumerate(document.pages):
        for name in one.anchors:
            begins.setdefault(name, at)  # a section that goes on bears its name again
    starts = [begins[f"s{number}"] for number in range(len(begins))]
    document.write_pdf(paper)
    print(json.dumps([end - start for start, end in zip(starts, [*starts[1:], len(document.pages)], strict=True)]))


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
