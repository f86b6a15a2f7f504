"""Addresses of worksheets."""

from django.urls import path

from rulka.worksheets.pages import panel, worksheet

urlpatterns = [
    path("", worksheet.worksheet_list, name="worksheets"),
    path("begin/", worksheet.begin, name="begin-worksheet"),
    path("<str:name>/", worksheet.worksheet_page, name="worksheet"),
    path("<str:name>/cells/", worksheet.cells, name="worksheet-cells"),
    path("<str:name>/edit/", worksheet.edit, name="edit-worksheet"),
    path("<str:name>/title/", worksheet.rename, name="rename-worksheet"),
    path("<str:name>/delete/", worksheet.delete, name="delete-worksheet"),
    path("<str:name>/parameters/", worksheet.choose, name="worksheet-parameters"),
    path("<str:name>/panel/", panel.panel, name="worksheet-panel"),
]
