"""Addresses of dispatches."""

from django.urls import path

from rulka.dispatch.pages import choosing, dispatch, dispatches, received, sendings, settings

urlpatterns = [
    path("", dispatches.dispatches, name="dispatches"),
    path("begin/", dispatches.begin, name="begin-dispatch"),
    path("book/", settings.book, name="address-book"),
    path("days/", settings.days, name="sending-days"),
    path("servers/", settings.servers, name="file-servers"),
    path("account/", settings.account, name="mail-account"),
    path("for/<str:identity>/", received.sent, name="sent-to-me"),
    path("for/<str:identity>/<int:at>/", received.take, name="take-sent"),
    path("of/statement/<str:name>/", choosing.choosing, {"of": "statement"}, name="send-statement"),
    path("of/worksheet/<str:name>/", choosing.choosing, {"of": "worksheet"}, name="send-worksheet"),
    path("of/extract/<str:name>/", choosing.choosing, {"of": "extract"}, name="send-extract"),
    path("of/overview/<str:name>/", choosing.choosing, {"of": "overview"}, name="send-overview"),
    path("of/folio/<str:name>/", choosing.choosing, {"of": "folio"}, name="send-folio"),
    path("occasion/<int:number>/", sendings.sending, name="sending"),
    path("occasion/<int:number>/do/", sendings.act, name="act-on-sending"),
    path("delivery/<int:number>/<int:at>/", sendings.file, name="delivery-file"),
    path("<str:name>/", dispatch.dispatch, name="dispatch"),
    path("<str:name>/do/", dispatch.act, name="act-on-dispatch"),
    path("<str:name>/rehearsed/", dispatch.rehearsed, name="dispatch-rehearsed"),
]
