from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "rulka.work"
    label = "work"

    def ready(self) -> None:
        from rulka.work import checks  # noqa: F401  registers itself
