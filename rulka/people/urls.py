"""Addresses of people, groups and the record."""

from django.urls import path

from rulka.people.pages import mine, people, record

urlpatterns = [
    path("", people.people, name="people"),
    path("invite/", people.invite, name="invite-person"),
    path("groups/make/", people.make_group, name="make-group"),
    path("group/<str:name>/", people.group, name="group"),
    path("group/<str:name>/do/", people.act_on_group, name="act-on-group"),
    path("person/<str:username>/", people.person, name="person"),
    path("person/<str:username>/do/", people.act_on_person, name="act-on-person"),
    path("person/<str:username>/look/", people.look, name="look-through"),
    path("stop-looking/", people.stop_looking, name="stop-looking"),
    path("mine/", mine.mine, name="mine"),
    path("mine/choose/", mine.choose, name="choose-settings"),
    path("mine/step/", mine.step, name="second-step-settings"),
    path("mine/end/", mine.end, name="end-session"),
    path("mine/password/", mine.password, name="change-password"),
    path("record/", record.record_page, name="record"),
    path("record/<str:form>/", record.record_file, name="record-file"),
]
