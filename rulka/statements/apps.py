"""The statements app."""

from django.apps import AppConfig

AT_FIGURES = (
    "statements", "workbook", "shelf", "output", "cancel-output", "take-output", "edition", "statement",
    "statement-work", "statement-block", "statement-variances", "statement-explain", "explanation-file",
    "statement-panel", "download", "statement-table", "paper", "ask-output",
)  # fmt: skip
"""Pages that open with the figures of a ledger."""


class StatementsConfig(AppConfig):
    name = "rulka.statements"
    label = "statements"

    def ready(self) -> None:
        from rulka.ledger.finding import finds
        from rulka.ledger.month import shows_in_month
        from rulka.ledger.placement import tells_placements
        from rulka.ledger.seat import limits_depth, opens_at_figures
        from rulka.people.library.keeping import gives_on_shelves, inherits
        from rulka.people.library.preferences import opens_first
        from rulka.people.library.rights import knows_nodes
        from rulka.statements.library.catalogue import placements_seen
        from rulka.statements.library.nodes import node_of_scope
        from rulka.statements.library.shelves import depth_at, passed_on, set_by_command
        from rulka.statements.output.jobs import recover
        from rulka.statements.output.origins import leaves
        from rulka.statements.output.row_origins import BALANCES, JOURNAL, TRACE
        from rulka.statements.output.statement_templates import OfStatements
        from rulka.statements.output.templates import forget_drafts, makes_templates
        from rulka.statements.pages import month
        from rulka.statements.pages.finding import of_statements
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        opens_at_figures(*AT_FIGURES)
        limits_depth(depth_at)
        knows_nodes(node_of_scope)
        opens_first("Statements", "statements")
        finds(of_statements)
        shows_in_month(month.of_statements)
        shows_in_month(month.used_statements)
        inherits(passed_on)
        gives_on_shelves(set_by_command)
        tells_placements(placements_seen)
        takes_up(recover)
        makes_templates("statement", OfStatements())
        tidies("uploads that became no template", forget_drafts)
        leaves("journal", JOURNAL)
        leaves("trace", TRACE)
        leaves("trial balance", BALANCES)
