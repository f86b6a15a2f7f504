"""File servers for the demo and the tests: SFTP and FTPS over one folder; they fail on request."""

from __future__ import annotations

import asyncio
import ipaddress
import logging
import os
import tempfile
import threading
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import asyncssh
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.handlers import TLS_FTPHandler
from pyftpdlib.servers import FTPServer

USER, SECRET = "rulka", "harbour"


@dataclass
class Failing:
    """What a server does wrong: refuses the sign-in, has no room, drops the line while a file comes, or as it takes its
    name."""

    refuses: bool = False
    is_full: bool = False
    drops: bool = False
    drops_at_rename: bool = False


# SFTP -----------------------------------------------------------------------------------------------------------------


class SftpServer:
    """Runs while it is open: `with SftpServer(folder) as server`."""

    def __init__(self, folder: Path, *, port: int = 0, key: asyncssh.SSHKey | None = None) -> None:
        self.folder, self.port = folder, port
        self.fails = Failing()
        self.key = key or asyncssh.generate_private_key("ssh-ed25519")
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self._run, daemon=True)
        self.ready = threading.Event()
        self.lines: set[asyncssh.SSHServerConnection] = set()

    def __enter__(self) -> SftpServer:
        self.folder.mkdir(parents=True, exist_ok=True)
        self.thread.start()
        self.ready.wait(10)
        return self

    def __exit__(self, *_: object) -> None:
        asyncio.run_coroutine_threadsafe(self._stop(), self.loop).result(10)
        self.loop.call_soon_threadsafe(self.loop.stop)
        self.thread.join(10)
        self.loop.close()

    def change_key(self) -> None:
        """Show another key from now on."""
        self.key = asyncssh.generate_private_key("ssh-ed25519")
        asyncio.run_coroutine_threadsafe(self._again(), self.loop).result(10)

    def _run(self) -> None:
        asyncio.set_event_loop(self.loop)
        self.loop.run_until_complete(self._listen())
        self.ready.set()
        self.loop.run_forever()

    async def _listen(self) -> None:
        self.acceptor = await asyncssh.listen(
            "127.0.0.1", self.port, server_host_keys=[self.key], server_factory=lambda: _Gate(self),
            sftp_factory=lambda channel: _Files(channel, self), allow_scp=False,
        )  # fmt: skip
        self.port = self.acceptor.get_port()

    async def _stop(self) -> None:
        self.acceptor.close()
        for line in list(self.lines):
            line.abort()
        await self.acceptor.wait_closed()
        for task in asyncio.all_tasks() - {asyncio.current_task()}:
            task.cancel()
        await asyncio.sleep(0.05)

    async def _again(self) -> None:
        self.acceptor.close()
        await self.acceptor.wait_closed()
        await self._listen()


class _Gate(asyncssh.SSHServer):
    def __init__(self, server: SftpServer) -> None:
        self.server = server

    def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
        self.line = conn
        self.server.lines.add(conn)

    def connection_lost(self, exc: Exception | None) -> None:
        self.server.lines.discard(self.line)

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return not self.server.fails.refuses and (username, password) == (USER, SECRET)


class _Files(asyncssh.SFTPServer):
    def __init__(self, channel: Any, server: SftpServer) -> None:
        self.server = server
        super().__init__(channel, chroot=os.fsencode(server.folder))

    def write(self, file_obj: Any, offset: int, data: bytes) -> Any:
        if self.server.fails.is_full:
            raise asyncssh.SFTPError(asyncssh.FX_NO_SPACE_ON_FILESYSTEM, "No space left")
        if self.server.fails.drops:
            self.channel.get_connection().abort()
        return super().write(file_obj, offset, data)

    def rename(self, oldpath: bytes, newpath: bytes) -> Any:
        done = super().rename(oldpath, newpath)
        if self.server.fails.drops_at_rename:
            self.channel.get_connection().abort()
        return done

    def posix_rename(self, oldpath: bytes, newpath: bytes) -> Any:
        done = super().posix_rename(oldpath, newpath)
        if self.server.fails.drops_at_rename:
            self.channel.get_connection().abort()
        return done


# FTPS -----------------------------------------------------------------------------------------------------------------


def certificate(folder: Path) -> Path:
    """A certificate with its key, made for this machine only."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "files.ternwick.example")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
        .serial_number(x509.random_serial_number()).not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=3_650))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), critical=False)
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    secret = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    folder.mkdir(parents=True, exist_ok=True)
    handle, path = tempfile.mkstemp(prefix="certificate-", suffix=".pem", dir=folder)
    with os.fdopen(handle, "wb") as file:
        file.write(secret + made.public_bytes(serialization.Encoding.PEM))
    return Path(path)


class FtpsServer:
    """Runs while it is open: `with FtpsServer(folder) as server`."""

    def __init__(self, folder: Path, *, port: int = 0, pem: Path | None = None) -> None:
        self.folder = folder
        self.fails = Failing()
        self.folder.mkdir(parents=True, exist_ok=True)
        logging.getLogger("pyftpdlib").handlers = [logging.NullHandler()]
        logging.getLogger("pyftpdlib").propagate = False
        authorizer = DummyAuthorizer()
        authorizer.add_user(USER, SECRET, str(folder), perm="elradfmwMT")
        outer = self

        class Handler(TLS_FTPHandler):  # type: ignore[misc]
            certfile = str(pem or certificate(folder.parent / "keys"))
            tls_control_required = True
            tls_data_required = True
            banner = "Files of the demo."

            def ftp_PASS(self, line: str) -> Any:
                if outer.fails.refuses:
                    return self.respond("530 Not known here.")
                return super().ftp_PASS(line)

            def ftp_STOR(self, file: str, mode: str = "w") -> Any:
                if outer.fails.is_full:
                    return self.respond("552 No space left.")
                if outer.fails.drops:
                    return self.close()
                return super().ftp_STOR(file, mode)

            def ftp_RNTO(self, path: str) -> Any:
                if outer.fails.drops_at_rename:
                    Path(self._rnfr).rename(path)
                    return self.close()
                return super().ftp_RNTO(path)

        Handler.authorizer = authorizer
        self.server = FTPServer(("127.0.0.1", port), Handler)
        self.port = int(self.server.address[1])
        self.thread = threading.Thread(target=self._run, daemon=True)
        self.over = threading.Event()

    def _run(self) -> None:
        while not self.over.is_set():
            self.server.ioloop.loop(timeout=0.05, blocking=False)

    def __enter__(self) -> FtpsServer:
        self.thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.over.set()
        self.thread.join(10)
        self.server.close_all()
