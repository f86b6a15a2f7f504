"""All addresses."""

from django.contrib.auth.views import LogoutView
from django.urls import include, path

from rulka.folios.pages.desk import desk
from rulka.people.pages.joining import join
from rulka.people.pages.mine import home
from rulka.people.pages.sign_in import SignIn, demo_sign_in, second_step
from rulka.statements.pages import template
from rulka.statements.pages.verify import verify
from rulka.web.pages import health
from rulka.web.pages.help import guide, help_page, hint_seen, picture
from rulka.web.pages.month import month
from rulka.web.pages.restored import let_go_on
from rulka.worksheets.pages.output import live_figure

urlpatterns = [
    path("", home, name="home"),
    path("sign-in/", SignIn.as_view(), name="sign-in"),
    path("sign-in/second-step/", second_step, name="second-step"),
    path("sign-in/<str:username>/", demo_sign_in, name="demo-sign-in"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("health/", health.pages, name="health"),
    path("health/worker/", health.worker, name="health-worker"),
    path("join/<str:key>/", join, name="join"),
    path("let-go-on/", let_go_on, name="let-go-on"),
    path("month/", month, name="month"),
    path("help/", help_page, name="help"),
    path("help/pictures/<str:name>", picture, name="help-picture"),
    path("help/seen/<str:name>/", hint_seen, name="hint-seen"),
    path("help/<str:name>/", guide, name="guide"),
    path("people/", include("rulka.people.urls")),
    path("ledger/", include("rulka.ledger.urls")),
    path("statements/", include("rulka.statements.urls")),
    path("templates/<str:kind>/<str:name>/", template.upload, name="upload-template"),
    path("templates/<str:kind>/<str:name>/<int:number>/", template.template, name="template"),
    path("templates/<str:kind>/<str:name>/<int:number>/keep/", template.keep, name="keep-template"),
    path("templates/<str:kind>/<str:name>/<int:number>/change/", template.change, name="change-template"),
    path("verify/", verify, name="verify"),
    path("live/<str:key>/", live_figure, name="live-root"),
    path("live/<str:key>/<str:sheet>/<str:cell>", live_figure, name="live-figure"),
    path("worksheets/", include("rulka.worksheets.urls")),
    path("extracts/", include("rulka.extracts.urls")),
    path("overviews/", include("rulka.overviews.urls")),
    path("folios/", include("rulka.folios.urls")),
    path("filings/", include("rulka.filings.urls")),
    path("rebuilds/", include("rulka.rebuilds.urls")),
    path("desk/<str:key>/", desk, name="desk-root"),
    path("desk/<str:key>/<path:file>", desk, name="desk"),
    path("dispatch/", include("rulka.dispatch.urls")),
]
