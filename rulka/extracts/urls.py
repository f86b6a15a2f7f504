"""Addresses of extracts."""

from django.urls import path

from rulka.extracts.pages import bringing, extract, extracts, queries, running

urlpatterns = [
    path("", extracts.extract_list, name="extracts"),
    path("begin/", extracts.begin, name="begin-extract"),
    path("bring/", bringing.bring_list, name="bring-list"),
    path("queries/", queries.query_list, name="queries"),
    path("queries/<str:name>/", queries.query_page, name="query"),
    path("queries/<str:name>/manage/", queries.manage, name="manage-query"),
    path("<str:name>/", extract.extract_page, name="extract"),
    path("<str:name>/sums/", extract.sums, name="extract-sums"),
    path("<str:name>/edit/", extract.edit, name="edit-extract"),
    path("<str:name>/undo/", extract.undo, name="undo-extract"),
    path("<str:name>/layout/", extract.layout, name="extract-layout"),
    path("<str:name>/manage/", extract.manage, name="manage-extract"),
    path("<str:name>/run/", running.run, name="run-extract"),
    path("<str:name>/runs/", running.progress, name="extract-runs"),
    path("<str:name>/compare/", running.compare, name="compare-runs"),
    path("<str:name>/runs/<int:number>/", running.download, name="extract-file"),
    path("<str:name>/runs/<int:number>/again/", running.again, name="run-again"),
    path("<str:name>/runs/<int:number>/cancel/", running.cancel, name="cancel-run"),
]
