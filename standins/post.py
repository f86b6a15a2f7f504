"""The other side of what the demo sends: a mail server, two file servers, and a page that shows what arrived.

`python -m standins.post --folder F --mail N --sftp N --ftps N --page N`. The page has a switch for each way in which
they fail on request.
"""

from __future__ import annotations

import argparse
import sys
import threading
from dataclasses import fields
from html import escape
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, quote, unquote, urlsplit

import asyncssh

from standins.file_server import FtpsServer, SftpServer, certificate
from standins.mail_server import MailServer

LOOK = """
body { font: 15px/1.5 sans-serif; margin: 24px 32px; color: #20292b; background: #fdfcf8; max-width: 1100px }
h1 { font-size: 24px; margin: 0 } h2 { font-size: 17px; margin: 22px 0 4px } small, .soft { color: #5f6663 }
table { border-collapse: collapse; width: 100% } td, th { text-align: left; padding: 3px 14px 3px 0;
border-bottom: 1px solid #e6e0d1; vertical-align: top } form { display: inline } button { font: inherit }
iframe { width: 100%; height: 420px; border: 1px solid #cfc7b4; background: #fff }
.on { background: #f8ece8; border-color: #a43a2c }
"""


class Post:
    """All that stands on the other side, over one folder."""

    def __init__(self, folder: Path, mail: int = 0, sftp: int = 0, ftps: int = 0, page: int = 0) -> None:
        keys = folder / "keys"
        keys.mkdir(parents=True, exist_ok=True)
        self.folders = folder / "folders"
        (self.folders / "Finance").mkdir(parents=True, exist_ok=True)
        self.mail = MailServer(port=mail)
        self.sftp = SftpServer(folder / "sftp", port=sftp, key=_kept_key(keys / "sftp.pem"))
        self.ftps = FtpsServer(folder / "ftps", port=ftps, pem=_kept_certificate(keys))
        self.web = ThreadingHTTPServer(("127.0.0.1", page), _Page)
        self.web.post = self  # type: ignore[attr-defined]

    def __enter__(self) -> Post:
        self.mail.__enter__()
        self.sftp.__enter__()
        self.ftps.__enter__()
        threading.Thread(target=self.web.serve_forever, daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self.web.shutdown()
        self.web.server_close()
        self.ftps.__exit__()
        self.sftp.__exit__()
        self.mail.__exit__()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.web.server_address[1]}/"

    @property
    def switches(self) -> dict[str, Any]:
        """What may fail, by name."""
        found = {}
        for name, server in (("mail", self.mail), ("sftp", self.sftp), ("ftps", self.ftps)):
            for field in fields(server.fails):
                if field.type == "bool":
                    found[f"{name} {field.name}"] = server.fails
        return found

    def files(self) -> list[tuple[str, Path]]:
        """What lies in folders and on the file servers, the newest first."""
        places = (("folder", self.folders), ("SFTP", self.sftp.folder), ("FTPS", self.ftps.folder))
        found = [(what, path) for what, base in places for path in base.rglob("*") if path.is_file()]
        return sorted(found, key=lambda pair: -pair[1].stat().st_mtime)


def _kept_key(path: Path) -> asyncssh.SSHKey:
    if not path.exists():
        asyncssh.generate_private_key("ssh-ed25519").write_private_key(str(path))
        path.chmod(0o600)
    return asyncssh.read_private_key(str(path))


def _kept_certificate(keys: Path) -> Path:
    kept = keys / "ftps.pem"
    if not kept.exists():
        certificate(keys).rename(kept)
    return kept


class _Page(BaseHTTPRequestHandler):
    def log_message(self, *_: object) -> None:
        return

    @property
    def post(self) -> Post:
        return self.server.post  # type: ignore[attr-defined, no-any-return]

    def _send(self, content: bytes, kind: str = "text/html; charset=utf-8", name: str = "") -> None:
        self.send_response(200)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(content)))
        self.send_header("X-Content-Type-Options", "nosniff")
        if name:
            self.send_header("Content-Disposition", f"attachment; filename*=UTF-8''{quote(name)}")
        self.end_headers()
        self.wfile.write(content)

    def do_POST(self) -> None:
        length = int(self.headers.get("Content-Length", "0"))
        asked = parse_qs(self.rfile.read(min(length, 10_000)).decode())
        name = asked.get("switch", [""])[0]
        if name == "sftp key":
            self.post.sftp.change_key()
        elif name in self.post.switches:
            fails, field = self.post.switches[name], name.partition(" ")[2]
            setattr(fails, field, not getattr(fails, field))
        self.send_response(303)
        self.send_header("Location", "/")
        self.end_headers()

    def do_GET(self) -> None:
        kind, *rest = [unquote(part) for part in urlsplit(self.path).path.strip("/").split("/")]
        arrived = self.post.mail.arrived
        if kind == "mail" and rest and rest[0].isdecimal() and int(rest[0]) < len(arrived):
            message = arrived[int(rest[0])].message
            if rest[1:] == ["page"]:
                body = message.get_body(("html", "plain"))
                self._send(body.get_content().encode() if body else b"")
                return
            if len(rest) == 2:
                for part in message.iter_attachments():
                    if part.get_filename() == rest[1]:
                        self._send(part.get_payload(decode=True), "application/octet-stream", rest[1])  # type: ignore[arg-type]
                        return
            self._send(self._mail(int(rest[0])).encode())
            return
        if kind == "file" and rest and rest[0].isdecimal() and int(rest[0]) < len(self.post.files()):
            path = self.post.files()[int(rest[0])][1]
            self._send(path.read_bytes(), "application/octet-stream", path.name)
            return
        self._send(self._list().encode())

    def _mail(self, at: int) -> str:
        message = self.post.mail.arrived[at].message
        names = [part.get_filename() or "" for part in message.iter_attachments()]
        files = ", ".join(f'<a href="/mail/{at}/{quote(name)}">{escape(name)}</a>' for name in names)
        heads = "".join(
            f"<tr><th>{head}</th><td>{escape(str(message[head] or ''))}</td></tr>"
            for head in ("From", "To", "Cc", "Subject", "Message-ID")
        )
        body = f'<p><a href="/">What arrived</a></p><table>{heads}<tr><th>Files</th><td>{files}</td></tr></table>'
        return _page(f'{body}<iframe sandbox src="/mail/{at}/page" title="The letter"></iframe>')

    def _list(self) -> str:
        mails = "".join(
            f'<tr><td><a href="/mail/{at}">{escape(str(one.message["Subject"] or ""))}</a></td>'
            f"<td>{escape(', '.join(one.to))}</td><td>{sum(1 for _ in one.message.iter_attachments())}</td></tr>"
            for at, one in reversed([*enumerate(self.post.mail.arrived)])
        )
        files = "".join(
            f'<tr><td>{what}</td><td><a href="/file/{at}">{escape(path.name)}</a></td>'
            f"<td>{escape(str(path.parent.name))}</td><td>{path.stat().st_size:,} bytes</td></tr>"
            for at, (what, path) in enumerate(self.post.files())
        )
        switches = "".join(
            f'<button name="switch" value="{name}" class="{"on" if getattr(fails, name.partition(" ")[2]) else ""}">'
            f"{name.replace('_', ' ')}</button> "
            for name, fails in self.post.switches.items()
        )
        return _page(
            '<h1>What arrived</h1><p class="soft">The other side of the demo: nothing here leaves this machine.</p>'
            f"<h2>Mail</h2><table><tr><th>Subject</th><th>To</th><th>Files</th></tr>{mails}</table>"
            f"<h2>Files</h2><table><tr><th>By</th><th>File</th><th>Folder</th><th>Size</th></tr>{files}</table>"
            f'<h2>Let it fail</h2><form method="post">{switches}<button name="switch" value="sftp key">sftp shows '
            "another key</button></form>"
        )


def _page(body: str) -> str:
    head = f'<meta charset="utf-8"><title>What arrived</title><style>{LOOK}</style>'
    return f'<!doctype html><html lang="en">{head}{body}'


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path, required=True)
    for name in ("mail", "sftp", "ftps", "page"):
        parser.add_argument(f"--{name}", type=int, default=0)
    asked = parser.parse_args()
    with Post(asked.folder, asked.mail, asked.sftp, asked.ftps, asked.page) as post:
        print(f"What the demo sends arrives at {post.address}", file=sys.stderr, flush=True)
        threading.Event().wait()


if __name__ == "__main__":
    main()
