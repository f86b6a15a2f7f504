"""The web app."""

from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "rulka.web"
    label = "web"
