"""Pictures on sheets: checked when they come, kept with the worksheet."""

from __future__ import annotations

from rulka.core.errors import NotFound, RulkaError
from rulka.formats.intake.pictures import checked_picture
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT
from rulka.worksheets.library.opening import required
from rulka.worksheets.models import SheetPicture, Worksheet

MOST_BYTES = 1_000_000
MOST_PICTURES = 50


def add_picture(worksheet: Worksheet, name: str, data: bytes, *, person: Person) -> tuple[SheetPicture, int, int]:
    """Keep a picture with a worksheet: PNG and JPEG up to 1 MB; with its width and height in pixels."""
    required(person, worksheet, EDIT)
    if worksheet.pictures.count() >= MOST_PICTURES:
        raise RulkaError(
            f"A worksheet keeps at most {MOST_PICTURES} pictures.", hint="Use one of them.", subject="picture"
        )
    kind, width, height = checked_picture(data, MOST_BYTES, "picture")
    found = SheetPicture.objects.create(worksheet=worksheet, name=name[:120], kind=kind, content=data)
    return found, width, height


def find_picture(worksheet: Worksheet, number: int) -> SheetPicture:
    """A picture of a worksheet."""
    found = worksheet.pictures.filter(pk=number).first()
    if found is None:
        raise NotFound("This picture isn't there.", hint="Load the page again.", subject="picture")
    return found
