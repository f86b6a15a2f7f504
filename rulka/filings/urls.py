"""Addresses of filings."""

from django.urls import path

from rulka.filings.pages import changing, files, filing, filings

urlpatterns = [
    path("", filings.filing_list, name="filings"),
    path("taxonomies/", filings.taxonomy, name="load-taxonomy"),
    path("begin/<str:folio>/", filings.begin, name="begin-filing"),
    path("<str:name>/", filing.filing_page, name="filing"),
    path("<str:name>/search/", filing.search, name="search-concepts"),
    path("<str:name>/change/", changing.change_tags, name="change-filing"),
    path("<str:name>/undo/", changing.undo, name="undo-filing"),
    path("<str:name>/manage/", changing.manage, name="manage-filing"),
    path("<str:name>/make/", files.make, name="make-filing"),
    path("<str:name>/file/<int:number>/", files.job_page, name="filing-file"),
    path("<str:name>/file/<int:number>/take/", files.take, name="take-filing"),
    path("<str:name>/file/<int:number>/stop/", files.stop, name="stop-filing"),
]
