"""What tests of filings share: the demo's annual return, its people, and what they do with it."""

from __future__ import annotations

import json
from typing import Any

import yaml
from django.urls import reverse

from rulka.core.books.fence import NO_FENCE
from rulka.filings.library.storing import TEXTS
from rulka.filings.models import Filing
from rulka.filings.running.reading import FilingReading
from tests.conftest import ROOT
from tests.folios.world import person, signed_in, text_of

RETURN = "annual-return"
DEMO = yaml.safe_load((ROOT / "demo" / "filings" / "annual-return.yaml").read_text())
__all__ = ["DEMO", "RETURN", "address", "filing", "judged_now", "person", "post", "reading", "signed_in", "text_of",
           "with_line", "with_text"]  # fmt: skip


def filing(name: str = RETURN) -> Filing:
    return Filing.objects.select_related("ledger", "shelf").get(name=name)


def reading(period: str = "", name: str = RETURN) -> FilingReading:
    """A filing as a command for nobody reads it."""
    return FilingReading(filing(name), NO_FENCE, None, period)


def address(name: str = "filing", *arguments: Any, **asked: str) -> str:
    query = "&".join(f"{key}={value}" for key, value in {"ledger": "ternwick", **asked}.items())
    own = [] if name in ("filings", "load-taxonomy") else [RETURN]
    return f"{reverse(name, args=arguments or own)}?{query}"


def post(who: str, name: str, asked: dict[str, str] | None = None, **sent: Any) -> Any:
    return signed_in(who).post(
        address(name, **(asked or {})), {key.replace("_", " "): one for key, one in sent.items()}
    )


def with_line(statement: str, line: str, **tag: Any) -> None:
    """The filing with one line tagged otherwise, whatever it was; without a tag it has none."""
    body = json.loads(json.dumps(filing().body))
    own = next(one for one in body["statements"] if one["statement"] == statement)
    own["lines"] = [one for one in own["lines"] if one["line"] != line]
    if tag:
        own["lines"].append({"line": line, **tag})
    TEXTS.change(filing(), body, "tried", None)


def with_text(**changed: Any) -> None:
    """The filing with something else in its text."""
    TEXTS.change(filing(), {**filing().body, **changed}, "tried", None)


def judged_now(period: str = "") -> dict[str, str]:
    """Each check's state."""
    return {one.code: one.state for one in reading(period).checks}
