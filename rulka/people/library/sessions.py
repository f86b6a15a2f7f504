"""How sessions are kept: under a digest of their key, which only the browser knows."""

from __future__ import annotations

from datetime import timedelta
from hashlib import blake2b

from django.contrib.sessions.models import Session
from django.utils import timezone

from rulka.people.models import Visit


def kept_as(key: str) -> str:
    """What the session of a key is kept under."""
    return blake2b(key.encode(), digest_size=20, person=b"rulka session").hexdigest() if key else ""


def forget_ended() -> int:
    """Take sessions away that have ended; how many that were."""
    now = timezone.now()
    gone, _ = Session.objects.filter(expire_date__lte=now).delete()
    there = list(Session.objects.values_list("session_key", flat=True))
    Visit.objects.exclude(session__in=there).filter(began__lt=now - timedelta(days=1)).delete()
    return gone
