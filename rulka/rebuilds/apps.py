"""The app of rebuilds."""

from django.apps import AppConfig


class RebuildsConfig(AppConfig):
    name = "rulka.rebuilds"
    label = "rebuilds"

    def ready(self) -> None:
        from rulka.rebuilds.library.keeping import forget_old
        from rulka.rebuilds.output.finding import recover
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        takes_up(recover)
        tidies("rebuilds", forget_old)
