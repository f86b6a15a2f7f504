"""The dispatch app."""

from django.apps import AppConfig


class DispatchConfig(AppConfig):
    name = "rulka.dispatch"
    label = "dispatch"

    def ready(self) -> None:
        from rulka.dispatch.library.storing import passed_on
        from rulka.dispatch.pages import month
        from rulka.dispatch.pages.finding import of_dispatches
        from rulka.dispatch.running.delivering import forget_old, recover
        from rulka.dispatch.running.noticing import by_mail
        from rulka.dispatch.running.schedule import look
        from rulka.ledger.finding import finds
        from rulka.ledger.month import shows_in_month
        from rulka.ledger.seat import opens_at_figures
        from rulka.people.library.keeping import inherits
        from rulka.people.library.notices import carries
        from rulka.people.library.preferences import opens_first
        from rulka.statements.library.leads import leads_to
        from rulka.work.services.looking import looks
        from rulka.work.services.recovery import takes_up
        from rulka.work.services.tidying import tidies

        opens_at_figures("dispatches", "sent-to-me", "take-sent", "sending", "act-on-sending", "delivery-file")
        opens_first("Dispatch", "dispatches")
        finds(of_dispatches)
        shows_in_month(month.of_dispatches)
        leads_to("Send", "send-statement", opens=True)
        leads_to("Send", "send-worksheet", opens=True, kind="worksheet")
        leads_to("Send", "send-extract", opens=True, kind="extract")
        leads_to("Send", "send-overview", opens=True, kind="overview")
        leads_to("Send", "send-folio", opens=True, kind="folio")
        carries(by_mail)
        inherits(passed_on)
        takes_up(recover)
        looks(look)
        tidies("sent", forget_old)
