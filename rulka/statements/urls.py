"""Addresses of statements."""

from django.urls import path

from rulka.statements import edit_views, views

urlpatterns = [
    path("", views.statement_list, name="statements"),
    path("parts/", views.part_list, name="parts"),
    path("begin/", edit_views.begin, name="begin-statement"),
    path("delete/<str:kind>/<str:name>/", edit_views.delete, name="delete-definition"),
    path("<str:name>/", views.statement_page, name="statement"),
    path("<str:name>/work/", views.statement_work, name="statement-work"),
    path("<str:name>/panel/", views.statement_panel, name="statement-panel"),
    path("<str:name>/edit/", edit_views.edit, name="edit-statement"),
    path("<str:name>/check/", edit_views.check, name="check-edit"),
    path("<str:name>/copy-lines/", edit_views.copy_lines, name="copy-lines"),
    path("<str:name>/undo/", edit_views.undo, name="undo"),
    path("<str:name>/redo/", edit_views.redo, name="redo"),
    path("<str:name>/name/", edit_views.give_name, name="name-statement"),
    path("<str:name>/duplicate/", edit_views.duplicate, name="duplicate-statement"),
    path("<str:name>/versions/save/", edit_views.save_version, name="save-version"),
    path("<str:name>/versions/restore/", edit_views.restore_version, name="restore-version"),
    path("<str:name>/export/<str:form>/", views.download, name="download"),
]
