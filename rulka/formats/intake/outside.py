"""The way to other servers: only to hosts that are allowed, never by a name that leads elsewhere, and no more of an
answer than its bounds."""

from __future__ import annotations

import ipaddress
import json
import socket
import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

import httpcore

from rulka.core.errors import RulkaError
from rulka.core.later import later

if TYPE_CHECKING:
    import httpx
else:
    httpx = later("httpx")

MOST_ANSWER = 64_000_000
"""Bytes of one answer, unpacked."""
MOST_NUMBER = 60
"""Characters of a number in an answer."""
LARGEST = 30
"""Powers of ten that a number may have, either way."""


@dataclass(frozen=True)
class Outside:
    """Where requests may go: `hosts` by name, none for any; private networks only where `private` says so."""

    hosts: frozenset[str] = field(default_factory=frozenset)
    private: bool = False

    def check(self, address: str) -> str:
        """The origin of an address (scheme, host, port), refused where nothing may be asked there."""
        try:
            parts = urlsplit(address)
            host, port = (parts.hostname or "").lower(), parts.port
        except ValueError:
            raise RulkaError("This is no web address.", hint="Write https://host/path/.", subject="address") from None
        if parts.scheme not in ("http", "https") or not host:
            raise RulkaError(f"'{address[:80]}' is no web address.", hint="Begin it with https://.", subject="address")
        if parts.username or parts.password:
            raise RulkaError(
                "A name or password stands in the address.", hint="Give it as the feed's sign-in.", subject="address"
            )
        if self.hosts and host not in self.hosts:
            raise RulkaError(
                f"The host '{host[:80]}' is not among those that feeds may ask.",
                hint="Ask whoever runs Rulka to add it to RULKA_FEED_HOSTS.",
                subject="address",
            )
        return f"{parts.scheme}://{host}:{port or (443 if parts.scheme == 'https' else 80)}"

    def resolve(self, host: str, port: int) -> str:
        """The address behind a name; refused where it lies in a private network and these are off."""
        try:
            found = {str(info[4][0]) for info in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)}
        except OSError:
            raise httpcore.ConnectError("the host's name is not known") from None
        for one in found:
            if not self.private and not ipaddress.ip_address(one.partition("%")[0]).is_global:
                raise RulkaError(
                    "The address lies in a private network, where feeds may not ask.",
                    hint="Ask whoever runs Rulka to set RULKA_FEED_PRIVATE.",
                    subject="address",
                )
        return sorted(found, key=lambda one: (":" in one, one))[0]

    def required(self, host: str, port: int) -> None:
        """Refuse a host whose name isn't known, or that lies in a private network where these are off."""
        try:
            self.resolve(host, port)
        except httpcore.ConnectError:
            raise RulkaError(f"The host '{host[:80]}' is not known.", hint="Look how it is written.",
                             subject="host") from None  # fmt: skip


class _Backend(httpcore.NetworkBackend):
    """Connects to the very address that was checked, so that a name can't lead elsewhere in between."""

    def __init__(self, outside: Outside) -> None:
        self.outside, self.plain = outside, httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        return self.plain.connect_tcp(
            self.outside.resolve(host, port), port, timeout, local_address, socket_options=socket_options
        )


def client_for(outside: Outside, *, seconds: float, headers: dict[str, str], auth: Any) -> httpx.Client:
    """A client that asks nobody but whom it may, follows nothing by itself and reads no settings of the machine."""
    transport = httpx.HTTPTransport(trust_env=False)
    pool = transport._pool  # the one place where a connection is opened; httpx has no public way to it
    pool._network_backend = _Backend(outside)
    return httpx.Client(
        headers=headers, auth=auth, timeout=seconds, follow_redirects=False, trust_env=False, transport=transport
    )


class TooMuch(RulkaError):
    """An answer that is larger or slower than it may be."""

    code = "service"


def body_of(answer: httpx.Response, *, until: float) -> bytes:
    """An answer's content, as long as it keeps its bounds in bytes and comes before a moment of the monotonic clock."""
    parts, size = [], 0
    for part in answer.iter_bytes():
        size += len(part)
        if size > MOST_ANSWER:
            raise TooMuch(
                f"One answer of the service is larger than {MOST_ANSWER // 1_000_000} MB.",
                hint="Let it send smaller pages.",
                subject="service",
            )
        if time.monotonic() > until:
            raise TooMuch(
                "One answer of the service took too long to come.", hint="Try again later.", subject="service"
            )
        parts.append(part)
    return b"".join(parts)


def read_json(content: bytes) -> Any:
    """The JSON of an answer with exact numbers; ValueError where it is none, or holds a number that no amount is."""
    try:
        return json.loads(content, parse_float=_decimal, parse_int=_whole, parse_constant=_constant)
    except RecursionError:
        raise ValueError("it nests too deeply") from None


def _decimal(text: str) -> Decimal:
    value = Decimal(text) if len(text) <= MOST_NUMBER else Decimal("NaN")
    if not value.is_finite() or (value and abs(value.adjusted()) > LARGEST):
        raise ValueError("it holds a number that is no amount")
    return value


def _whole(text: str) -> int:
    if len(text) > MOST_NUMBER:
        raise ValueError("it holds a number that is no amount")
    return int(text)


def _constant(text: str) -> Any:
    raise ValueError(f"it holds {text}")
