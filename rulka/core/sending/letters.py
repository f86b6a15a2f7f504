"""What a letter says: texts with tokens for names and figures, addresses, and names of files made of them.

A token stands between braces: `{node}`, `{period}` and their like for names, `{figure STATEMENT / LINE / COLUMN}`,
`{cell WORKSHEET / PLACE}` and `{table STATEMENT}` for what is computed. Nothing is sent while a token means nothing.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from rulka.core.errors import RulkaError, one_of

NAMES = (
    "name",
    "node",
    "node.code",
    "period",
    "period.code",
    "ledger",
    "statement",
    "currency",
    "revision",
    "date",
    "time",
    "sheet",
    "link",
)
"""Tokens that stand for a name: the recipient's, and those of what is sent."""

FIGURES: Mapping[str, tuple[str, ...]] = {
    "figure": ("statement", "line", "column"),
    "cell": ("worksheet", "place"),
    "table": ("statement",),
}
"""Tokens that stand for what is computed, and what each has to name, with slashes between."""

MOST_TEXT = 20_000
MOST_TOKENS = 200
TOKEN = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True)
class LetterToken:
    """Something that a text stands for: its kind, and of a figure what names it."""

    kind: str
    parts: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """The token as it is written."""
        return f"{{{self.kind} {' / '.join(self.parts)}}}" if self.parts else f"{{{self.kind}}}"


Letter = tuple[str | LetterToken, ...]
"""A text and the tokens in it, in order."""


def letter_from(written: str, *, where: str, tables: bool = False) -> Letter:
    """A text read; raises RulkaError on a token that doesn't exist or names too little, and on a table where there can
    be none."""
    if len(written) > MOST_TEXT:
        raise RulkaError(f"The text has more than {MOST_TEXT:,} characters.", hint="Shorten it.", subject=where)
    if "{" in TOKEN.sub("", written) or "}" in TOKEN.sub("", written):
        raise RulkaError("A brace belongs to no token.", hint="Write tokens as {node}.", subject=where, code="token")
    pieces = TOKEN.split(written)
    if len(pieces) > 2 * MOST_TOKENS:
        raise RulkaError(f"The text has more than {MOST_TOKENS} tokens.", subject=where)
    found: list[str | LetterToken] = []
    for at, piece in enumerate(pieces):
        if at % 2:
            token = _token(piece, where)
            if token.kind == "table" and not tables:
                raise RulkaError("A table stands in the text of a letter only.", hint="Name a figure of it.",
                                 subject=where, code="token")  # fmt: skip
            found.append(token)
        elif piece:
            found.append(piece)
    return tuple(found)


def _token(written: str, where: str) -> LetterToken:
    text = " ".join(written.split())
    if text in NAMES:
        return LetterToken(text)
    kind, _, rest = text.partition(" ")
    if kind not in FIGURES:
        near = one_of(text, [*NAMES, *FIGURES])
        raise RulkaError(f"'{{{text[:60]}}}' is no token.", hint=near, subject=where, code="token")
    parts = tuple(part.strip() for part in rest.split("/"))
    wanted = FIGURES[kind]
    if len(parts) != len(wanted) or not all(parts):
        raise RulkaError(
            f"'{{{text[:60]}}}' doesn't name what it is of.", hint=f"Write {{{kind} {' / '.join(wanted)}}}.",
            subject=where, code="token",
        )  # fmt: skip
    return LetterToken(kind, parts)


def tokens_in(letters: Iterable[Letter]) -> list[LetterToken]:
    """The tokens of some texts, each once."""
    return list(dict.fromkeys(piece for letter in letters for piece in letter if isinstance(piece, LetterToken)))


def filled(letter: Letter, value_of: Callable[[LetterToken], str | None], *, where: str) -> str:
    """A text with its tokens filled in; raises RulkaError where one of them has no value, naming them all."""
    values = {token: value_of(token) for token in tokens_in([letter])}
    empty = [token.text for token, value in values.items() if value is None or not value.strip()]
    if empty:
        raise RulkaError(
            f"{', '.join(empty)} {'has' if len(empty) == 1 else 'have'} no value.",
            hint="Nothing is sent: name something else, or take it out.", subject=where, code="token",
        )  # fmt: skip
    return "".join(str(values[piece]) if isinstance(piece, LetterToken) else piece for piece in letter)


# one line, addresses, names -----------------------------------------------------------------------------------------

MOST_LINE = 250


def one_line(text: str, *, where: str) -> str:
    """A text that stands in one line, such as a subject; refused with a line break or anything else that can't be
    seen."""
    stripped = text.strip()
    if any(unicodedata.category(character) in ("Cc", "Zl", "Zp") for character in stripped):
        raise RulkaError("It has a line break or a sign that can't be seen.", hint="Write it in one line.",
                         subject=where)  # fmt: skip
    if not stripped or len(stripped) > MOST_LINE:
        raise RulkaError(f"It has {'nothing in it' if not stripped else f'more than {MOST_LINE} characters'}.",
                         hint="Write something short.", subject=where)  # fmt: skip
    return stripped


LOCAL = re.compile(r"[A-Za-z0-9!#$%&'*+/=?^_`|~-]+(\.[A-Za-z0-9!#$%&'*+/=?^_`|~-]+)*")
DOMAIN = re.compile(r"[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?(\.[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?)+")


def addresses_in(text: str, *, where: str, book: Mapping[str, str] | None = None) -> tuple[str, ...]:
    """The mail addresses of a text, with commas or semicolons between, each once; a name of the address book (in small
    letters) stands for its address. Raises RulkaError on what is none."""
    if not text.strip():
        return ()
    said = [one for one in re.split("[,;]", one_line(text.strip(" ,;"), where=where)) if one.strip()]
    known = book or {}
    return tuple(dict.fromkeys(_address(known.get(one.strip().casefold(), one), where) for one in said))


def _address(text: str, where: str) -> str:
    local, mark, domain = text.strip().rpartition("@")
    if not mark or not LOCAL.fullmatch(local) or not DOMAIN.fullmatch(domain) or len(text) > MOST_LINE:
        raise RulkaError(f"'{text.strip()[:60]}' is no mail address.", hint="Write it as name@example.org.",
                         subject=where)  # fmt: skip
    return f"{local}@{domain.lower()}"


FORBIDDEN = re.compile(r'[\\/:*?"<>|\x00-\x1f\x7f-\x9f\u2028\u2029\u202a-\u202e\u2066-\u2069]+')
MOST_NAME = 120
TAKEN = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?", re.IGNORECASE)
"""Names that some systems keep for devices."""


def file_name(text: str, ending: str) -> str:
    """A name that every system takes for a file: what none takes becomes a dash, and it never leads out of a folder."""
    plain = unicodedata.normalize("NFC", FORBIDDEN.sub("-", text))
    plain = " ".join(plain.split()).strip(" .-")[: MOST_NAME - len(ending) - 1].strip(" .-")
    if not plain or TAKEN.fullmatch(plain):
        plain = f"file-{plain}".strip("-")
    return f"{plain}.{ending}"


def folder_parts(text: str, *, where: str) -> tuple[str, ...]:
    """The folders of a path below an allowed one; raises RulkaError on a path that leads out of it."""
    parts = [part.strip() for part in one_line(text, where=where).replace("\\", "/").split("/")]
    if not all(parts) or any(part in (".", "..") for part in parts) or re.match(r"[A-Za-z]:", parts[0]):
        raise RulkaError(f"'{text[:60]}' is no folder below an allowed one.", hint="Write it as finance/october.",
                         subject=where)  # fmt: skip
    return tuple(file_name(part, "x")[:-2] for part in parts)
