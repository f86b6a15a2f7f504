"""Pictures that people hand in: PNG and JPEG of a sensible size, nothing else."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

from rulka.core.errors import RulkaError
from rulka.core.later import later

if TYPE_CHECKING:
    import PIL
    import PIL.Image as images
else:
    PIL = later("PIL")
    images = later("PIL.Image")

MOST_PIXELS = 4_000_000
FORMS = {"PNG": "image/png", "JPEG": "image/jpeg"}


def checked_picture(data: bytes, most: int, subject: str) -> tuple[str, int, int]:
    """Its type, width and height in pixels; raises RulkaError for what can't be used."""
    if len(data) > most:
        raise RulkaError(f"The picture is larger than {most // 1_000} kB.", hint="Make it smaller.", subject=subject)
    try:
        with images.open(io.BytesIO(data), formats=list(FORMS)) as image:
            form, (width, height) = image.format or "", image.size
            if width * height > MOST_PIXELS:
                raise RulkaError(
                    f"The picture has {width} x {height} pixels.",
                    hint="Make it smaller: at most 4 million.",
                    subject=subject,
                )
            image.verify()
    except (PIL.UnidentifiedImageError, OSError, SyntaxError, images.DecompressionBombError):
        raise RulkaError(
            "This is no picture that can be used.", hint="Choose a PNG or JPEG file.", subject=subject
        ) from None
    return FORMS[form], width, height
