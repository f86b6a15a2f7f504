"""What of loads and feeds a restored copy says: loads that its ledgers don't know, secrets that didn't come along."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from rulka.ledger.models import Feed, Ledger
from rulka.work.services import loads


def after_restore() -> list[str]:
    """Loads that were written after the ledgers were copied are lost; services whose secret isn't here are named."""
    told = []
    for ledger in Ledger.objects.all():
        if count := loads.lose_after(ledger.code, ledger.revision):
            told.append(f"{count} loads of {ledger.code} came after the backup began: load them again.")
    for feed in Feed.objects.filter(kind=Feed.Kind.SERVICE).select_related("ledger"):
        if not (Path(settings.VAR) / "secrets" / f"feed-{feed.pk}").exists():
            told.append(f"Feed '{feed.name}' of {feed.ledger.code} needs its password or token again.")
    return told
