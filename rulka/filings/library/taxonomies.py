"""Taxonomies in and out of the database: loaded from a package once, never replaced by another one."""

from __future__ import annotations

from functools import lru_cache
from hashlib import sha256

from django.db import transaction

from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.filings.taxonomy import Concepts as Concepts
from rulka.core.filings.taxonomy import taxonomy_from
from rulka.filings.models import Taxonomy
from rulka.formats.filings.apart import read_apart
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.models import Person


def taxonomies_of(ledger: Ledger) -> list[Taxonomy]:
    """The taxonomies of a ledger, without their packages."""
    return list(Taxonomy.objects.filter(ledger=ledger).defer("data", "told").select_related("person"))


def find_taxonomy(ledger: Ledger, name: str) -> Taxonomy:
    """A taxonomy by its name; NotFound otherwise."""
    found = Taxonomy.objects.filter(ledger=ledger, name=name).defer("data", "told").first()
    if found is None:
        known = [one.name for one in taxonomies_of(ledger)]
        raise NotFound(
            f"The taxonomy '{name[:80]}' is not loaded.",
            hint=one_of(name, known) if known else "Load its package first.", subject="taxonomy",
        )  # fmt: skip
    return found


def concepts_of(taxonomy: Taxonomy) -> Concepts:
    """What a taxonomy holds; kept in the process, since it never changes."""
    return _concepts(taxonomy.pk, taxonomy.digest)


@lru_cache(maxsize=8)
def _concepts(number: int, digest: str) -> Concepts:
    return taxonomy_from(Taxonomy.objects.values_list("told", flat=True).get(pk=number))


def package_of(taxonomy: Taxonomy) -> bytes:
    """The package as it was loaded."""
    return bytes(Taxonomy.objects.values_list("data", flat=True).get(pk=taxonomy.pk))


def required_loader(person: Person | None) -> None:
    """Refuse whoever loads none."""
    if person is not None and not person.may_edit:
        raise RulkaError("You may look at taxonomies, not load them.", hint="Ask an accountant.", code="rights")


def load(
    ledger: Ledger, data: bytes, file: str, person: Person | None, *, entry: str = "", name: str = ""
) -> tuple[Taxonomy, bool]:
    """Read a package in a process of its own and keep it. Whether it is new; one that is there already with the same
    bytes stays as it is, with others it is refused."""
    required_loader(person)
    told = read_apart(data, file, entry)
    name = slug(name or f"{told['title']} {told['version']}")[:80] or "taxonomy"
    digest = sha256(data).hexdigest()
    with transaction.atomic():
        found = Taxonomy.objects.filter(ledger=ledger, name=name).first()
        if found is not None:
            if found.digest == digest and found.entry == told["entry"]:
                return found, False
            raise RulkaError(
                f"Another package is loaded as '{name}'.", hint="Load this one under another name; filings choose "
                "between both.", subject=file,
            )  # fmt: skip
        made = Taxonomy.objects.create(
            ledger=ledger, name=name, title=told["title"][:200], version=told["version"], entry=told["entry"][:400],
            digest=digest, data=data, told=told, person=person,
        )  # fmt: skip
        record.note(person, "changed", ledger=ledger.code, thing=f"taxonomy {name}", detail="loaded")
    return made, True


@transaction.atomic
def forget(taxonomy: Taxonomy, used_by: list[str], person: Person) -> None:
    """Take a taxonomy away that no filing follows."""
    if not person.may_edit:
        raise RulkaError("You may look at taxonomies, not delete them.", hint="Ask an accountant.", code="rights")
    if used_by:
        raise RulkaError(
            f"{', '.join(used_by[:4])} follow{'s' if len(used_by) == 1 else ''} it.",
            hint="Let them follow another one first.", subject=taxonomy.name,
        )  # fmt: skip
    record.note(person, "changed", ledger=taxonomy.ledger.code, thing=f"taxonomy {taxonomy.name}", detail="deleted")
    taxonomy.delete()
