"""Logos: checked when they come, kept with the ledger."""

from __future__ import annotations

from rulka.core.definitions.keys import slug
from rulka.formats.intake.pictures import checked_picture
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import required_editor
from rulka.statements.models import Picture

MOST_BYTES = 400_000


def store(ledger: Ledger, name: str, data: bytes, *, person: Person) -> Picture:
    """Keep a picture under its file's name; PNG and JPEG up to 400 kB and 4 million pixels, nothing else."""
    required_editor(person)
    form, _, _ = checked_picture(data, MOST_BYTES, "logo")
    picture, _ = Picture.objects.update_or_create(
        ledger=ledger, name=slug(name.rsplit(".", 1)[0])[:80], defaults={"type": form, "data": data}
    )
    return picture
