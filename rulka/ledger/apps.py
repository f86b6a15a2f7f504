"""The ledger app."""

from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "rulka.ledger"
    label = "ledger"
