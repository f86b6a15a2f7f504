"""The ledger app."""

from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "rulka.ledger"
    label = "ledger"

    def ready(self) -> None:
        from rulka.ledger.feeds.asking import recover
        from rulka.ledger.finding import finds
        from rulka.ledger.pages.finding import of_ledger
        from rulka.work.services.recovery import takes_up

        finds(of_ledger)
        takes_up(recover)
