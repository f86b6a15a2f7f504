"""The worksheets app."""

from django.apps import AppConfig


class WorksheetsConfig(AppConfig):
    name = "rulka.worksheets"
    label = "worksheets"

    def ready(self) -> None:
        from rulka.ledger.finding import finds
        from rulka.ledger.taking import takes_rows
        from rulka.statements.library.leads import leads_to
        from rulka.worksheets.pages.finding import of_worksheets

        finds(of_worksheets)
        takes_rows("Into a worksheet", "worksheet-from-trace")
        leads_to("Open as a worksheet", "open-as-worksheet")
        import rulka.core.sheet.functions
        import rulka.core.sheet.ledger_functions  # noqa: F401  registers the functions of the ledger
