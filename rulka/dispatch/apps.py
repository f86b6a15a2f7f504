"""The dispatch app."""

from django.apps import AppConfig


class DispatchConfig(AppConfig):
    name = "rulka.dispatch"
    label = "dispatch"

    def ready(self) -> None:
        from rulka.dispatch.running.delivering import forget_old, recover
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        takes_up(recover)
        tidies("sent", forget_old)
