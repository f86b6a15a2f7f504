"""What a feed is: its source, mapping, bounds, rules and schedule, each checked before it is kept."""

from __future__ import annotations

import json
import os
import shutil
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from croniter import CroniterError, croniter
from django.conf import settings
from django.utils import timezone

from rulka.core.books.selection import select
from rulka.core.errors import RulkaError, one_of
from rulka.formats.intake.bounds import MemoryBounds
from rulka.formats.intake.mapping import MappingDefinition
from rulka.formats.intake.odata import sets_from
from rulka.formats.intake.outside import Outside
from rulka.ledger.loading.report import FINDINGS
from rulka.ledger.models import Feed, Ledger
from rulka.ledger.reading.queries import frame_of
from rulka.work.services import loads


def loads_folder(load_id: int) -> Path:
    """Where a load keeps what it pulled until it is decided."""
    return Path(settings.VAR) / "loads" / str(load_id)


def feed_folder() -> Path:
    """The one folder that feeds may read files from."""
    folder = Path(settings.FEED_FOLDER)
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def place_of(location: str) -> Path:
    """A feed's file or folder; refused outside the folder of feeds."""
    base = feed_folder().resolve()
    path = (base / location).resolve()
    if not path.is_relative_to(base):
        raise RulkaError(
            f"'{location}' lies outside the folder of feeds.", hint=f"Put it below {base}.", subject="location"
        )
    if not path.exists():
        raise RulkaError(
            f"'{location}' does not exist.", hint=f"Put it into {base}, or hand a file in.", subject="location"
        )
    return path


def save_feed(ledger: Ledger, values: dict[str, Any], *, feed: Feed | None = None) -> Feed:
    """Make or change a feed; everything it says is checked first."""
    name = values.get("name", feed.name if feed else "").strip()
    if not name:
        raise RulkaError("The feed has no name.", hint="Write one.", subject="name")
    if Feed.objects.filter(ledger=ledger, name=name).exclude(pk=feed.pk if feed else -1).exists():
        raise RulkaError(f"There is a feed '{name}' already.", hint="Choose another name.", subject="name")
    feed = feed or Feed(ledger=ledger)
    for field_name in ("kind", "location", "mapping", "options", "rules", "schedule", "on_opening"):
        if field_name in values:
            setattr(feed, field_name, values[field_name])
    feed.name = name
    if feed.kind not in Feed.Kind.values:
        raise RulkaError(
            f"'{feed.kind}' is no kind of source.", hint=one_of(feed.kind, Feed.Kind.values), subject="kind"
        )
    if feed.schedule:
        check_schedule(feed.schedule)
    for kind, action in feed.rules.items():
        if kind not in FINDINGS or action not in ("refuse", "hold", "accept"):
            raise RulkaError(f"'{kind}: {action}' is no rule.", hint="Choose refuse, hold or accept.", subject="rules")
    if feed.kind == Feed.Kind.TABLE and feed.mapping:
        MappingDefinition.from_data(feed.mapping)
    if feed.kind == Feed.Kind.SERVICE:
        sets_from(feed.mapping)
        if feed.location:
            outside().check(feed.location)
    if not isinstance(feed.options, dict):
        raise RulkaError("The options are no names with values.", hint="Write {}.", subject="options")
    for name, least, most in (("seconds", 0.1, 600), ("wait", 0, 60)):
        value = feed.options.get(name, least)
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not least <= value <= most:
            raise RulkaError(
                f"The option {name} is no number from {least:g} to {most:g}.", hint="Write one.", subject="options"
            )
    bounds_of(feed)
    feed.save()
    return feed


def check_schedule(text: str) -> None:
    """Refuse what is no schedule of five fields, or one whose time never comes."""
    if len(text.split()) != 5 or not croniter.is_valid(text):
        raise RulkaError(
            f"'{text}' is no schedule.",
            hint="Choose how often and when.",
            subject="schedule",
        )
    if next_pull(text, timezone.now()) is None:
        raise RulkaError(
            f"The time of '{text}' never comes.", hint="Give a day that its month has.", subject="schedule"
        )


def next_pull(schedule: str, after: datetime) -> datetime | None:
    """When a schedule comes next by the server's clock; None where it never does."""
    try:
        found: datetime = croniter(schedule, after.astimezone(ZoneInfo(settings.TIME_ZONE))).get_next(datetime)
    except CroniterError:
        return None
    return found


def remove_feed(feed: Feed) -> None:
    """Take a feed away with its secret and its sample; what it brought stays. Refused while a load of it is not
    decided."""
    if loads.is_busy(feed.pk):
        raise RulkaError(
            "A load of this feed runs or waits for a decision.", hint="Decide or cancel it first.", subject=feed.name
        )
    for kept in (
        Path(settings.VAR) / "secrets" / f"feed-{feed.pk}",
        Path(settings.VAR) / "samples" / f"feed-{feed.pk}",
    ):
        if kept.is_dir():
            shutil.rmtree(kept)
        else:
            kept.unlink(missing_ok=True)
    feed.delete()


def outside() -> Outside:
    """Where feeds may ask, by the settings."""
    return Outside(frozenset(settings.FEED_HOSTS), settings.FEED_PRIVATE)


def keep_secret(feed: Feed, secret: str) -> None:
    """Keep a service's password or token, with the host it is for, in a file of its own that only we may read."""
    origin = outside().check(feed.location) if feed.kind == Feed.Kind.SERVICE else ""
    folder = Path(settings.VAR) / "secrets"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    descriptor = os.open(folder / f"feed-{feed.pk}", os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        json.dump({"origin": origin, "secret": secret}, file)


def secret_of(feed: Feed) -> str:
    """A service's password or token; refused where it was given for another host than the feed asks now."""
    path = Path(settings.VAR) / "secrets" / f"feed-{feed.pk}"
    if not path.exists():
        return ""
    try:
        kept = json.loads(path.read_text())
        origin, secret = str(kept["origin"]), str(kept["secret"])
    except (ValueError, TypeError, KeyError):  # kept before hosts were kept with it
        origin, secret = "", ""
    if origin != outside().check(feed.location):
        raise RulkaError(
            "The feed's address leads to another host than its password or token was given for.",
            hint="Type the password or token once more, for the new address.",
            subject="secret",
        )
    return secret


def bounds_of(feed: Feed) -> MemoryBounds:
    """A feed's bounds, with its selections resolved against the ledger as it is."""
    asked = feed.options.get("bounds") or {}
    if not any(asked.values()):
        return MemoryBounds()
    frame = frame_of(feed.ledger)
    first = asked.get("first_day", "")
    if first and not any(
        period.start.isoformat() == first for period in frame.calendar.periods if not period.adjusting
    ):
        raise RulkaError(
            f"'{first}' is not the first day of a period.",
            hint="Openings come at the start of a period.",
            subject="bounds, first day",
        )

    def codes(text: str, items: Any) -> tuple[str, ...]:
        if not text:
            return ()
        matched = select(text, items)
        if matched.warnings:
            raise RulkaError(
                f"{'; '.join(matched.warnings)}.", hint="Name what the ledger has.", subject=f"bounds, {items.kind}"
            )
        return tuple(item.code for item, inside in zip(items.items, matched.mask, strict=True) if inside)

    rest = asked.get("rest_account", "")
    if asked.get("accounts") and rest not in frame.accounts.index:
        raise RulkaError(
            f"Account '{rest}' does not exist.",
            hint="Name the account that takes the rest of an entry.",
            subject="bounds, rest account",
        )
    return MemoryBounds(
        first, codes(asked.get("entities", ""), frame.entities), codes(asked.get("accounts", ""), frame.accounts), rest
    )
