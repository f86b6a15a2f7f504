"""Files with figures that leave: each has a code, is kept as it stood for as long as set, and is found again by its
code."""

from __future__ import annotations

import json
import secrets
import zlib
from base64 import b64decode, b64encode
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256
from typing import Any

from rulka.core.proof.origin import ALPHABET, ReadPart, packed, unpacked
from rulka.work.models import LeftFile


@dataclass(frozen=True)
class Left:
    """What a file that leaves is of: `pages` say how each of its pages was computed, so that it can be computed
    again."""

    ledger: str
    kind: str
    name: str
    period: str
    node: str
    revision: int
    fence: str
    pages: Sequence[Mapping[str, Any]]
    person: int | None = None
    person_name: str = ""

    @property
    def figures(self) -> str:
        """A digest of its figures."""
        return digest_of([page["run"]["lines"] for page in self.pages])

    @property
    def definitions(self) -> str:
        """A digest of what its figures were computed from."""
        return digest_of([page["bodies"] for page in self.pages])


def digest_of(told: Any) -> str:
    """Sixteen hex digits that name some data."""
    return sha256(json.dumps(told, sort_keys=True, ensure_ascii=False).encode()).hexdigest()[:16]


def new_code() -> str:
    """A code that no file has yet."""
    while True:
        drawn = "".join(secrets.choice(ALPHABET) for _ in range(10))
        code = f"R-{drawn[:5]}-{drawn[5:]}"
        if not LeftFile.objects.filter(code=code).exists():
            return code


def keep(
    code: str, left: Left, form: str, content: bytes, parts: Sequence[ReadPart] | None, *, digest: str = "",
    whole: bool = True,
) -> LeftFile:  # fmt: skip
    """Keep what a file is of and how it stands: what was read back of it, or without that its bytes; of one that isn't
    kept `whole` its digest alone."""
    told: dict[str, Any] = {"pages": [dict(page) for page in left.pages], "whole": whole}
    if parts is None:
        told["content"] = b64encode(content).decode()
    else:
        told["parts"] = packed(parts)
    return LeftFile.objects.create(
        code=code,
        ledger=left.ledger,
        kind=left.kind,
        name=left.name,
        form=form,
        period=left.period,
        node=left.node,
        revision=left.revision,
        figures=left.figures,
        definitions=left.definitions,
        person=left.person,
        person_name=left.person_name[:80],
        fence=left.fence,
        digest=digest or sha256(content).hexdigest(),
        kept=zlib.compress(json.dumps(told, ensure_ascii=False).encode(), 6),
    )


def find(codes: Sequence[str]) -> LeftFile | None:
    """The file that one of some codes names, the first one that any does."""
    known = {one.code: one for one in LeftFile.objects.filter(code__in=codes[:20])}
    return next((known[code] for code in codes if code in known), None)


def find_bytes(digest: str) -> LeftFile | None:
    """The file that has just these bytes, by their SHA-256."""
    return LeftFile.objects.filter(digest=digest).first()


def pages_of(left: LeftFile) -> list[dict[str, Any]]:
    """The pages of a kept file."""
    pages: list[dict[str, Any]] = _told(left)["pages"]
    return pages


def is_whole(left: LeftFile) -> bool:
    """Whether it is known what stood in a file, not its digest alone."""
    return bool(_told(left).get("whole", True))


def content_of(left: LeftFile) -> bytes | None:
    """A kept file's bytes; None where only what was read of it was kept, or its digest."""
    told = _told(left)
    return b64decode(told["content"]) if told.get("content") and told.get("whole", True) else None


def parts_of(left: LeftFile, read: Callable[[bytes, str], Sequence[ReadPart]]) -> Sequence[ReadPart]:
    """What stood in a kept file; read now where its bytes were kept."""
    told = _told(left)
    return unpacked(told["parts"]) if "parts" in told else read(b64decode(told["content"]), left.code)


def _told(left: LeftFile) -> dict[str, Any]:
    told: dict[str, Any] = json.loads(zlib.decompress(bytes(left.kept)))
    return told


def forget_old(before: datetime) -> int:
    """Forget the files that left before a moment; how many that were."""
    return LeftFile.objects.filter(at__lt=before).delete()[0]
