"""The statements app."""

from django.apps import AppConfig


class StatementsConfig(AppConfig):
    name = "rulka.statements"
    label = "statements"

    def ready(self) -> None:
        from rulka.ledger.finding import finds
        from rulka.ledger.placement import tells_placements
        from rulka.statements.library.catalogue import placements_seen
        from rulka.statements.output.jobs import recover
        from rulka.statements.pages.finding import of_statements
        from rulka.work.services.recovery import takes_up

        finds(of_statements)
        tells_placements(placements_seen)
        takes_up(recover)
