"""How a text file looks, style by style, held against its folio's master: what differs, and what was chosen for it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final, Literal

Choice = Literal["keep", "take"]
CHOICES: Final[Mapping[Choice, str]] = {"keep": "keep the section's", "take": "take the master's"}
ABOUT: Final[Mapping[str, str]] = {
    "font": "font", "size": "size", "bold": "bold", "italic": "italic", "colour": "colour",
    "before": "space before", "after": "space after", "line": "line spacing", "align": "alignment",
    "indent": "indent", "shade": "shading", "borders": "borders",
}  # fmt: skip
"""What is compared of a style, and what people call it."""


@dataclass(frozen=True)
class StyleLooks:
    """A file's looks, everything inherited and every theme font resolved: styles by name, each as settings to texts;
    `parts` are headers, footers, paper and margins (or a slide master's own)."""

    styles: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    parts: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Difference:
    """One thing in which a file differs from the master: a style, or a part of its furniture."""

    key: str
    what: str
    aspects: tuple[tuple[str, str, str], ...]
    """(aspect, the section's, the master's)"""

    @property
    def told(self) -> str:
        """`size 19 pt, master 17 pt`."""
        return "; ".join(
            f"{name} {own or 'none'}, master {master or 'none'}".strip() for name, own, master in self.aspects
        )


def differences(own: StyleLooks, master: StyleLooks) -> list[Difference]:
    """What of a file's looks is otherwise in the master. A style that the master doesn't have differs as a whole."""
    return [*_of_styles(own, master), *_of_parts(own, master)]


def _of_styles(own: StyleLooks, master: StyleLooks) -> Iterator[Difference]:
    for name, looks in own.styles.items():
        if name not in master.styles:
            yield Difference(f"style:{name}", name, (("", "own style", "has none"),))
            continue
        theirs = master.styles[name]
        aspects = tuple(
            (ABOUT[aspect], looks.get(aspect, ""), theirs.get(aspect, ""))
            for aspect in ABOUT
            if looks.get(aspect, "") != theirs.get(aspect, "")
        )
        if aspects:
            yield Difference(f"style:{name}", name, aspects)


def _of_parts(own: StyleLooks, master: StyleLooks) -> Iterator[Difference]:
    for name in own.parts:
        if own.parts[name] != master.parts.get(name, ""):
            yield Difference(f"part:{name}", name, (("", own.parts[name], master.parts.get(name, "")),))


def undecided(found: list[Difference], chosen: Mapping[str, str]) -> list[Difference]:
    """The differences for which nobody has chosen yet."""
    return [one for one in found if chosen.get(one.key) not in CHOICES]
