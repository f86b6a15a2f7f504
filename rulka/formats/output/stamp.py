"""What every file that leaves says of where it comes from: in its properties, and by a short code in its foot."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Stamp:
    """A file's code, and what it is of: statement, node, period, revision, and digests of definitions and figures."""

    code: str
    facts: tuple[tuple[str, str], ...]

    @property
    def line(self) -> str:
        """The foot of a page."""
        return f"Origin {self.code}: {', '.join(f'{name.lower()} {text}' for name, text in self.facts)}"

    @property
    def as_mapping(self) -> dict[str, str]:
        return {"code": self.code, **{name.lower(): text for name, text in self.facts}}
