"""The overviews app."""

from django.apps import AppConfig


class OverviewsConfig(AppConfig):
    name = "rulka.overviews"
    label = "overviews"

    def ready(self) -> None:
        from rulka.ledger.finding import finds
        from rulka.ledger.month import shows_in_month
        from rulka.ledger.seat import limits_depth, opens_at_figures
        from rulka.overviews.library.opening import depth_at
        from rulka.overviews.output.leaving import KIND, OF_TRACE
        from rulka.overviews.output.placed import OverviewDrawings
        from rulka.overviews.output.sending import Overviews
        from rulka.overviews.pages.finding import found_overviews
        from rulka.overviews.pages.month import of_overviews
        from rulka.people.library.preferences import opens_first
        from rulka.statements.library.leads import leads_to
        from rulka.statements.output.origins import leaves
        from rulka.statements.output.sendable import sends
        from rulka.worksheets.running.drawn import draws

        limits_depth(depth_at)
        opens_at_figures(
            "overviews", "begin-overview", "overview", "edit-overview", "undo-overview", "choose-overview",
            "manage-overview", "overview-file", "chart-of-statement", "keep-chart",
        )  # fmt: skip
        leaves("overview", KIND)
        leaves("overview trace", OF_TRACE)
        sends("overview", Overviews())
        finds(found_overviews)
        shows_in_month(of_overviews)
        leads_to("Draw a chart", "chart-of-statement", opens=True, draws=True)
        draws("overview", OverviewDrawings())
        opens_first("Overviews", "overviews")
