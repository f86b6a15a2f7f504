from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "rulka.work"
    label = "work"
