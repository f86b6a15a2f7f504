"""File servers that may be sent to, kept by administrators: with their secret encrypted and their key pinned."""

from __future__ import annotations

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import whole
from rulka.dispatch.models import Dispatch, Server
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.library.sealing import sealed
from rulka.people.models import Person

SECRETS = "file servers"
PORTS = {Server.Kind.SFTP: 22, Server.Kind.FTPS: 21, Server.Kind.FTP: 21}


def servers_of(ledger: Ledger) -> list[Server]:
    """The file servers of a ledger."""
    return list(Server.objects.filter(ledger=ledger))


def server_named(ledger: Ledger, name: str) -> Server:
    """A file server by its name."""
    found = Server.objects.filter(ledger=ledger, name=name).first()
    if found is None:
        known = list(Server.objects.filter(ledger=ledger).values_list("name", flat=True))
        hint = one_of(name, known) if known else "An administrator names one."
        raise NotFound(f"There is no file server '{name[:40]}'.", hint=hint, subject="file server")
    return found


def _required(person: Person | None) -> None:
    if person is not None and not person.administers:
        raise RulkaError("File servers are an administrator's.", hint="Ask one.", code="rights")


def save_server(
    ledger: Ledger,
    name: str,
    *,
    kind: str,
    host: str,
    port: str,
    user: str,
    secret: str,
    folder: str,
    person: Person | None,
) -> Server:
    """Name a file server, or change one; an empty secret leaves the one that is kept. Another host, port or kind has
    another key: the pinned one goes."""
    _required(person)
    name, host = name.strip(), host.strip()
    if not name or len(name) > 80 or "\n" in name:
        raise RulkaError("A file server needs a name of one line.", hint="Such as 'auditor'.", subject="name")
    if kind not in Server.Kind.values:
        raise NotFound(f"Nothing goes by '{kind[:20]}'.", hint=one_of(kind, Server.Kind.values), subject="kind")
    if not host or len(host) > 250 or any(sign in host for sign in " /\\@\r\n\t"):
        raise RulkaError(f"'{host[:60]}' is no host.", hint="Write it as files.example.org.", subject="host")
    if any(sign in user + folder + secret for sign in "\r\n\0"):
        raise RulkaError("There is a line break in it.", hint="Write user, secret and folder in one line.",
                         subject="file server")  # fmt: skip
    number = whole(port, "port", least=1, most=65_535) if port.strip() else PORTS[Server.Kind(kind)]
    kept = Server.objects.filter(ledger=ledger, name=name).first() or Server(ledger=ledger, name=name)
    if (kept.kind, kept.host, kept.port) != (kind, host, number):
        kept.pinned = ""
        if kept.pk and not secret:
            kept.sealed = ""  # a secret goes to no other host than the one it was typed for
    kept.kind, kept.host, kept.port, kept.user, kept.folder = kind, host, number, user.strip(), folder.strip()
    if secret:
        kept.sealed = sealed(secret, SECRETS)
    kept.save()
    record.note(person, "changed", ledger=ledger.code, thing=f"file server {name}", detail=f"{kind} {host}:{number}")
    return kept


def pin(server: Server, key: str, *, person: Person | None) -> None:
    """Pin the key that a server showed."""
    _required(person)
    server.pinned = key
    server.save(update_fields=["pinned"])
    record.note(person, "changed", ledger=server.ledger.code, thing=f"file server {server.name}", detail="key pinned")


def forget_server(server: Server, *, person: Person | None) -> None:
    """Take a file server away; refused while a dispatch goes there."""
    _required(person)
    used = used_by(server)
    if used:
        raise RulkaError(f"'{server.name}' is used by {', '.join(used[:5])}.", hint="Change these first.",
                         subject="file server")  # fmt: skip
    record.note(person, "changed", ledger=server.ledger.code, thing=f"file server {server.name}", detail="taken away")
    server.delete()


def used_by(server: Server) -> list[str]:
    """The dispatches that go to a server, by title."""
    every = Dispatch.objects.filter(ledger=server.ledger)
    return [one.title for one in every if server.name in {way.get("server") for way in one.body["ways"]}]
