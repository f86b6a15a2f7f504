"""Addresses of rebuilds."""

from django.urls import path

from rulka.rebuilds.pages import answering, rebuild

urlpatterns = [
    path("", rebuild.rebuild_list, name="rebuilds"),
    path("<int:number>/", rebuild.rebuild_page, name="rebuild"),
    path("<int:number>/difference/", rebuild.difference, name="rebuild-difference"),
    path("<int:number>/answer/", answering.answer, name="answer-rebuild"),
    path("<int:number>/month/", answering.month, name="rebuild-month"),
    path("<int:number>/stop/", answering.stop, name="stop-rebuild"),
    path("<int:number>/make/", answering.make_statement, name="make-rebuilt"),
    path("<int:number>/drop/", answering.drop_rebuild, name="drop-rebuild"),
]
