"""Logos: checked when they come, kept with the ledger."""

from __future__ import annotations

import io

from PIL import Image, UnidentifiedImageError

from rulka.core.definitions.keys import slug
from rulka.core.errors import RulkaError
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import required_editor
from rulka.statements.models import Picture

MOST_BYTES = 400_000
MOST_PIXELS = 4_000_000
FORMS = {"PNG": "image/png", "JPEG": "image/jpeg"}


def store(ledger: Ledger, name: str, data: bytes, *, person: Person) -> Picture:
    """Keep a picture under its file's name; PNG and JPEG up to 400 kB and 4 million pixels, nothing else."""
    required_editor(person)
    if len(data) > MOST_BYTES:
        raise RulkaError("The picture is larger than 400 kB.", hint="Make it smaller.", subject="logo")
    try:
        with Image.open(io.BytesIO(data), formats=list(FORMS)) as image:
            form, size = image.format or "", image.size
            if size[0] * size[1] > MOST_PIXELS:
                raise RulkaError(
                    f"The picture has {size[0]} x {size[1]} pixels.",
                    hint="Make it smaller: at most 4 million.",
                    subject="logo",
                )
            image.verify()
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError):
        raise RulkaError(
            "This is no picture that can be used.", hint="Choose a PNG or JPEG file.", subject="logo"
        ) from None
    picture, _ = Picture.objects.update_or_create(
        ledger=ledger, name=slug(name.rsplit(".", 1)[0])[:80], defaults={"type": FORMS[form], "data": data}
    )
    return picture
