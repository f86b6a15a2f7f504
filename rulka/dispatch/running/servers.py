"""Files onto a file server: SFTP with the host's key pinned, FTPS with the certificate's digest pinned, plain FTP only
where it is allowed. A file is written beside its place and renamed: whole or not at all."""

from __future__ import annotations

import asyncio
import ftplib
import io
import ssl
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from hashlib import sha256
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Any

from django.conf import settings

from rulka.core.errors import RulkaError
from rulka.core.later import later
from rulka.dispatch.library.servers import SECRETS
from rulka.dispatch.models import Server
from rulka.people.library.sealing import opened

if TYPE_CHECKING:
    import asyncssh
else:
    asyncssh = later("asyncssh")

SECONDS = 20
MOST_NUMBERS = 1_000


@dataclass(frozen=True)
class Way:
    """A server with its secret as it is used."""

    kind: str
    host: str
    port: int
    user: str
    secret: str
    folder: str
    pinned: str


class NotReached(Exception):
    """Nothing was handed over: the server wasn't reached, or the line was cut before."""


class NotKnown(Exception):
    """The line was cut while a file took its name."""


def way_to(server: Server) -> Way:
    """How a server is reached; refused where its key isn't known yet, or it is of a kind that isn't allowed."""
    if server.kind == Server.Kind.FTP and not settings.SEND_PLAIN:
        raise RulkaError("Plain FTP isn't allowed: everybody on the way reads it.", hint="Take SFTP or FTPS, or an "
                         "administrator sets RULKA_SEND_PLAIN.", subject=server.name)  # fmt: skip
    secret = opened(server.sealed, SECRETS) if server.sealed else ""
    if secret is None:
        raise RulkaError("Its secret can't be read any more.", hint="Type it again.", subject=server.name)
    return Way(server.kind, server.host, server.port, server.user, secret, server.folder, server.pinned)


# asking who it is -----------------------------------------------------------------------------------------------------


def key_of(way: Way) -> str:
    """The key that a server shows now, as text to be pinned; empty for plain FTP, which has none."""
    if way.kind == Server.Kind.SFTP:
        return asyncio.run(_host_key(way))
    return "" if way.kind == Server.Kind.FTP else _certificate(way)


async def _host_key(way: Way) -> str:
    try:
        key = await asyncio.wait_for(asyncssh.get_server_host_key(way.host, way.port), SECONDS)
    except (OSError, asyncssh.Error, TimeoutError) as error:
        raise NotReached(_words(error)) from error
    if key is None:
        raise NotReached("It shows no key.")
    return key.export_public_key().decode().strip()


def _certificate(way: Way) -> str:
    try:
        with ftplib.FTP_TLS(timeout=SECONDS, context=_context()) as talk:
            talk.connect(way.host, way.port)
            talk.auth()
            shown = talk.sock.getpeercert(binary_form=True) if isinstance(talk.sock, ssl.SSLSocket) else None
    except (OSError, ftplib.Error, EOFError) as error:
        raise NotReached(_words(error)) from error
    return _digest(shown)


def _digest(certificate: bytes | None) -> str:
    return f"SHA256 {sha256(certificate).hexdigest()}" if certificate else ""


def told(pinned: str) -> str:
    """A key as it is read by people."""
    if pinned.startswith("SHA256") or not pinned:
        return pinned
    return str(asyncssh.import_public_key(pinned).get_fingerprint())


def _context() -> ssl.SSLContext:
    """The certificate is told by its pinned digest, not by who signed it."""
    context = ssl.create_default_context()
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE
    return context


CHANGED = "It shows another key than the one that was pinned. Nothing was sent: find out why, then pin the new one."


# handing over -------------------------------------------------------------------------------------------------------


def put_all(
    way: Way, below: Sequence[str], contents: Sequence[tuple[str, bytes]], exists: str, identity: str
) -> list[str]:
    """Put files into a folder of a server, and say under which names; one that is there already with the same content
    is that file. Raises RulkaError for what the server refuses, NotReached and NotKnown for a line that is cut."""
    if way.kind != Server.Kind.FTP and not way.pinned:
        raise RulkaError("The key of this server isn't pinned yet.", hint="An administrator tests it and pins its key.",
                         subject=way.host)  # fmt: skip
    if way.kind == Server.Kind.SFTP:
        return asyncio.run(_by_ssh(way, below, contents, exists, identity))
    return _by_ftp(way, below, contents, exists, identity)


def try_out(way: Way) -> str:
    """Put a small file there and take it away again; what the server is called by its key."""
    name = "rulka-test.txt"
    if way.kind == Server.Kind.SFTP:
        asyncio.run(_tried_by_ssh(way, name))
    else:
        with _ftp(way) as talk:
            _ftp_folder(talk, way, ())
            talk.storbinary(f"STOR {name}", io.BytesIO(b"Rulka can write here.\n"))
            talk.delete(name)
    return told(way.pinned)


def _names(name: str) -> list[str]:
    stem, _, ending = name.rpartition(".")
    return [name, *(f"{stem} ({number}).{ending}" for number in range(2, MOST_NUMBERS))]


def _taken(name: str) -> RulkaError:
    return RulkaError(f"{name} is there already.", hint="Take it away, or let it be numbered.", subject="path")


def _begun(identity: str, name: str) -> str:
    return f".{sha256(f'{identity}/{name}'.encode()).hexdigest()[:16]}.part"


def _words(error: BaseException) -> str:
    text = " ".join(str(error).split()) or ("The line was cut" if isinstance(error, EOFError) else type(error).__name__)
    return (text if text.endswith(".") else f"{text}.")[:500]


# SFTP -----------------------------------------------------------------------------------------------------------------


async def _ssh(way: Way) -> asyncssh.SSHClientConnection:
    known = asyncssh.import_known_hosts(f"[{way.host}]:{way.port} {way.pinned}\n{way.host} {way.pinned}\n")
    try:
        return await asyncio.wait_for(
            asyncssh.connect(
                way.host, way.port, username=way.user or None, password=way.secret or None, known_hosts=known,
                client_keys=None, agent_path=None, config=None, login_timeout=SECONDS,
            ),
            SECONDS,
        )  # fmt: skip
    except asyncssh.HostKeyNotVerifiable as error:
        raise RulkaError(CHANGED, subject=way.host, code="host key") from error
    except asyncssh.PermissionDenied as error:
        raise RulkaError("It doesn't take this user and secret.", hint="An administrator types them again.",
                         subject=way.host) from error  # fmt: skip
    except (OSError, asyncssh.Error, TimeoutError) as error:
        raise NotReached(_words(error)) from error


async def _by_ssh(
    way: Way, below: Sequence[str], contents: Sequence[tuple[str, bytes]], exists: str, identity: str
) -> list[str]:
    renaming, named = False, list[str]()
    try:
        async with await _ssh(way) as line, line.start_sftp_client() as talk:
            folder = PurePosixPath(way.folder or ".", *below)
            await talk.makedirs(str(folder), exist_ok=True)
            for name, content in contents:
                part = str(folder / _begun(identity, name))
                renaming = False
                async with talk.open(part, "wb") as file:
                    await file.write(content)
                try:
                    renaming = True
                    named.append(await _ssh_name(talk, folder, part, name, content, exists))
                finally:
                    if await talk.exists(part):
                        await talk.remove(part)
        return named
    except (asyncssh.SFTPConnectionLost, asyncssh.SFTPNoConnection, asyncssh.ConnectionLost, OSError) as error:
        raise (NotKnown if renaming else NotReached)(_words(error)) from error
    except asyncssh.SFTPError as error:
        raise RulkaError(_words(error), subject=way.host) from error
    except asyncssh.Error as error:
        raise (NotKnown if renaming else NotReached)(_words(error)) from error


async def _ssh_name(
    talk: asyncssh.SFTPClient, folder: PurePosixPath, part: str, name: str, content: bytes, exists: str
) -> str:
    if exists == "overwrite":
        await talk.posix_rename(part, str(folder / name))
        return name
    for one in _names(name):
        path = str(folder / one)
        if not await talk.exists(path):
            await talk.rename(part, path)  # never over one that is there
            return one
        async with talk.open(path, "rb") as file:
            held: str | bytes = await file.read()
            if held == content:
                return one
        if exists == "refuse":
            raise _taken(one)
    raise RulkaError(f"{name} is there {MOST_NUMBERS} times.", hint="Take some away.", subject="path")


async def _tried_by_ssh(way: Way, name: str) -> None:
    try:
        async with await _ssh(way) as line, line.start_sftp_client() as talk:
            folder = PurePosixPath(way.folder or ".")
            async with talk.open(str(folder / name), "wb") as file:
                await file.write(b"Rulka can write here.\n")
            await talk.remove(str(folder / name))
    except (asyncssh.SFTPError, OSError) as error:
        raise RulkaError(_words(error), subject=way.host) from error


# FTPS -----------------------------------------------------------------------------------------------------------------


def _ftp(way: Way) -> ftplib.FTP:
    talk: ftplib.FTP = ftplib.FTP(timeout=SECONDS) if way.kind == Server.Kind.FTP else (
        ftplib.FTP_TLS(timeout=SECONDS, context=_context())
    )  # fmt: skip
    try:
        talk.connect(way.host, way.port)
        if isinstance(talk, ftplib.FTP_TLS):
            talk.auth()
            shown = talk.sock.getpeercert(binary_form=True) if isinstance(talk.sock, ssl.SSLSocket) else None
            if _digest(shown) != way.pinned:
                talk.close()
                raise RulkaError(CHANGED, subject=way.host, code="host key")
        talk.login(way.user, way.secret)
        if isinstance(talk, ftplib.FTP_TLS):
            talk.prot_p()
    except ftplib.error_perm as error:
        talk.close()
        raise RulkaError(f"It doesn't take this user and secret: {_words(error)}",
                         hint="An administrator types them again.", subject=way.host) from error  # fmt: skip
    except (OSError, ftplib.Error, EOFError) as error:
        talk.close()
        raise NotReached(_words(error)) from error
    return talk


def _ftp_folder(talk: ftplib.FTP, way: Way, below: Sequence[str]) -> None:
    """Go into a folder of the server; what isn't there of it is made."""
    if way.folder:
        talk.cwd(way.folder)
    for part in below:
        try:
            talk.cwd(part)
        except ftplib.error_perm:
            talk.mkd(part)
            talk.cwd(part)


def _by_ftp(
    way: Way, below: Sequence[str], contents: Sequence[tuple[str, bytes]], exists: str, identity: str
) -> list[str]:
    talk = _ftp(way)
    renaming = False
    try:
        _ftp_folder(talk, way, below)
        named = []
        for name, content in contents:
            part = _begun(identity, name)
            renaming = False
            talk.storbinary(f"STOR {part}", io.BytesIO(content))
            kept = False
            try:
                renaming = True
                one, kept = _ftp_name(talk, part, name, content, exists)
                named.append(one)
            finally:
                if not kept:
                    _quietly(lambda part=part: talk.delete(part))  # type: ignore[misc]
        _quietly(talk.quit)
        return named
    except ftplib.error_perm as error:
        raise RulkaError(_words(error), subject=way.host) from error
    except (OSError, ftplib.Error, EOFError) as error:
        raise (NotKnown if renaming else NotReached)(_words(error)) from error
    finally:
        talk.close()


def _quietly(do: Callable[[], Any]) -> None:
    """Tidy up; whatever the server makes of it, what it answered before stands."""
    try:
        do()
    except (OSError, ftplib.Error, EOFError):
        return


def _ftp_name(talk: ftplib.FTP, part: str, name: str, content: bytes, exists: str) -> tuple[str, bool]:
    """The name that a file takes, and whether it was given it: one that is there already keeps its own."""
    there = set() if exists == "overwrite" else _listed(talk)
    if exists == "overwrite":
        try:
            talk.rename(part, name)
        except ftplib.error_perm:  # some rename over nothing that is there
            talk.delete(name)
            talk.rename(part, name)
        return name, True
    for one in _names(name):
        if one not in there:
            talk.rename(part, one)
            return one, True
        held = io.BytesIO()
        talk.retrbinary(f"RETR {one}", held.write)
        if held.getvalue() == content:
            return one, False
        if exists == "refuse":
            raise _taken(one)
    raise RulkaError(f"{name} is there {MOST_NUMBERS} times.", hint="Take some away.", subject="path")


def _listed(talk: ftplib.FTP) -> set[str]:
    try:
        return set(talk.nlst())
    except ftplib.error_perm as error:  # some answer so for an empty folder
        if str(error).startswith("550"):
            return set()
        raise
