"""Addresses of overviews."""

from django.urls import path

from rulka.overviews.pages import changing, charting, files, overview, overviews, tracing

urlpatterns = [
    path("", overviews.overview_list, name="overviews"),
    path("begin/", overviews.begin, name="begin-overview"),
    path("of/<str:name>/", charting.chart, name="chart-of-statement"),
    path("of/<str:name>/keep/", charting.keep, name="keep-chart"),
    path("<str:name>/", overview.overview_page, name="overview"),
    path("<str:name>/edit/", changing.edit, name="edit-overview"),
    path("<str:name>/undo/", changing.undo, name="undo-overview"),
    path("<str:name>/choose/", changing.choose, name="choose-overview"),
    path("<str:name>/manage/", changing.manage, name="manage-overview"),
    path("<str:name>/file/<str:form>/", files.download, name="overview-file"),
    path("<str:name>/trace/", tracing.trace, name="overview-trace"),
    path("<str:name>/trace/<str:form>/", tracing.take, name="overview-take"),
]
