"""The ledger app."""

from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "rulka.ledger"
    label = "ledger"

    def ready(self) -> None:
        from rulka.ledger.feeds.asking import recover
        from rulka.work.services.recovery import takes_up

        takes_up(recover)
