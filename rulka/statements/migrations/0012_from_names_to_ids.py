"""What named a definition points at it from here on; bodies, and all that history keeps of them, lose their names.

What was deleted gets a row again, with nothing in it: history, versions and editions are of it still.
"""

from django.db import migrations
from django.utils.text import slugify

PARTS = ("spine", "span", "scope")


def forward(apps, schema_editor):
    models = {name: apps.get_model("statements", name) for name in ("Definition", "Edit", "Change", "SavedVersion", "Edition", "Explanation")}  # fmt: skip
    for ledger in apps.get_model("ledger", "Ledger").objects.all():
        _Ledger(ledger, models).migrate()


class _Ledger:
    def __init__(self, ledger, models):
        self.ledger, self.models = ledger, models
        stored = models["Definition"].objects.filter(ledger=ledger)
        self.known = {(one.kind, one.name): one for one in stored}
        self.titles = {}
        for one in stored:
            self.titles.setdefault((one.kind, str((one.body or {}).get("title", "")).casefold()), []).append(one)

    def of(self, kind, name):
        """The row of a definition by its name; an empty one where it is gone."""
        if (kind, name) not in self.known:
            self.known[kind, name] = self.models["Definition"].objects.create(
                ledger=self.ledger, kind=kind, name=name, body=None, version=0
            )
        return self.known[kind, name]

    def part(self, kind, name):
        """The row of a part that a body names: by its name, or by its title as bodies could."""
        if (kind, name) not in self.known:
            titled = self.titles.get((kind, name.casefold()), []) or [
                one for (of, called), one in self.known.items() if of == kind and called == slugify(name)
            ]
            if len(titled) == 1:
                return titled[0]
        return self.of(kind, name)

    def state(self, kind, body):
        """A body without its name, and with its parts by their keys."""
        if body is None:
            return None
        parts = PARTS if kind == "statement" else ()
        return {
            name: self.part(name, value).pk if name in parts else value for name, value in body.items() if name != kind
        }

    def migrate(self):
        changes = list(self.models["Change"].objects.filter(edit__ledger=self.ledger).order_by("pk"))
        for change in changes:
            gone = self.of(change.kind, change.name)
            if gone.body is None and gone.version < change.version:
                gone.version = change.version
                gone.save(update_fields=["version"])
        self._definitions()
        for change in changes:
            change.definition = self.known[change.kind, change.name]
            change.before, change.after = self.state(change.kind, change.before), self.state(change.kind, change.after)
            change.save(update_fields=["definition", "before", "after"])
        for edition in self.models["Edition"].objects.filter(ledger=self.ledger).defer("run", "shown"):
            edition.of = self.of("statement", edition.statement)
            if edition.of.body is None and edition.shelf_id:  # where it stood
                edition.of.shelf_id = edition.shelf_id
                edition.of.save(update_fields=["shelf"])
            edition.save(update_fields=["of"])
        for name in ("SavedVersion", "Explanation"):
            for one in self.models[name].objects.filter(ledger=self.ledger):
                one.of = self.of("statement", one.statement)
                if name == "SavedVersion":
                    one.states = [self._saved(body) for body in one.bodies]
                one.save()
        for edit in self.models["Edit"].objects.filter(ledger=self.ledger):
            edit.of = self.known.get(("statement", edit.statement))
            edit.save(update_fields=["of"])

    def _definitions(self):
        for one in list(self.known.values()):
            if one.body is None:
                continue
            named = {kind: one.body.get(kind) for kind in PARTS} if one.kind == "statement" else {}
            for kind, name in named.items():
                setattr(one, kind, self.part(kind, name) if name else None)
            begun = one.kind == "statement" and "begun" in one.body
            one.body = {
                name: value for name, value in one.body.items() if name != one.kind and name not in named
            }
            one.save()
            for kind, name in named.items():
                if begun and name and name.startswith(one.name):
                    own = getattr(one, kind)
                    own.owner = one
                    own.save(update_fields=["owner"])

    def _saved(self, body):
        kind = next(kind for kind in ("statement", *PARTS) if kind in body)
        return {"of": self.of(kind, body[kind]).pk, "state": self.state(kind, body)}


class Migration(migrations.Migration):
    dependencies = [("statements", "0011_ids")]
    operations = [migrations.RunPython(forward)]
