"""The dispatch app."""

from django.apps import AppConfig


class DispatchConfig(AppConfig):
    name = "rulka.dispatch"
    label = "dispatch"

    def ready(self) -> None:
        from rulka.dispatch.library.storing import passed_on
        from rulka.dispatch.running.delivering import forget_old, recover
        from rulka.dispatch.running.schedule import look
        from rulka.people.library.keeping import inherits
        from rulka.work.services.looking import looks
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        inherits(passed_on)
        takes_up(recover)
        looks(look)
        tidies("sent", forget_old)
