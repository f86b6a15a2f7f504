"""The filings app."""

from django.apps import AppConfig


class FilingsConfig(AppConfig):
    name = "rulka.filings"
    label = "filings"

    def ready(self) -> None:
        from rulka.filings.library.opening import depth_at
        from rulka.filings.output.asking import recover
        from rulka.filings.output.leaving import KIND
        from rulka.filings.output.tidying import forget_old
        from rulka.filings.pages.finding import found_filings
        from rulka.ledger.finding import finds
        from rulka.ledger.seat import limits_depth
        from rulka.statements.library.leads import leads_to
        from rulka.statements.output.origins import leaves
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        limits_depth(depth_at)
        leaves("filing", KIND)
        finds(found_filings)
        leads_to("File it", "begin-filing", opens=True, kind="folio")
        takes_up(recover)
        tidies("filings", forget_old)
