"""Addresses of worksheets."""

from django.urls import path

from rulka.worksheets.pages import bring, formula, keeping, output, panel, since, tables, tracing, worksheet

urlpatterns = [
    path("", worksheet.worksheet_list, name="worksheets"),
    path("begin/", worksheet.begin, name="begin-worksheet"),
    path("functions/", formula.functions, name="worksheet-functions"),
    path("from/<str:name>/", worksheet.open_statement_as, name="open-as-worksheet"),
    path("tables/new/", tables.table, name="new-bounded-table"),
    path("tables/<str:name>/", tables.table, name="bounded-table"),
    path("<str:name>/", worksheet.worksheet_page, name="worksheet"),
    path("<str:name>/cells/", worksheet.cells, name="worksheet-cells"),
    path("<str:name>/edit/", worksheet.edit, name="edit-worksheet"),
    path("<str:name>/title/", worksheet.rename, name="rename-worksheet"),
    path("<str:name>/delete/", worksheet.delete, name="delete-worksheet"),
    path("<str:name>/parameters/", worksheet.choose, name="worksheet-parameters"),
    path("of-trace/<str:of>/<str:name>/", tracing.from_trace, name="worksheet-from-trace"),
    path("<str:name>/trace/", tracing.whole_page, name="worksheet-trace"),
    path("<str:name>/trace/<str:form>/", tracing.take, name="worksheet-take"),
    path("<str:name>/panel/", panel.panel, name="worksheet-panel"),
    path("<str:name>/offer/", formula.offer, name="worksheet-offer"),
    path("<str:name>/try/", formula.attempt, name="worksheet-try"),
    path("<str:name>/bring/", bring.bring_rows, name="worksheet-bring"),
    path("<str:name>/shelf/", keeping.shelf, name="worksheet-shelf"),
    path("<str:name>/state/", keeping.state, name="worksheet-state"),
    path("<str:name>/pictures/", keeping.picture_add, name="worksheet-pictures"),
    path("<str:name>/pictures/<int:number>/", keeping.picture, name="worksheet-picture"),
    path("<str:name>/pictures/<str:drawing>/", keeping.drawing, name="worksheet-drawing"),
    path("<str:name>/refresh/", since.refresh, name="worksheet-refresh"),
    path("<str:name>/fetch/", since.fetch, name="worksheet-fetch"),
    path("<str:name>/fetching/", since.fetching, name="worksheet-fetching"),
    path("<str:name>/opening/", since.opening, name="worksheet-opening"),
    path("<str:name>/links/", output.linked, name="worksheet-linked"),
    path("<str:name>/links/revoke/", output.revoke, name="worksheet-revoke"),
    path("<str:name>/as/<str:form>/", output.download, name="worksheet-file"),
]
