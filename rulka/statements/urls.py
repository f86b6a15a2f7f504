"""Addresses of statements."""

from django.urls import path

from rulka.statements.pages import edit, library, output, statement

urlpatterns = [
    path("", library.statement_list, name="statements"),
    path("parts/", library.part_list, name="parts"),
    path("workbook/", output.workbook, name="workbook"),
    path("begin/", edit.begin, name="begin-statement"),
    path("bring-back/", edit.bring_back, name="bring-back"),
    path("delete/<str:kind>/<str:name>/", edit.delete, name="delete-definition"),
    path("shelves/make/", library.make_shelf, name="make-shelf"),
    path("shelves/<str:number>/", library.shelf, name="shelf"),
    path("shelves/<str:number>/right/", library.set_right, name="set-right"),
    path("place/<str:kind>/<str:name>/", library.place, name="place-definition"),
    path("reach/<str:kind>/<str:name>/", library.reach, name="reach"),
    path("outputs/<int:number>/", output.output, name="output"),
    path("outputs/<int:number>/cancel/", output.cancel_output, name="cancel-output"),
    path("outputs/<int:number>/file/", output.take_output, name="take-output"),
    path("editions/<str:number>/", output.edition, name="edition"),
    path("<str:name>/", statement.statement_page, name="statement"),
    path("<str:name>/work/", statement.statement_work, name="statement-work"),
    path("<str:name>/rows/<int:number>/", statement.statement_block, name="statement-block"),
    path("<str:name>/trace/", statement.statement_trace, name="statement-trace"),
    path("<str:name>/trace/<str:form>/", statement.statement_take, name="statement-take"),
    path("<str:name>/panel/", statement.statement_panel, name="statement-panel"),
    path("<str:name>/edit/", edit.edit, name="edit-statement"),
    path("<str:name>/check/", edit.check, name="check-edit"),
    path("<str:name>/copy-lines/", edit.copy_lines, name="copy-lines"),
    path("<str:name>/undo/", edit.undo, name="undo"),
    path("<str:name>/redo/", edit.redo, name="redo"),
    path("<str:name>/name/", edit.give_name, name="name-statement"),
    path("<str:name>/duplicate/", edit.duplicate, name="duplicate-statement"),
    path("<str:name>/versions/save/", edit.save_version, name="save-version"),
    path("<str:name>/versions/restore/", edit.restore_version, name="restore-version"),
    path("<str:name>/export/<str:form>/", output.download, name="download"),
    path("<str:name>/table/", output.table, name="statement-table"),
    path("<str:name>/paper/<int:number>.png", output.paper, name="paper"),
    path("<str:name>/picture/", output.add_picture, name="add-picture"),
    path("<str:name>/outputs/", output.ask_output, name="ask-output"),
    path("<str:name>/editions/keep/", output.keep_edition, name="keep-edition"),
]
