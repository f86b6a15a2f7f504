"""A mail server for the demo and the tests: it speaks SMTP, keeps what it gets, and fails on request."""

from __future__ import annotations

import asyncio
import socket
import threading
from dataclasses import dataclass, field
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

MOST_BYTES = 60_000_000


@dataclass
class Arrived:
    """A mail as it arrived: from whom, to whom, as it is."""

    sender: str
    to: list[str]
    content: bytes

    @property
    def message(self) -> EmailMessage:
        return message_from_bytes(self.content, policy=default)  # type: ignore[arg-type, return-value]


@dataclass
class Failing:
    """What the server does wrong: addresses it refuses, whether it is full, drops the line once it has a mail, or says
    nothing any more."""

    refuses: set[str] = field(default_factory=set)
    is_full: bool = False
    drops_after_data: bool = False
    drops: bool = False
    hangs: bool = False


class MailServer:
    """Runs while it is open: `with MailServer() as server`."""

    def __init__(self, host: str = "127.0.0.1", port: int = 0) -> None:
        self.arrived: list[Arrived] = []
        self.fails = Failing()
        self.lock = threading.Lock()
        self.pause = 60.0
        """Seconds of saying nothing."""
        self.port = port or _free_port(host)
        self.controller = Controller(self, hostname=host, port=self.port, data_size_limit=MOST_BYTES)

    def __enter__(self) -> MailServer:
        self.controller.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.controller.stop()

    # what aiosmtpd asks ----------------------------------------------------------------------------------------------

    async def handle_MAIL(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        if self.fails.drops:
            _drop(server)
        envelope.mail_from = address
        envelope.mail_options.extend(options)
        return "250 OK"

    async def handle_RCPT(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[Any]
    ) -> str:
        if address in self.fails.refuses:
            return "550 5.1.1 nobody of that name here"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        if self.fails.hangs:
            await asyncio.sleep(self.pause)
        if self.fails.is_full:
            return "452 4.3.1 no room"
        with self.lock:
            content = envelope.content if isinstance(envelope.content, bytes) else b""
            self.arrived.append(Arrived(envelope.mail_from or "", list(envelope.rcpt_tos), content))
        if self.fails.drops_after_data:
            _drop(server)
        return "250 2.0.0 kept"


def _free_port(host: str) -> int:
    with socket.socket() as probe:
        probe.bind((host, 0))
        return int(probe.getsockname()[1])


def _drop(server: SMTP) -> None:
    if server.transport is not None:
        server.transport.abort()
