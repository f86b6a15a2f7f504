"""Addresses of statements."""

from django.urls import path

from rulka.statements import views

urlpatterns = [
    path("", views.statement_list, name="statements"),
    path("<str:name>/", views.statement_page, name="statement"),
    path("<str:name>/work/", views.statement_work, name="statement-work"),
    path("<str:name>/panel/", views.statement_panel, name="statement-panel"),
    path("<str:name>/line/<str:key>/", views.change_line, name="change-line"),
    path("<str:name>/column/<str:key>/", views.change_column, name="change-column"),
    path("<str:name>/undo/", views.undo, name="undo"),
    path("<str:name>/export/<str:form>/", views.download, name="download"),
]
