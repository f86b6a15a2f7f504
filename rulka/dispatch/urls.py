"""Addresses of dispatches."""

from django.urls import path

from rulka.dispatch.pages import received

urlpatterns = [
    path("for/<str:identity>/", received.sent, name="sent-to-me"),
]
