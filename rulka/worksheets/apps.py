"""The worksheets app."""

from django.apps import AppConfig


class WorksheetsConfig(AppConfig):
    name = "rulka.worksheets"
    label = "worksheets"

    def ready(self) -> None:
        from rulka.ledger.finding import finds
        from rulka.ledger.seat import limits_depth, opens_at_figures
        from rulka.ledger.taking import takes_rows
        from rulka.people.library.preferences import opens_first
        from rulka.statements.library.leads import leads_to
        from rulka.statements.output.origins import leaves
        from rulka.statements.output.sendable import sends
        from rulka.statements.output.templates import makes_templates
        from rulka.work.services import backups
        from rulka.worksheets.library.depth import depth_at
        from rulka.worksheets.library.links import after_restore
        from rulka.worksheets.output.leaving import KIND, OF_TRACE
        from rulka.worksheets.output.sending import Worksheets
        from rulka.worksheets.output.templates import OfWorksheets
        from rulka.worksheets.pages.finding import of_worksheets

        opens_at_figures(
            "worksheets", "worksheet", "worksheet-cells", "worksheet-parameters", "worksheet-panel",
            "worksheet-picture", "worksheet-file", "worksheet-fetching",
        )  # fmt: skip
        limits_depth(depth_at)
        leaves("worksheet", KIND)
        leaves("worksheet trace", OF_TRACE)
        sends("worksheet", Worksheets())
        makes_templates("worksheet", OfWorksheets())
        opens_first("Worksheets", "worksheets")
        finds(of_worksheets)
        backups.after_restore(after_restore)
        takes_rows("Into a worksheet", "worksheet-from-trace")
        leads_to("Open as a worksheet", "open-as-worksheet")
        import rulka.core.sheet.functions
        import rulka.core.sheet.ledger_functions  # noqa: F401  registers the functions of the ledger
