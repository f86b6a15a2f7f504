"""Letters by mail: built by the standard library, handed to the server that the administrator set, step by step, so
that what it answered is known."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Sequence
from dataclasses import dataclass
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, parseaddr

from django.conf import settings
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.dispatch.library.book import SECRETS
from rulka.dispatch.models import MailAccount
from rulka.formats.intake.outside import Outside
from rulka.people.library.sealing import opened
from rulka.statements.output.sendable import SENT_AS

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
    page: str = ""
    hidden: Sequence[str] = ()
    """Addresses that get it without standing in it."""

    def message(self, sender: str) -> EmailMessage:
        """The mail as it goes."""
        message = EmailMessage(policy=SMTP)
        message["From"] = sender
        message["To"] = self.to
        if self.copy:
            message["Cc"] = ", ".join(self.copy)
        message["Subject"] = self.subject
        message["Date"] = format_datetime(timezone.now())
        message["Message-ID"] = f"<{self.identity}@{sender.rpartition('@')[2].strip('>')}>"
        message["Auto-Submitted"] = "auto-generated"
        message.set_content(self.text or self.subject)
        if self.page:
            message.add_alternative(self.page, subtype="html")
        for name, content in self.files:
            kind, _, sort = SENT_AS[name.rpartition(".")[2]].partition(";")[0].partition("/")
            message.add_attachment(content, maintype=kind, subtype=sort, filename=name)
        return message


@dataclass(frozen=True)
class SendingAccount:
    """By which server and sender a mail goes."""

    host: str
    port: int
    sender: str
    tls: bool = False
    user: str = ""
    secret: str = ""


def server_account() -> SendingAccount:
    """The account of the server; refused where none is set."""
    if not settings.MAIL_HOST or not settings.MAIL_FROM:
        raise RulkaError("No mail server is set.", hint="An administrator sets RULKA_MAIL_HOST and RULKA_MAIL_FROM.",
                         subject="mail")  # fmt: skip
    return SendingAccount(
        settings.MAIL_HOST,
        settings.MAIL_PORT,
        settings.MAIL_FROM,
        settings.MAIL_TLS,
        settings.MAIL_USER,
        settings.MAIL_SECRET,
    )


def own_account(person: int | None) -> SendingAccount:
    """The account of somebody's own; refused where they have none, or its secret can't be read any more."""
    kept = MailAccount.objects.filter(person=person).first()
    if kept is None:
        raise RulkaError("Its owner has no mail account of their own.", hint="Set one, or send by the server's.",
                         subject="mail")  # fmt: skip
    secret = opened(kept.sealed, SECRETS) if kept.sealed else ""
    if secret is None:
        raise RulkaError("The secret of this mail account can't be read any more.", hint="Type it again.",
                         subject="mail")  # fmt: skip
    # whoever sends may not knock at what stands inside
    Outside(private=settings.FEED_PRIVATE).required(kept.host, kept.port)
    return SendingAccount(kept.host, kept.port, kept.sender, kept.tls, kept.user, secret)


def hand_over(letter: Letter, account: SendingAccount | None = None) -> Answer:
    """Hand a mail to a server, the server's own where none is named. Nothing is raised for what the other side does: it
    is the answer."""
    by = account or server_account()
    data = letter.message(by.sender).as_bytes()
    handed = False
    server: smtplib.SMTP | None = None
    try:
        server = smtplib.SMTP(by.host, by.port, timeout=SECONDS)
        if by.tls:
            server.starttls(context=ssl.create_default_context())
        if by.user:
            server.login(by.user, by.secret)
        server.ehlo_or_helo_if_needed()
        refusal, refused = _addressed(server, letter, by.sender)
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


def _addressed(server: smtplib.SMTP, letter: Letter, sender: str) -> tuple[str, list[str]]:
    """Name sender and addresses: why all of it is refused, and which copies are."""
    code, said = server.mail(parseaddr(sender)[1])
    if code != 250:
        return _words(code, said), []
    refused = []
    for at, address in enumerate((letter.to, *letter.copy, *letter.hidden)):
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
