"""Files into a folder below one that the administrator allows: whole or not at all."""

from __future__ import annotations

import os
from collections.abc import Mapping
from hashlib import sha256
from pathlib import Path

from django.conf import settings

from rulka.core.errors import RulkaError, one_of

MOST_NUMBERS = 1_000


def allowed() -> Mapping[str, Path]:
    """The folders that may be sent into, by name (`RULKA_SEND_FOLDERS`)."""
    return {name: Path(path) for name, path in settings.SEND_FOLDERS.items()}


def folder_named(name: str) -> Path:
    """An allowed folder by its name, which is there."""
    folders = allowed()
    if name not in folders:
        raise RulkaError(f"'{name[:40]}' is no folder that may be sent into.",
                         hint=one_of(name, folders) if folders else "An administrator sets RULKA_SEND_FOLDERS.",
                         subject="path")  # fmt: skip
    if not folders[name].is_dir():
        raise RulkaError(f"The folder '{name}' isn't there.", hint="Look whether it is mounted.", subject="path")
    return folders[name]


def put(target: str, name: str, content: bytes, *, exists: str) -> str:
    """Write a file whole or not at all, and say under which name; one that is there already with the same content is
    that file. Raises RulkaError where one of that name is there and may not be touched, OSError where it can't be
    written."""
    first, *below = target.split("/")
    base = folder_named(first).resolve()
    folder = base.joinpath(*below)
    folder.mkdir(parents=True, exist_ok=True)
    if not folder.resolve().is_relative_to(base):
        raise RulkaError(f"'{target}' leads out of its folder.", hint="Name a folder below it.", subject="path")
    begun = folder / f".{sha256(f'{target}/{name}'.encode()).hexdigest()[:16]}.part"
    begun.unlink(missing_ok=True)
    try:
        descriptor = os.open(begun, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o640)
        with os.fdopen(descriptor, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        return _named(begun, folder, name, content, exists)
    finally:
        begun.unlink(missing_ok=True)


def _named(begun: Path, folder: Path, name: str, content: bytes, exists: str) -> str:
    stem, _, ending = name.rpartition(".")
    for number in range(1, MOST_NUMBERS):
        path = folder / (name if number == 1 else f"{stem} ({number}).{ending}")
        if exists == "overwrite":
            begun.replace(path)
            return path.name
        try:
            os.link(begun, path)  # never over one that is there
        except FileExistsError:
            if path.is_file() and path.read_bytes() == content:
                return path.name
            if exists == "refuse":
                raise RulkaError(f"{path.name} is there already.", hint="Take it away, or let it be numbered.",
                                 subject="path") from None  # fmt: skip
            continue
        return path.name
    raise RulkaError(f"{name} is there {MOST_NUMBERS} times.", hint="Take some away.", subject="path")
