"""All addresses."""

from django.contrib.auth.views import LogoutView
from django.urls import include, path
from django.views.generic import RedirectView

from rulka.people.pages.sign_in import SignIn, demo_sign_in
from rulka.worksheets.pages.output import live_figure

urlpatterns = [
    path("", RedirectView.as_view(pattern_name="statements"), name="home"),
    path("sign-in/", SignIn.as_view(), name="sign-in"),
    path("sign-in/<str:username>/", demo_sign_in, name="demo-sign-in"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("ledger/", include("rulka.ledger.urls")),
    path("statements/", include("rulka.statements.urls")),
    path("live/<str:key>/", live_figure, name="live-root"),
    path("live/<str:key>/<str:sheet>/<str:cell>", live_figure, name="live-figure"),
    path("worksheets/", include("rulka.worksheets.urls")),
]
