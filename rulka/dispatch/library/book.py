"""The address book of a ledger, and the mail account of somebody's own."""

from __future__ import annotations

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sending.letters import addresses_in, one_line
from rulka.core.values import whole
from rulka.dispatch.models import Contact, MailAccount
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.library.sealing import sealed
from rulka.people.models import Person

SECRETS = "mail accounts"


def _required(person: Person) -> None:
    if not person.may_edit:
        raise RulkaError("You may read this, not change it.", hint="Ask an accountant.", code="rights")


def save_contact(ledger: Ledger, name: str, address: str, *, person: Person) -> Contact:
    """Put somebody into the address book, or change their address."""
    _required(person)
    called = one_line(name, where="name")[:80]
    if any(sign in called for sign in "@,;{}"):
        raise RulkaError(f"'{called}' is no name for the address book.", hint="Leave out @ , ; and braces.",
                         subject="name")  # fmt: skip
    found = addresses_in(address, where="address")
    if len(found) != 1:
        raise RulkaError("Write one address.", hint="Such as name@example.org.", subject="address")
    kept = Contact.objects.filter(ledger=ledger, name__iexact=called).first() or Contact(ledger=ledger)
    kept.name, kept.address = called, found[0]
    kept.save()
    record.note(person, "changed", ledger=ledger.code, thing="address book", detail=f"{called}: {found[0]}")
    return kept


def forget_contact(ledger: Ledger, number: int, *, person: Person) -> None:
    """Take somebody out of the address book."""
    _required(person)
    found = Contact.objects.filter(ledger=ledger, pk=number).first()
    if found is None:
        raise NotFound("This name isn't in the address book.", subject="address book")
    record.note(person, "changed", ledger=ledger.code, thing="address book", detail=f"{found.name} taken out")
    found.delete()


def save_account(person: Person, *, host: str, port: str, tls: bool, user: str, secret: str, sender: str) -> None:
    """Keep somebody's own mail account; an empty secret leaves the one that is kept, unless the host is another."""
    host = one_line(host, where="host")
    if any(sign in host for sign in " /@"):
        raise RulkaError(f"'{host[:60]}' is no host.", hint="Write it as mail.example.org.", subject="host")
    found = addresses_in(sender, where="sender")
    if len(found) != 1:
        raise RulkaError("Write one address as sender.", hint="Such as name@example.org.", subject="sender")
    if any(sign in user + secret for sign in "\r\n\0"):
        raise RulkaError("There is a line break in it.", hint="Write user and secret in one line.", subject="account")
    kept = MailAccount.objects.filter(person=person).first() or MailAccount(person=person)
    if kept.host != host:
        kept.sealed = ""
    kept.host, kept.port, kept.tls = host, whole(port or "587", "port", least=1, most=65_535), tls
    kept.user, kept.sender = user.strip(), found[0]
    if secret:
        kept.sealed = sealed(secret, SECRETS)
    kept.save()
    record.note(person, "changed", thing="mail account", detail=f"{host}, {found[0]}")


def forget_account(person: Person) -> None:
    """Take somebody's own mail account away."""
    MailAccount.objects.filter(person=person).delete()
    record.note(person, "changed", thing="mail account", detail="taken away")
