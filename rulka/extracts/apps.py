"""The extracts app."""

from django.apps import AppConfig


class ExtractsConfig(AppConfig):
    name = "rulka.extracts"
    label = "extracts"

    def ready(self) -> None:
        import rulka.core.sheet.functions  # noqa: F401  computed columns know them
        from rulka.extracts.library.opening import depth_at
        from rulka.extracts.output.asking import recover
        from rulka.extracts.output.leaving import KIND
        from rulka.extracts.output.sending import Extracts
        from rulka.extracts.output.templates import OfExtracts
        from rulka.extracts.output.tidying import forget_old
        from rulka.extracts.pages.month import used_extracts
        from rulka.extracts.pages.offering import found_extracts, offered_extracts
        from rulka.ledger.finding import finds
        from rulka.ledger.month import shows_in_month
        from rulka.ledger.offering import offers_for
        from rulka.ledger.seat import limits_depth
        from rulka.people.library.preferences import opens_first
        from rulka.statements.output.origins import leaves
        from rulka.statements.output.sendable import sends
        from rulka.statements.output.templates import makes_templates
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        limits_depth(depth_at)
        leaves("extract", KIND)
        sends("extract", Extracts())
        makes_templates("extract", OfExtracts())
        opens_first("Extracts", "extracts")
        finds(found_extracts)
        shows_in_month(used_extracts)
        offers_for(offered_extracts)
        takes_up(recover)
        tidies("runs", forget_old)
