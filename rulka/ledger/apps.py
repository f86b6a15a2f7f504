"""The ledger app."""

from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "rulka.ledger"
    label = "ledger"

    def ready(self) -> None:
        from rulka.ledger.feeds.asking import recover
        from rulka.ledger.feeds.owning import passed_on
        from rulka.ledger.feeds.restored import after_restore
        from rulka.ledger.finding import finds
        from rulka.ledger.month import shows_in_month
        from rulka.ledger.pages.finding import of_ledger
        from rulka.ledger.pages.month import of_books, of_findings, of_loads
        from rulka.people.library.keeping import inherits
        from rulka.people.library.preferences import opens_first
        from rulka.work.services import backups
        from rulka.work.services.recovery import takes_up

        opens_first("Ledger overview", "ledger")
        opens_first("Trial balance", "ledger-trial-balance")
        opens_first("Journal", "ledger-journal")
        inherits(passed_on)
        finds(of_ledger)
        for source in (of_loads, of_books, of_findings):
            shows_in_month(source)
        backups.after_restore(after_restore)
        takes_up(recover)
