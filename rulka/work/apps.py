from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "rulka.work"
    label = "work"

    def ready(self) -> None:
        from rulka.people.library.restored import after_restore
        from rulka.work import checks  # noqa: F401  registers itself
        from rulka.work.services import backups

        backups.after_restore(after_restore)
