"""Editions name the bounds they were made within by a digest; who could open one can open it as before."""

import ast
from hashlib import blake2b

from django.db import migrations

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError


def digests(apps, schema_editor):
    editions = apps.get_model("statements", "Edition").objects.using(schema_editor.connection.alias)
    for edition in editions.exclude(fence="", seals="").only("fence", "seals"):
        edition.fence = digest_of(edition.fence) if edition.fence else ""
        edition.seals = plain(edition.seals) if edition.seals not in ("", "nothing") else edition.seals
        edition.save(update_fields=["fence", "seals"])


def digest_of(text):
    """The digest of a fence that was kept as `Fence(entities='TF', accounts='', members={}, sealed='')`.

    What can't be read was nobody's fence any more, and stays so.
    """
    try:
        call = ast.parse(text, mode="eval").body
        return Fence.of(**{given.arg: ast.literal_eval(given.value) for given in call.keywords}).digest
    except (SyntaxError, ValueError, AttributeError, TypeError, RulkaError):
        return "unknown " + blake2b(text.encode(), digest_size=16).hexdigest()


def plain(text):
    try:
        return Fence.of(sealed=text).sealed
    except RulkaError:
        return text


class Migration(migrations.Migration):
    dependencies = [("statements", "0004_library")]
    operations = [migrations.RunPython(digests, migrations.RunPython.noop)]
