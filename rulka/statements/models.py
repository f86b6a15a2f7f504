"""Definitions of statements, spines, spans and scopes as plain mappings, with every change kept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from rulka.ledger.models import Ledger

PARTS = ("spine", "span", "scope")
"""The kinds of definitions that a statement is made of."""


class Standing(models.Manager["Definition"]):
    """The definitions that stand: one that was taken out keeps its row for all that names it, and may come back."""

    def get_queryset(self) -> models.QuerySet[Definition]:
        return super().get_queryset().filter(body__isnull=False)


class Definition(models.Model):
    """One spine, span, scope or statement. `body` is what its YAML document says but for names, every scalar as text;
    none where it was taken out. Its own name is `name`; a statement names its parts by `spine`, `span` and `scope`.

    So a rename writes one row. Files, formulas and addresses keep names: see `text`.
    """

    class Kind(models.TextChoices):
        SPINE = "spine"
        SPAN = "span"
        SCOPE = "scope"
        STATEMENT = "statement"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="definitions")
    kind = models.CharField(max_length=9, choices=Kind.choices)
    name = models.CharField(max_length=80)
    body: models.JSONField[Any, Any] = models.JSONField(null=True)
    spine = models.ForeignKey("self", null=True, on_delete=models.RESTRICT, related_name="+")
    span = models.ForeignKey("self", null=True, on_delete=models.RESTRICT, related_name="+")
    scope = models.ForeignKey("self", null=True, on_delete=models.RESTRICT, related_name="+")
    owner = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="own", help_text="The statement it was made for"
    )
    version = models.IntegerField(default=1, help_text="Counts the changes of the body")
    shelf = models.ForeignKey("Shelf", null=True, on_delete=models.SET_NULL, related_name="definitions")
    tags = models.JSONField(default=list)

    objects = Standing()
    every = models.Manager["Definition"]()

    class Meta:
        ordering: ClassVar = ["pk"]
        base_manager_name = "every"
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["ledger", "kind", "name"], name="one_definition_a_name")
        ]

    @property
    def title(self) -> str:
        """What people read of it: its title, its name where it has none."""
        return str((self.body or {}).get("title", self.name))

    @property
    def is_gone(self) -> bool:
        """Whether it was taken out."""
        return self.body is None

    @property
    def state(self) -> dict[str, Any] | None:
        """All that an edit can change of it, as history keeps it: the body, with the keys of its parts by kind where it
        has any; None where it was taken out."""
        if self.body is None:
            return None
        keys = {kind: getattr(self, f"{kind}_id") for kind in PARTS}
        return {**self.body, **{kind: key for kind, key in keys.items() if key is not None}}

    def take(self, state: Mapping[str, Any] | None) -> None:
        """Have a state from now on; nothing is written."""
        parts = PARTS if self.kind == self.Kind.STATEMENT else ()
        self.body = None if state is None else {name: value for name, value in state.items() if name not in parts}
        for kind in PARTS:
            setattr(self, f"{kind}_id", (state or {}).get(kind) if kind in parts else None)

    @property
    def text(self) -> dict[str, Any]:
        """What its YAML document says: its name and titles, the names of its parts, then the rest of its body."""
        body = self.body or {}
        titles = {name: body[name] for name in ("title", "subtitle") if name in body}
        parts = {kind: part.name for kind in PARTS if (part := getattr(self, kind)) is not None}
        return {self.kind: self.name, **titles, **parts, **body}


class Edit(models.Model):
    """One thing that somebody did to a statement: what, in words, and all it changed, so that it can be taken back and
    done again.

    `statement` is the one it was done on; none where a part alone was. `told` edits are entries of the history that
    can't be undone by themselves: undoing, redoing, loading from a file.
    """

    class State(models.TextChoices):
        DONE = "done", "done"
        UNDONE = "undone", "undone"
        DROPPED = "dropped", "dropped"
        TOLD = "told", "told"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="edits")
    statement = models.ForeignKey(Definition, null=True, on_delete=models.CASCADE, related_name="edits")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    what = models.TextField()
    window = models.CharField(max_length=20, blank=True)
    state = models.CharField(max_length=7, choices=State.choices, default=State.DONE)

    class Meta:
        ordering: ClassVar = ["-pk"]
        indexes: ClassVar = [models.Index(fields=["statement", "-id"], name="edits_of_statement")]


class Change(models.Model):
    """What an edit did to one definition: both states (see `Definition.state`), none where it was made or taken out;
    `version` is the one it led to."""

    edit = models.ForeignKey(Edit, on_delete=models.CASCADE, related_name="changes")
    definition = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="changes")
    version = models.IntegerField(default=0)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    class Meta:
        ordering: ClassVar = ["pk"]
        indexes: ClassVar = [models.Index(fields=["definition", "-id"], name="changes_of_definition")]


class SavedVersion(models.Model):
    """A statement with its parts as somebody saved it under a name: `states` are theirs, each with the key of what it
    is `of`, the statement's first."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="saved_versions")
    statement = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="saved_versions")
    name = models.CharField(max_length=120)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    states = models.JSONField()

    class Meta:
        ordering: ClassVar = ["-pk"]


class Picture(models.Model):
    """A logo that pages can carry."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="pictures")
    name = models.CharField(max_length=80)
    type = models.CharField(max_length=20)
    data = models.BinaryField()

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_picture_a_name")]


class Shelf(models.Model):
    """A place in the library; without rights of its own everybody who may see the ledger sees what is on it. Who made
    it keeps their rights. Names are unique among the shelves that somebody sees, which is asked where one is made."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="shelves")
    name = models.CharField(max_length=80)
    maker = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering: ClassVar = ["name", "pk"]


class ShelfRight(models.Model):
    """What a person or a group may do with what is on a shelf."""

    class Level(models.IntegerChoices):
        SEE = 1, "see"
        RUN = 2, "run"
        EDIT = 3, "edit"

    shelf = models.ForeignKey(Shelf, on_delete=models.CASCADE, related_name="rights")
    depth = models.CharField(max_length=10, blank=True, help_text="figures or accounts; empty down to the entries")
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="shelf_rights"
    )
    group = models.ForeignKey("auth.Group", null=True, on_delete=models.CASCADE, related_name="shelf_rights")
    level = models.SmallIntegerField(choices=Level.choices)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["shelf", "person"], name="one_right_a_person"),
            models.UniqueConstraint(fields=["shelf", "group"], name="one_right_a_group"),
            models.CheckConstraint(
                condition=models.Q(person__isnull=True) ^ models.Q(group__isnull=True), name="right_of_person_or_group"
            ),
        ]


class Visit(models.Model):
    """When a person last looked at a statement, and whether it is one of theirs they come back to."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="visits")
    definition = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="visits")
    at = models.DateTimeField(auto_now=True)
    favourite = models.BooleanField(default=False)

    class Meta:
        ordering: ClassVar = ["-at"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["person", "definition"], name="one_visit_a_statement")]


class Edition(models.Model):
    """One run of a statement kept for good: its figures exactly, its definitions, the ledger's revision, who and when.

    `run` is the JSON of the run, `shown` the page as it stood, `bodies` the texts that it was computed from, `fence`
    the bounds it was computed within.
    """

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="editions")
    statement = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="editions")
    title = models.CharField(max_length=200)
    name = models.CharField(max_length=120)
    period = models.CharField(max_length=20)
    node = models.CharField(max_length=80)
    revision = models.IntegerField()
    run = models.JSONField()
    shown = models.JSONField()
    bodies = models.JSONField()
    fence = models.TextField(blank=True)
    seals = models.TextField(
        blank=True, help_text="Where it shows what is sealed for others: what was sealed for who made it, or 'nothing'"
    )
    judged = models.TextField(blank=True, help_text="The seal that it was judged by; empty where by none")
    closed = models.BooleanField(default=False, help_text="It shows detail that its author closed for readers")
    notes = models.JSONField(default=list, help_text="The explanations it was kept with, as it prints them")
    missing = models.JSONField(default=list, help_text="What was not explained when it was kept")
    reason = models.TextField(blank=True, help_text="Why it was kept before all was explained")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar = ["-pk"]


class Explanation(models.Model):
    """What is said about a variance of a statement: one for each line, column, node and period, within the bounds of
    who sees it (`fence`, empty for the whole of its node).

    It stands from when somebody first did something about the variance; what it is worth now follows from the figure,
    see `core/proof/explaining.py`. `value` is the figure that was explained, as an exact fraction.
    """

    class State(models.TextChoices):
        OPEN = "open"
        EXPLAINED = "explained"
        ACCEPTED = "accepted"
        SENT_BACK = "sent back"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="explanations")
    statement = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="explanations")
    line = models.CharField(max_length=200)
    column = models.CharField(max_length=120)
    node = models.CharField(max_length=80)
    period = models.CharField(max_length=20)
    fence = models.TextField(blank=True)
    label = models.TextField(blank=True)
    heading = models.TextField(blank=True)
    state = models.CharField(max_length=9, choices=State.choices, default=State.OPEN)
    value = models.CharField(max_length=80, blank=True)
    text = models.TextField(blank=True)
    remark = models.TextField(blank=True, help_text="Why it was sent back")
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    due = models.DateField(null=True)
    proof = models.JSONField(default=list, help_text="Entries that prove it, each as entity and number")
    explainer = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    judge = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now=True)
    version = models.IntegerField(default=0, help_text="Counts what was done, so that nobody overwrites another one")

    class Meta:
        ordering: ClassVar = ["pk"]
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["ledger", "statement", "node", "period", "line", "column", "fence"],
                name="one_explanation_a_variance",
            )
        ]


class ExplanationStep(models.Model):
    """What somebody did about an explanation, with what it said then; never rewritten."""

    explanation = models.ForeignKey(Explanation, on_delete=models.CASCADE, related_name="steps")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    what = models.TextField()
    text = models.TextField(blank=True)
    value = models.CharField(max_length=80, blank=True)

    class Meta:
        ordering: ClassVar = ["-pk"]


class ExplanationFile(models.Model):
    """A file that somebody attached to an explanation."""

    explanation = models.ForeignKey(Explanation, on_delete=models.CASCADE, related_name="files")
    name = models.CharField(max_length=120)
    data = models.BinaryField()
    size = models.IntegerField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar = ["pk"]


class TextOnShelf(models.Model):
    """What stands on shelves beside statements and is a text: `body` is that text as a mapping, `version` counts its
    changes. It is seen, run and edited by whom the shelf's rights say."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="%(app_label)s")
    name = models.CharField(max_length=80)
    shelf = models.ForeignKey("statements.Shelf", null=True, on_delete=models.RESTRICT, related_name="%(app_label)s")
    body = models.JSONField()
    version = models.IntegerField(default=1)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        abstract = True
        ordering: ClassVar = ["name"]

    @property
    def title(self) -> str:
        """What people read of it."""
        return str(self.body.get("title") or self.name)

    @property
    def about(self) -> str:
        """What it is for, as its author says it."""
        return str(self.body.get("about", ""))


class TextStep(models.Model):
    """One change of such a text: before and after. `undone` where somebody took it back."""

    version = models.IntegerField()
    what = models.CharField(max_length=200)
    before = models.JSONField()
    after = models.JSONField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    undone = models.BooleanField(default=False)

    class Meta:
        abstract = True
        ordering: ClassVar = ["-version"]


class Template(models.Model):
    """A workbook that somebody made around an output, version by version: the newest of a name is what the output is
    filled into. It names what it is of without pointing at its table. `told` says how it is linked, `still` which of
    its ranges don't grow; one without a version is a draft that waits for its name."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="templates")
    kind = models.CharField(max_length=20, help_text="What it is of: extract, statement, worksheet")
    of = models.IntegerField(help_text="The key of what it is of")
    name = models.CharField(max_length=80, blank=True)
    version = models.IntegerField(null=True)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="+",
        help_text="Whose own it is; nobody's where it is everybody's",
    )  # fmt: skip
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    file_name = models.CharField(max_length=120)
    base = models.CharField(max_length=80, blank=True, help_text="The layout that it was made of")
    layout = models.JSONField(default=dict, help_text="What its output looks like before it is filled in")
    data = models.BinaryField()
    told = models.JSONField()
    still = models.JSONField(default=list)

    class Meta:
        ordering: ClassVar = ["-version", "-pk"]
        indexes: ClassVar = [models.Index(fields=["ledger", "kind", "of"], name="templates_of")]
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["ledger", "kind", "of", "name", "version"], name="one_shared_template_a_version",
                condition=models.Q(owner__isnull=True, version__isnull=False),
            ),
            models.UniqueConstraint(
                fields=["ledger", "kind", "of", "owner", "name", "version"], name="one_own_template_a_version",
                condition=models.Q(owner__isnull=False, version__isnull=False),
            ),
        ]  # fmt: skip
