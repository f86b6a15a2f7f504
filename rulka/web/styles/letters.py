"""The widths of the letters of the shipped font, written down for the core: `python -m rulka.web.styles.letters`."""

import json
from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

WEIGHTS = (400, 600)
TOGETHER = 14
FONT = Path(__file__).parents[1] / "static" / "fonts" / "source-sans-3.woff2"
WRITTEN = Path(__file__).parents[2] / "core" / "picturing" / "letters.py"
HEAD = '''"""How wide each letter of the shipped font is, in thousandths of its size, by weight. Written by
`python -m rulka.web.styles.letters`."""

WIDTHS: dict[int, dict[str, int]] = {
'''


def widths_of(weight: int) -> dict[str, int]:
    """The width of each letter that the font has, in thousandths of its size, at one of its weights."""
    font = instantiateVariableFont(TTFont(FONT), {"wght": weight})
    assert font["head"].unitsPerEm == 1000, "widths are told in thousandths"
    return {chr(code): font["hmtx"][name][0] for code, name in sorted(font.getBestCmap().items()) if code >= 32}


def written() -> str:
    """The module that holds the widths, letters of one width together."""
    parts = [HEAD]
    for weight in WEIGHTS:
        by_width: dict[int, list[str]] = {}
        for letter, width in widths_of(weight).items():
            by_width.setdefault(width, []).append(letter)
        parts.append(f"    {weight}: {{\n")
        for width, letters in sorted(by_width.items()):
            for first in range(0, len(letters), TOGETHER):
                some = json.dumps("".join(letters[first : first + TOGETHER]))
                parts.append(f"        **dict.fromkeys({some}, {width}),\n")
        parts.append("    },\n")
    return "".join([*parts, "}\n"])


if __name__ == "__main__":
    WRITTEN.write_text(written(), "utf-8")
