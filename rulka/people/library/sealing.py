"""Secrets that have to be read again, such as keys and passwords for other servers: encrypted with a key derived from
the server's secret, so that a copy of the database alone opens none."""

from __future__ import annotations

from base64 import urlsafe_b64encode

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings


def _box(what: str) -> Fernet:
    made = HKDF(algorithm=SHA256(), length=32, salt=None, info=f"rulka: {what}".encode())
    return Fernet(urlsafe_b64encode(made.derive(settings.SECRET_KEY.encode())))


def sealed(text: str, what: str) -> str:
    """A secret as it is kept; `what` tells kinds of secrets apart: one kind's key opens no other."""
    return _box(what).encrypt(text.encode()).decode()


def opened(kept: str, what: str) -> str | None:
    """A kept secret; None where it was sealed with another secret of the server."""
    try:
        return _box(what).decrypt(kept.encode()).decode()
    except InvalidToken:
        return None
