"""The web app."""

from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "rulka.web"
    label = "web"

    def ready(self) -> None:
        from rulka.ledger.seat import opens_at_figures
        from rulka.people.library.preferences import opens_first

        opens_at_figures("month")
        opens_first("Month", "month")
