"""The people app."""

from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "rulka.people"
    label = "people"
