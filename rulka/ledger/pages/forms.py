"""What the ledger's pages take in: each field with its kind and its bounds, in words where something doesn't fit."""

from __future__ import annotations

from typing import Any

from django import forms

from rulka.core.books.chart import TYPES
from rulka.core.errors import RulkaError
from rulka.core.intake.pull_times import PullTimes, schedule_of
from rulka.core.values import quoted, whole

NAME, CODE, ADDRESS = 200, 40, 2_000
"""Characters of names, codes and addresses at most."""


class AccountForm(forms.Form):
    name = forms.CharField(max_length=NAME, required=False)
    type = forms.CharField(max_length=CODE, required=False)
    category = forms.CharField(max_length=NAME, required=False)
    parent = forms.CharField(max_length=CODE, required=False)
    unit = forms.CharField(max_length=CODE, required=False)
    active = forms.BooleanField(required=False)
    intercompany = forms.BooleanField(required=False)

    def clean_type(self) -> str:
        value = str(self.cleaned_data["type"])
        if value not in TYPES:
            raise forms.ValidationError(f"{quoted(value)} is not a type. Choose {', '.join(TYPES)}.")
        return value


class MemberForm(forms.Form):
    name = forms.CharField(max_length=NAME, required=False)
    parent = forms.CharField(max_length=CODE, required=False)


class PeriodForm(forms.Form):
    """Closing an entity's period, or opening it again."""

    entity = forms.CharField(max_length=CODE, required=False)
    of = forms.CharField(max_length=CODE, required=False)
    closed = forms.CharField(max_length=1, required=False)
    reason = forms.CharField(max_length=NAME, required=False)


class NewFeedForm(forms.Form):
    name = forms.CharField(max_length=80, required=False)
    kind = forms.CharField(max_length=CODE, required=False)
    location = forms.CharField(max_length=ADDRESS, required=False)


class FeedForm(forms.Form):
    """The settings that every feed has; rules, bounds and mapping are read beside it."""

    name = forms.CharField(max_length=80, required=False)
    location = forms.CharField(max_length=ADDRESS, required=False)
    pull = forms.CharField(max_length=CODE, required=False)
    pull_minutes = forms.CharField(max_length=2, required=False)
    pull_clock = forms.CharField(max_length=5, required=False)
    pull_weekday = forms.CharField(max_length=CODE, required=False)
    pull_day = forms.CharField(max_length=2, required=False)
    pull_fields = forms.CharField(max_length=80, required=False)
    on_opening = forms.BooleanField(required=False)
    keep_columns = forms.BooleanField(required=False)
    long_past = forms.CharField(max_length=CODE, required=False)
    first_day = forms.CharField(max_length=10, required=False)
    entities = forms.CharField(max_length=ADDRESS, required=False)
    accounts = forms.CharField(max_length=ADDRESS, required=False)
    rest_account = forms.CharField(max_length=CODE, required=False)

    def clean_long_past(self) -> int | None:
        text = str(self.cleaned_data["long_past"])
        try:
            return whole(text, "periods in the past", most=1_200) if text else None
        except RulkaError as error:
            raise forms.ValidationError(error.message) from None

    def schedule(self) -> str:
        """When it pulls by itself, as it is stored, of the words that were chosen."""
        given, usual = self.cleaned_data, PullTimes()
        times = PullTimes(
            given["pull"],
            minutes=whole(given["pull_minutes"], "minutes", most=59) if given["pull_minutes"] else usual.minutes,
            clock=given["pull_clock"] or usual.clock,
            weekday=given["pull_weekday"] or usual.weekday,
            day=whole(given["pull_day"], "day", most=31) if given["pull_day"] else usual.day,
            fields=given["pull_fields"],
        )
        return schedule_of(times)

    sign_in = forms.ChoiceField(choices=[("", "none"), ("basic", "user"), ("bearer", "token")], required=False)
    user = forms.CharField(max_length=NAME, required=False)


def taken(form: forms.Form) -> dict[str, Any]:
    """What a form took in, stripped and typed; RulkaError names the first field that doesn't fit."""
    if form.is_valid():
        return dict(form.cleaned_data)
    field, errors = next(iter(form.errors.items()))
    raise RulkaError(str(errors[0]), hint="Correct it.", subject=field.replace("_", " "))
