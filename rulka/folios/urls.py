"""Addresses of folios."""

from django.urls import path

from rulka.folios.pages import acting, files, folio, folios, outline, paging, writing

urlpatterns = [
    path("", folios.folio_list, name="folios"),
    path("begin/", folios.begin, name="begin-folio"),
    path("<str:name>/", folio.folio_page, name="folio"),
    path("<str:name>/whole/", acting.whole_one, name="act-on-folio"),
    path("<str:name>/outline/", outline.change_outline, name="change-outline"),
    path("<str:name>/undo/", outline.undo, name="undo-outline"),
    path("<str:name>/manage/", outline.manage, name="manage-folio"),
    path("<str:name>/master/<str:form>/", outline.master, name="folio-master"),
    path("<str:name>/places/", writing.places, name="folio-places"),
    path("<str:name>/pages/", paging.ask_pages, name="ask-pages"),
    path("<str:name>/pages/<int:number>/", paging.pages, name="folio-pages"),
    path("<str:name>/pages/<int:number>/stop/", paging.stop, name="stop-pages"),
    path("<str:name>/pages/<int:number>/file/", paging.take, name="take-folio"),
    path("<str:name>/pages/<int:number>/<int:page>/", paging.picture, name="folio-picture"),
    path("<str:name>/of/<str:key>/step/", acting.step, name="act-on-section"),
    path("<str:name>/of/<str:key>/text/", writing.keep, name="keep-section"),
    path("<str:name>/of/<str:key>/fill/", writing.fill, name="fill-place"),
    path("<str:name>/of/<str:key>/upload/", files.upload_section, name="upload-section"),
    path("<str:name>/of/<str:key>/file/", files.take_section, name="take-section"),
    path("<str:name>/of/<str:key>/version/<int:number>/", files.take_version, name="take-version"),
    path("<str:name>/of/<str:key>/versions/", files.versions, name="section-versions"),
    path("<str:name>/of/<str:key>/style/", acting.style, name="choose-style"),
    path("<str:name>/of/<str:key>/remark/", acting.say, name="remark-on-section"),
    path("<str:name>/of/<str:key>/typed/", acting.typed, name="leave-typed"),
    path("<str:name>/of/<str:key>/desk/", acting.desk_right, name="desk-right"),
]
