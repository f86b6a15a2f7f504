"""The folios app."""

from django.apps import AppConfig


class FoliosConfig(AppConfig):
    name = "rulka.folios"
    label = "folios"

    def ready(self) -> None:
        from rulka.folios.editing.outlining import passed_on
        from rulka.folios.library.opening import depth_at
        from rulka.folios.output.asking import recover
        from rulka.folios.output.leaving import KIND
        from rulka.folios.output.sending import Folios
        from rulka.folios.output.tidying import forget_old
        from rulka.folios.pages.finding import found_folios
        from rulka.folios.pages.month import of_folios
        from rulka.ledger.finding import finds
        from rulka.ledger.month import shows_in_month
        from rulka.ledger.seat import limits_depth
        from rulka.people.library.keeping import inherits
        from rulka.people.library.preferences import opens_first
        from rulka.statements.output.origins import leaves
        from rulka.statements.output.sendable import sends
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        inherits(passed_on)
        limits_depth(depth_at)
        leaves("folio", KIND)
        sends("folio", Folios())
        finds(found_folios)
        shows_in_month(of_folios)
        opens_first("Folios", "folios")
        takes_up(recover)
        tidies("folio pages", forget_old)
