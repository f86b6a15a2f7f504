"""The statements app."""

from django.apps import AppConfig


class StatementsConfig(AppConfig):
    name = "rulka.statements"
    label = "statements"
