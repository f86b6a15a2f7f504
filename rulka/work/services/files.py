"""The one store of files that Rulka made for somebody: written whole or not at all, readable by the service's user
only, taken away with what they belong to."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings

FOLDER = "outputs"


def keep(name: str, content: bytes, *, folder: str = FOLDER) -> str:
    """Write a file under a name that nothing else has, and return where it stands."""
    place = Path(settings.VAR) / folder
    place.mkdir(mode=0o700, parents=True, exist_ok=True)
    path, begun = place / name, place / f"{name}.part"
    descriptor = os.open(begun, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as file:
        file.write(content)
    begun.replace(path)
    return str(path)


@contextmanager
def writing(name: str, *, folder: str = FOLDER) -> Iterator[tuple[Path, Path]]:
    """The place of a file that is written piece by piece, and where it stands once the block ended well; nothing stays
    of one that didn't."""
    place = Path(settings.VAR) / folder
    place.mkdir(mode=0o700, parents=True, exist_ok=True)
    begun, path = place / f"part-{name}", place / name
    try:
        yield begun, path
        begun.replace(path)
        path.chmod(0o600)
    finally:
        begun.unlink(missing_ok=True)


def find(where: str, *, folder: str = FOLDER) -> Path | None:
    """A kept file; None where it is gone, or was never one of the store's."""
    path = Path(settings.VAR) / folder / Path(where).name  # a restored copy may stand elsewhere
    return path if Path(where).name and path.is_file() else None
