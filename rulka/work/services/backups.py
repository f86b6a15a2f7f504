"""One file that holds all: both databases and the files that Rulka keeps, each as it stood at one moment; and bringing
it back.

A backup is made while people work: each database is copied within one reading transaction, the first one first, so that
the second may know of work whose end the first has not seen yet; a restored copy takes such work for lost. Secrets
stay out of it. A restored copy does nothing by itself until a person lets it go on.
"""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connections
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder
from django.utils import timezone

from rulka.core.errors import RulkaError

FORMAT = 1
MANIFEST = "rulka-backup.json"
DATABASES = ("default", "work")
FOLDERS = ("outputs", "loads", "samples", "feeds", "sent")
"""Folders below VAR that belong to what the databases hold; secrets and locks don't."""

HELD = "held-since-restore"
"""A file below VAR that says that this is a restored copy which nobody let go on yet."""

MOST_BYTES = 200 * 10**9
Restored = Callable[[], list[str]]
_AFTER: list[Restored] = []


def after_restore(do: Restored) -> None:
    """Register what an app does to a restored copy; it says what a person has to see to, in words."""
    _AFTER.append(do)


@dataclass(frozen=True)
class Backup:
    """A backup that was read and found whole."""

    made: str
    members: int
    size: int
    migrations: tuple[tuple[str, str], ...]


def database_file(alias: str) -> Path:
    """Where a database stands; refused where it is none of files."""
    name = str(connections[alias].settings_dict["NAME"])
    if connections[alias].vendor != "sqlite" or "memory" in name:
        raise RulkaError("Only databases in files are backed up.", hint="Use the database's own tools.", subject=alias)
    return Path(name)


# making one ---------------------------------------------------------------------------------------------------------


def make(target: Path) -> Backup:
    """Write a backup and read it again; nothing is left of one that doesn't come to its end."""
    if target.exists():
        raise RulkaError(f"{target} exists already.", hint="Name another file.", subject="backup")
    if not target.parent.is_dir():
        raise RulkaError(f"The folder {target.parent} does not exist.", hint="Make it first.", subject="backup")
    begun = target.with_name(f"{target.name}.part")
    try:
        with tempfile.TemporaryDirectory(dir=target.parent, prefix=".rulka-backup-") as scratch:
            _write(begun, Path(scratch))
        found = read(begun)
        begun.replace(target)
    except (OSError, sqlite3.Error) as error:
        raise RulkaError(
            f"The backup could not be written: {error}.", hint="Look whether there is room.", subject="backup"
        ) from error
    finally:
        begun.unlink(missing_ok=True)
    return found


def _write(begun: Path, scratch: Path) -> None:
    sums: dict[str, str] = {}
    descriptor = os.open(begun, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "wb") as file:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1, allowZip64=True) as archive:
            for alias in DATABASES:
                copied = scratch / f"{alias}.sqlite3"
                _copy(database_file(alias), copied)
                if alias == "work":
                    _without_sessions(copied)
                sums[copied.name] = _add(archive, copied, copied.name)
                copied.unlink()
            for name, path in _files():
                if path.exists():  # what a person takes away while this goes on is no longer theirs to keep
                    sums[name] = _add(archive, path, name)
            manifest = {
                "format": FORMAT,
                "made": timezone.now().isoformat(timespec="seconds"),
                "migrations": _applied(),
                "sums": sums,
            }
            archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
        file.flush()
        os.fsync(file.fileno())


def _copy(source: Path, target: Path) -> None:
    """A database as it stands at one moment; others write on."""
    with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True, timeout=30)) as connection:
        connection.execute("VACUUM INTO ?", [str(target)])


def _without_sessions(copied: Path) -> None:
    """Take the sessions out of a copy: whoever finds a backup walks into none."""
    with closing(sqlite3.connect(copied, isolation_level=None)) as connection:
        connection.execute("PRAGMA secure_delete = ON")
        for table in ("django_session", "people_visit"):
            connection.execute(f"DELETE FROM {table}")
        connection.execute("VACUUM")


def _files() -> Iterator[tuple[str, Path]]:
    base = Path(settings.VAR)
    for folder in FOLDERS:
        for path in sorted((base / folder).rglob("*")):
            if path.is_file() and not path.is_symlink() and path.suffix != ".part":
                yield f"files/{path.relative_to(base)}", path


def _add(archive: zipfile.ZipFile, path: Path, name: str) -> str:
    digest = sha256()
    with path.open("rb") as file, archive.open(name, "w", force_zip64=True) as into:
        while block := file.read(1 << 20):
            digest.update(block)
            into.write(block)
    return digest.hexdigest()


def _applied() -> list[tuple[str, str]]:
    return sorted(MigrationRecorder(connections["default"]).applied_migrations())


# reading one --------------------------------------------------------------------------------------------------------


def read(path: Path, into: Path | None = None) -> Backup:
    """Read a backup to its end, every part held against its sum; unpacked into a folder where one is named. Refused
    where it is cut, altered, or of a version that this one doesn't know."""
    try:
        with zipfile.ZipFile(path) as archive:
            manifest = _manifest(archive)
            size = 0
            for name, wanted in manifest["sums"].items():
                size += _checked(archive, name, wanted, into)
    except (zipfile.BadZipFile, KeyError, EOFError, json.JSONDecodeError, UnicodeDecodeError) as error:
        raise RulkaError(
            f"{path.name} is no whole backup: {error}.", hint="Take another one.", subject="backup"
        ) from None
    known = tuple((str(app), str(name)) for app, name in manifest["migrations"])
    return Backup(str(manifest["made"]), len(manifest["sums"]), size, known)


def _manifest(archive: zipfile.ZipFile) -> dict[str, Any]:
    if archive.getinfo(MANIFEST).file_size > 50_000_000:
        raise zipfile.BadZipFile("its table of contents is too long")
    manifest: dict[str, Any] = json.loads(archive.read(MANIFEST))
    if manifest.get("format") != FORMAT:
        raise RulkaError("The backup is of another version of Rulka.", hint="Restore it with that one, then upgrade.",
                         subject="backup")  # fmt: skip
    there = set(archive.namelist()) - {MANIFEST}
    if there != set(manifest["sums"]) or not {f"{alias}.sqlite3" for alias in DATABASES} <= there:
        raise zipfile.BadZipFile("parts of it are missing, or there are more than it says")
    for name in there:
        parts = Path(name).parts
        if ".." in parts or Path(name).is_absolute() or (len(parts) > 1 and parts[:1] != ("files",)):
            raise zipfile.BadZipFile(f"{name} stands nowhere")
    if sum(info.file_size for info in archive.infolist()) > MOST_BYTES:
        raise zipfile.BadZipFile("it is larger than any backup")
    return manifest


def _checked(archive: zipfile.ZipFile, name: str, wanted: str, into: Path | None) -> int:
    digest, size = sha256(), 0
    target = None if into is None else into / name
    if target is not None:
        target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    with archive.open(name) as part, (target or Path(os.devnull)).open("wb") as file:
        while block := part.read(1 << 20):
            digest.update(block)
            size += len(block)
            file.write(block)
    if digest.hexdigest() != wanted:
        raise zipfile.BadZipFile(f"{name} is not what was written")
    return size


# bringing it back ---------------------------------------------------------------------------------------------------


def restore(path: Path, *, over: bool = False) -> Backup:
    """Bring a backup back in the place of what is here. Nothing is touched before all of it was read and found whole.
    Refused where something is here already, unless that is to go (`over`)."""
    files = {alias: database_file(alias) for alias in DATABASES}
    if not over and any(file.exists() and _holds_anything(file) for file in files.values()):
        raise RulkaError(
            "Something is here already.", hint="Restore elsewhere, or say --over to put it in its place.",
            subject="restore",
        )  # fmt: skip
    base = Path(settings.VAR)
    with tempfile.TemporaryDirectory(dir=base, prefix=".rulka-restore-") as scratch:
        found = read(path, Path(scratch))
        _known_here(found)
        for alias in DATABASES:
            _sound(Path(scratch) / f"{alias}.sqlite3")
        (base / HELD).write_text(found.made)  # first of all: whatever comes next, nothing is done by itself
        connections.close_all()
        for alias, file in files.items():
            for beside in (Path(f"{file}-wal"), Path(f"{file}-shm")):
                beside.unlink(missing_ok=True)
            (Path(scratch) / f"{alias}.sqlite3").replace(file)
            file.chmod(0o600)
        for folder in FOLDERS:
            shutil.rmtree(base / folder, ignore_errors=True)
            kept = Path(scratch) / "files" / folder
            if kept.is_dir():
                shutil.copytree(kept, base / folder)
    return found


def finish_restore() -> list[str]:
    """What is done to a restored copy once its databases have this version's tables; says what a person has to see
    to."""
    return [words for do in _AFTER for words in do()]


def _holds_anything(file: Path) -> bool:
    with closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as connection:
        tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        return any(
            connection.execute(f"SELECT EXISTS (SELECT 1 FROM {name})").fetchone()[0]
            for name in ("ledger_ledger", "people_person", "work_load")
            if name in tables
        )


def _known_here(found: Backup) -> None:
    """Refuse a backup that has seen changes of tables which this version doesn't know."""
    known = set(MigrationLoader(None).disk_migrations or ())
    newer = [f"{app} {name}" for app, name in found.migrations if (app, name) not in known]
    if newer:
        raise RulkaError(
            f"The backup is of a newer version: it knows {newer[0]}.", hint="Upgrade first.", subject="restore"
        )


def _sound(file: Path) -> None:
    with closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as connection:
        told = connection.execute("PRAGMA integrity_check").fetchone()[0]
    if told != "ok":
        raise RulkaError(f"{file.name} of the backup is damaged: {told}.", hint="Take another one.", subject="restore")


# a copy that waits --------------------------------------------------------------------------------------------------


def held_since() -> str:
    """When the backup was made that this copy was restored from, where nobody let it go on yet; else nothing."""
    held = Path(settings.VAR) / HELD
    return held.read_text() if held.exists() else ""


def let_go_on() -> None:
    """Let a restored copy do by itself what it did before."""
    (Path(settings.VAR) / HELD).unlink(missing_ok=True)
