"""Addresses of statements."""

from django.urls import path

from rulka.statements import edit_views, page_views, views

urlpatterns = [
    path("", views.statement_list, name="statements"),
    path("parts/", views.part_list, name="parts"),
    path("workbook/", page_views.workbook, name="workbook"),
    path("begin/", edit_views.begin, name="begin-statement"),
    path("bring-back/", edit_views.bring_back, name="bring-back"),
    path("delete/<str:kind>/<str:name>/", edit_views.delete, name="delete-definition"),
    path("shelves/make/", page_views.make_shelf, name="make-shelf"),
    path("shelves/<str:number>/", page_views.shelf, name="shelf"),
    path("shelves/<str:number>/right/", page_views.set_right, name="set-right"),
    path("place/<str:kind>/<str:name>/", page_views.place, name="place-definition"),
    path("outputs/<int:number>/", page_views.output, name="output"),
    path("outputs/<int:number>/cancel/", page_views.cancel_output, name="cancel-output"),
    path("outputs/<int:number>/file/", page_views.take_output, name="take-output"),
    path("editions/<str:number>/", page_views.edition, name="edition"),
    path("<str:name>/", views.statement_page, name="statement"),
    path("<str:name>/work/", views.statement_work, name="statement-work"),
    path("<str:name>/rows/<int:number>/", views.statement_block, name="statement-block"),
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
    path("<str:name>/export/<str:form>/", page_views.download, name="download"),
    path("<str:name>/table/", page_views.table, name="statement-table"),
    path("<str:name>/paper/<int:number>.png", page_views.paper, name="paper"),
    path("<str:name>/picture/", page_views.add_picture, name="add-picture"),
    path("<str:name>/outputs/", page_views.ask_output, name="ask-output"),
    path("<str:name>/editions/keep/", page_views.keep_edition, name="keep-edition"),
]
