"""Letters by mail: built by the standard library, handed to the server that the administrator set, step by step, so
that what it answered is known."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Sequence
from dataclasses import dataclass
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime

from django.conf import settings
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.statements.output.exports import TYPES

SECONDS = 30
"""How long the server may take for an answer."""


@dataclass(frozen=True)
class Answer:
    """What the other side said: `delivered`, `refused`, `not known` where no answer came to what was handed over
    whole, or `not sent` where nothing was."""

    state: str
    text: str


@dataclass(frozen=True)
class Letter:
    """A mail: the same identity is the same mail."""

    identity: str
    to: str
    copy: Sequence[str]
    subject: str
    text: str
    files: Sequence[tuple[str, bytes]]

    def message(self) -> EmailMessage:
        """The mail as it goes."""
        message = EmailMessage(policy=SMTP)
        message["From"] = settings.MAIL_FROM
        message["To"] = self.to
        if self.copy:
            message["Cc"] = ", ".join(self.copy)
        message["Subject"] = self.subject
        message["Date"] = format_datetime(timezone.now())
        message["Message-ID"] = f"<{self.identity}@{settings.MAIL_FROM.rpartition('@')[2].strip('>')}>"
        message["Auto-Submitted"] = "auto-generated"
        message.set_content(self.text or self.subject)
        for name, content in self.files:
            kind, _, sort = TYPES[name.rpartition(".")[2]].partition(";")[0].partition("/")
            message.add_attachment(content, maintype=kind, subtype=sort, filename=name)
        return message


def hand_over(letter: Letter) -> Answer:
    """Hand a mail to the server. Nothing is raised for what the other side does: it is the answer."""
    if not settings.MAIL_HOST or not settings.MAIL_FROM:
        raise RulkaError("No mail server is set.", hint="An administrator sets RULKA_MAIL_HOST and RULKA_MAIL_FROM.",
                         subject="mail")  # fmt: skip
    data = letter.message().as_bytes()
    handed = False
    server: smtplib.SMTP | None = None
    try:
        server = smtplib.SMTP(settings.MAIL_HOST, settings.MAIL_PORT, timeout=SECONDS)
        if settings.MAIL_TLS:
            server.starttls(context=ssl.create_default_context())
        if settings.MAIL_USER:
            server.login(settings.MAIL_USER, settings.MAIL_SECRET)
        server.ehlo_or_helo_if_needed()
        refusal, refused = _addressed(server, letter)
        if refusal:
            return Answer("refused", refusal)
        handed = True  # from here on nobody knows what became of it until the server answers
        code, said = server.data(data)
        told = _words(code, said) + "".join(f"; refused in copy {one}" for one in refused)
        return Answer("delivered" if code == 250 else "refused", told)
    except smtplib.SMTPDataError as error:
        return Answer("refused", _words(error.smtp_code, error.smtp_error))
    except (OSError, smtplib.SMTPException) as error:
        told = str(error) or type(error).__name__
        return Answer("not known" if handed else "not sent", f"{told}."[:500])
    finally:
        if server is not None:
            _leave(server)


def _addressed(server: smtplib.SMTP, letter: Letter) -> tuple[str, list[str]]:
    """Name sender and addresses: why all of it is refused, and which copies are."""
    code, said = server.mail(settings.MAIL_FROM)
    if code != 250:
        return _words(code, said), []
    refused = []
    for at, address in enumerate((letter.to, *letter.copy)):
        code, said = server.rcpt(address)
        if code not in (250, 251):
            refused.append(f"{address}: {_words(code, said)}")
            if at == 0:
                return refused[0], []
    return "", refused


def _leave(server: smtplib.SMTP) -> None:
    """End the conversation; whatever the server makes of it, its answer to the mail stands."""
    try:
        server.quit()
    except (OSError, smtplib.SMTPException):
        server.close()


def _words(code: int, said: bytes | str) -> str:
    text = said.decode("utf-8", "replace") if isinstance(said, bytes) else said
    return f"{code} {' '.join(text.split())}"[:500]
