"""Addresses of the ledger's pages."""

from django.urls import path

from rulka.ledger.pages import books, feeds, finding, lines, revisions, wrong

urlpatterns = [
    path("", books.overview, name="ledger"),
    path("find/", finding.find_page, name="find"),
    path("periods/", books.periods, name="periods"),
    path("close/", books.close_period, name="close-period"),
    path("entity/<str:code>/calendar/", books.entity_calendar, name="entity-calendar"),
    path("accounts/", books.accounts, name="ledger-accounts"),
    path("members/", books.members, name="ledger-members"),
    path("scenarios/", books.scenarios, name="ledger-scenarios"),
    path("rates/", books.rates, name="ledger-rates"),
    path("journal/", lines.journal, name="ledger-journal"),
    path("journal/export/<str:form>/", lines.journal_export, name="journal-export"),
    path("entry/<str:entity>/<path:number>/", lines.entry, name="ledger-entry"),
    path("trial-balance/", lines.trial_balance_page, name="ledger-trial-balance"),
    path("trial-balance/export/<str:form>/", lines.trial_balance_export, name="trial-balance-export"),
    path("wrong/", wrong.wrong, name="ledger-wrong"),
    path("wrong/dismiss/", wrong.dismiss, name="dismiss-finding"),
    path("wrong/restore/", wrong.restore, name="restore-finding"),
    path("wrong/rules/", wrong.rules, name="finding-rules"),
    path("feeds/", feeds.feed_list, name="feeds"),
    path("feeds/<int:pk>/", feeds.feed_page, name="feed"),
    path("feeds/<int:pk>/pull/", feeds.feed_pull, name="feed-pull"),
    path("feeds/<int:pk>/remove/", feeds.feed_remove, name="feed-remove"),
    path("feeds/<int:pk>/map/", feeds.feed_map, name="feed-map"),
    path("loads/<int:pk>/", feeds.load_page, name="load"),
    path("loads/<int:pk>/state/", feeds.load_progress, name="load-progress"),
    path("loads/<int:pk>/decide/", feeds.load_decide, name="load-decide"),
    path("revisions/", revisions.revisions, name="revisions"),
]
