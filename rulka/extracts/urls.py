"""Addresses of extracts."""

urlpatterns: list[object] = []
