"""A ledger in tables: codes, posting keys, journal and budget lines with their history, balances, revisions.

Amounts are integers of the minor unit. A period is stored as year * 100 + number (202707 is 2027-P07), status,
effect and kind as the small numbers of `rulka.core`.
"""

from __future__ import annotations

from typing import ClassVar

from django.conf import settings
from django.db import models
from django.db.models import F, Q


class Ledger(models.Model):
    """One group's books. `calendar` is what ledger.json and periods.csv said, `calendars` those that entities may name
    besides, `absolute_total` a decimal integer."""

    code = models.CharField(max_length=40, unique=True)
    name = models.TextField()
    group_currency = models.CharField(max_length=3)
    calendar = models.JSONField()
    calendars = models.JSONField(default=dict)
    retained_earnings = models.CharField(max_length=40)
    translation_reserve = models.CharField(max_length=40, blank=True)
    dimensions = models.JSONField(default=list)
    sealed = models.TextField(blank=True, help_text="Accounts whose detail is sealed, as a selection")
    seal_grain = models.JSONField(
        null=True, help_text="What may be told apart of them besides entity and period; null is the first dimension"
    )
    revision = models.IntegerField(default=0)
    settings_revision = models.IntegerField(default=1)
    loaded_at = models.DateTimeField(
        null=True, help_text="When a load last looked at the source, whether it brought news or not"
    )
    absolute_total = models.CharField(max_length=40, default="0")

    def __str__(self) -> str:
        return self.name


class Revision(models.Model):
    """The state of a ledger after one load; numbered, never rewritten."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="revisions")
    number = models.IntegerField()
    at = models.DateTimeField(auto_now_add=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    source = models.TextField()
    counts = models.JSONField(default=dict)
    report = models.JSONField(default=dict)
    feed = models.ForeignKey("Feed", null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering: ClassVar = ["-number"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "number"], name="one_revision_a_number")]


class Coded(models.Model):
    """What every coded thing of a ledger has; `revision` is the one since which it is as it is."""

    code = models.CharField(max_length=40)
    name = models.TextField()
    revision = models.IntegerField(default=1)

    class Meta:
        abstract = True


class Entity(Coded):
    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="entities")
    currency = models.CharField(max_length=3)
    parent = models.CharField(max_length=40, blank=True)
    position = models.IntegerField()
    calendar = models.CharField(
        max_length=40, blank=True, help_text="Its own calendar, one of the ledger's; empty is the group's"
    )

    class Meta:
        ordering: ClassVar = ["position"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "code"], name="one_entity_a_code")]


class Account(Coded):
    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="accounts")
    type = models.CharField(max_length=12)
    category = models.TextField(blank=True)
    parent = models.CharField(max_length=40, blank=True)
    unit = models.TextField(blank=True)
    intercompany = models.BooleanField(default=False)
    rate = models.CharField(max_length=12)
    active = models.BooleanField(default=True)

    class Meta:
        ordering: ClassVar = ["code"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "code"], name="one_account_a_code")]


class Member(Coded):
    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="members")
    dimension = models.CharField(max_length=40)
    parent = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering: ClassVar = ["dimension", "code"]
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["ledger", "dimension", "code"], name="one_member_a_code")
        ]


class Scenario(Coded):
    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="scenarios")
    kind = models.CharField(max_length=8)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "code"], name="one_scenario_a_code")]


class Counterparty(Coded):
    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="counterparties")
    kind = models.TextField(blank=True)
    address = models.TextField(blank=True)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "code"], name="one_counterparty_a_code")]


class Rate(models.Model):
    """Units of `target` for one unit of `source`, kept as text so that they stay exact."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="rates")
    period = models.IntegerField()
    source = models.CharField(max_length=3)
    target = models.CharField(max_length=3)
    average = models.CharField(max_length=40, blank=True)
    closing = models.CharField(max_length=40)
    revision = models.IntegerField(default=1)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["ledger", "period", "source", "target"], name="one_rate_a_period")
        ]


class MasterFormer(models.Model):
    """Former values of a coded thing, a rate or the settings, with the first and the last revision in which they
    held."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE)
    what = models.CharField(max_length=20)
    values = models.JSONField()
    since_revision = models.IntegerField()
    until_revision = models.IntegerField()


class PostingKey(models.Model):
    """Entity, account, partner entity and members; `members` are member ids in dimension order, comma-separated."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE)
    account = models.ForeignKey(Account, on_delete=models.PROTECT)
    entity = models.ForeignKey(Entity, on_delete=models.PROTECT)
    partner = models.ForeignKey(Entity, null=True, on_delete=models.PROTECT, related_name="+")
    members = models.CharField(max_length=200)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["account", "entity", "members"], condition=Q(partner=None), name="one_key_without_partner"
            ),
            models.UniqueConstraint(fields=["account", "entity", "members", "partner"], name="one_key_with_partner"),
        ]


class JournalEntry(models.Model):
    """The head of an entry; `digest` is over all its content but `modified_at`."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE)
    entity = models.ForeignKey(Entity, on_delete=models.PROTECT)
    number = models.CharField(max_length=40)
    date = models.DateField()
    period = models.IntegerField()
    status = models.SmallIntegerField()
    kind = models.CharField(max_length=9)
    modified_at = models.DateTimeField(null=True)
    digest = models.BinaryField()
    revision = models.IntegerField()
    withdrawn = models.BooleanField(default=False)
    feed = models.ForeignKey("Feed", null=True, on_delete=models.SET_NULL, db_index=False)
    row = models.IntegerField(null=True, help_text="The row of its first line in the file that brought it")

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["entity", "number"], name="one_entry_a_number")]


class LineFields(models.Model):
    """What a journal line holds; period, date, status and effect repeat the entry's for the covering index."""

    line = models.CharField(max_length=40)
    key = models.ForeignKey(PostingKey, on_delete=models.PROTECT, db_index=False)
    period = models.IntegerField()
    date = models.DateField()
    status = models.SmallIntegerField()
    effect = models.SmallIntegerField()
    debit = models.BigIntegerField()
    credit = models.BigIntegerField()
    description = models.TextField()
    source = models.TextField()
    document = models.TextField()
    counterparty = models.TextField()
    counterparty_name = models.TextField()
    user = models.TextField()
    historical_amount = models.BigIntegerField(null=True)
    batch = models.TextField(default="")
    transaction_currency = models.CharField(max_length=3, default="")
    transaction_amount = models.BigIntegerField(
        null=True, help_text="In minor units of the transaction currency, debit positive"
    )
    attributes = models.TextField(default="", help_text="Further columns of the source as a JSON object, or nothing")

    class Meta:
        abstract = True


class JournalLine(LineFields):
    """A line as it is now; `revision` is the one that brought it."""

    entry = models.ForeignKey(JournalEntry, on_delete=models.CASCADE, db_index=False, related_name="lines")
    revision = models.IntegerField()

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["entry", "line"], name="one_line_a_number")]
        indexes: ClassVar = [
            models.Index(fields=["key", "period", "date", "status", "effect", "debit", "credit"], name="line_covering"),
            models.Index(fields=["document"], name="line_document", condition=~Q(document="")),
            models.Index(fields=["counterparty"], name="line_counterparty", condition=~Q(counterparty="")),
            models.Index(F("debit") + F("credit"), name="line_amount"),
        ]


class JournalLineFormer(LineFields):
    """A line's former values, with the first and the last revision in which they held."""

    entry = models.ForeignKey(JournalEntry, on_delete=models.CASCADE, related_name="former_lines")
    since_revision = models.IntegerField()
    until_revision = models.IntegerField()


class BudgetFields(models.Model):
    scenario = models.ForeignKey(Scenario, on_delete=models.PROTECT, db_index=False)
    key = models.ForeignKey(PostingKey, on_delete=models.PROTECT)
    period = models.IntegerField()
    amount = models.BigIntegerField()
    note = models.TextField()

    class Meta:
        abstract = True


class BudgetLine(BudgetFields):
    revision = models.IntegerField()

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["scenario", "key", "period"], name="one_budget_a_period")
        ]


class BudgetLineFormer(BudgetFields):
    since_revision = models.IntegerField()
    until_revision = models.IntegerField()


class BalanceFields(models.Model):
    scenario = models.ForeignKey(Scenario, on_delete=models.PROTECT, db_index=False)
    key = models.ForeignKey(PostingKey, on_delete=models.PROTECT, db_index=False)
    period = models.IntegerField()
    status = models.SmallIntegerField()
    effect = models.SmallIntegerField()
    debit = models.BigIntegerField()
    credit = models.BigIntegerField()
    count = models.BigIntegerField()

    class Meta:
        abstract = True


class Balance(BalanceFields):
    """Sums of lines, kept up with each revision in the same transaction."""

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["scenario", "period", "status", "effect", "key"], name="one_balance_a_key")
        ]


class ChunkFields(models.Model):
    """Balances of one scenario, period, status and effect as int64 arrays of bytes; keys rise."""

    scenario = models.ForeignKey(Scenario, on_delete=models.CASCADE, db_index=False)
    period = models.IntegerField()
    status = models.SmallIntegerField()
    effect = models.SmallIntegerField()
    keys = models.BinaryField()
    debits = models.BinaryField()
    credits = models.BinaryField()
    counts = models.BinaryField()

    class Meta:
        abstract = True


class BalanceChunk(ChunkFields):
    """The balances as they are now, derived from `Balance`, for quick reading."""

    revision = models.IntegerField()

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["scenario", "period", "status", "effect"], name="one_chunk_a_period")
        ]


class BalanceChangeChunk(ChunkFields):
    """What a revision added to balances; as at revision r a balance is the current one less the changes after r."""

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE)


class ClosedPeriods(models.QuerySet["ClosedPeriod"]):
    """Closed periods, and those that were opened again."""

    def standing(self) -> ClosedPeriods:
        """Those that are closed now."""
        return self.filter(opened__isnull=True)

    def of_ledger(self, ledger: Ledger) -> ClosedPeriods:
        """Those of a ledger's entities."""
        return self.filter(entity__ledger=ledger)


class ClosedPeriod(models.Model):
    """That an entity's period is closed: loads into it are refused or held. One that was opened again keeps who closed
    it, and says who opened it and why."""

    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="closed_periods")
    period = models.IntegerField()
    at = models.DateTimeField(auto_now_add=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    opened = models.DateTimeField(null=True)
    opener = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    reason = models.CharField(max_length=200, blank=True)

    objects = ClosedPeriods.as_manager()

    class Meta:
        ordering: ClassVar = ["-pk"]
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["entity", "period"], condition=models.Q(opened__isnull=True), name="one_close_a_period"
            )
        ]


class Feed(models.Model):
    """A stored way to pull: where from, how its columns map, what to refuse or hold, and when."""

    class Kind(models.TextChoices):
        LEDGER = "ledger", "Plain ledger folder, .zip or .xlsx"
        TABLE = "table", "CSV or workbook through a mapping"
        SERVICE = "service", "Web service (OData)"

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="feeds")
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    location = models.TextField(blank=True, help_text="A path or an address; empty for files that a person hands in")
    mapping = models.JSONField(default=dict, blank=True)
    options = models.JSONField(default=dict, blank=True)
    rules = models.JSONField(default=dict, blank=True)
    schedule = models.CharField(
        max_length=80, blank=True, help_text="When to pull by itself, as five fields of cron; empty is never"
    )
    on_opening = models.BooleanField(
        default=False, help_text="Pull when somebody opens the ledger and the data is older than an hour"
    )
    mark = models.CharField(
        max_length=40, blank=True, help_text="The newest modified-at that was accepted: news come from here on"
    )
    pulled_at = models.DateTimeField(null=True)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+",
        help_text="Whose it is, with its sign-in; without one and without groups it is everybody's who may load",
    )  # fmt: skip
    groups = models.ManyToManyField("auth.Group", related_name="+", help_text="With whom it is shared")

    class Meta:
        ordering: ClassVar = ["name"]
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_feed_a_name")]

    def __str__(self) -> str:
        return self.name


class SideTable(models.Model):
    """A table loaded beside the ledger, kept as it came, for extracts."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="side_tables")
    name = models.CharField(max_length=80)
    columns = models.JSONField()
    rows = models.JSONField()
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "name"], name="one_side_table_a_name")]


class TunedRule(models.Model):
    """How a ledger has a rule that looks for what is wrong, where somebody tuned it; see `core/findings`."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="tuned_rules")
    rule = models.CharField(max_length=20)
    on = models.BooleanField(default=True)
    least = models.CharField(max_length=40, default="0", help_text="The smallest amount, in major units, as text")
    degree = models.IntegerField()

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["ledger", "rule"], name="one_tuning_a_rule")]


class DismissedFinding(models.Model):
    """That something which a rule finds is no matter, and why; it holds for every month until the amount more than
    doubles, or somebody takes it back."""

    ledger = models.ForeignKey(Ledger, on_delete=models.CASCADE, related_name="dismissed_findings")
    rule = models.CharField(max_length=20)
    subject = models.CharField(max_length=250)
    title = models.TextField()
    amount = models.BigIntegerField()
    period = models.CharField(max_length=20)
    reason = models.TextField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar = ["-pk"]
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["ledger", "rule", "subject"], name="one_dismissal_a_finding")
        ]
