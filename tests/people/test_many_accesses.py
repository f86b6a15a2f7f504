"""What many people may see, read at once, is what each of them may see."""

from __future__ import annotations

import pytest
from django.contrib.auth.models import Group

from rulka.people.duties import EXPLAIN
from rulka.people.library.persons import Readers, people_of
from rulka.people.library.rights import access_of
from rulka.people.models import GivenRight, GroupAccess, Person

pytestmark = pytest.mark.django_db


def test_fences_and_rights_read_at_once_are_those_of_each(ternwick):
    group = Group.objects.create(name="auditors")
    GroupAccess.objects.create(group=group, ledger=ternwick, entities="NF")
    GivenRight.objects.create(group=group, right=EXPLAIN)
    for name in ("guest", "gone"):
        Person.objects.create_user(name, is_active=name != "gone").groups.add(group)
    Person.objects.get(username="director").groups.add(group)
    found = list(Readers("ternwick"))
    assert [person.username for person, _ in found] == [person.username for person in people_of("ternwick")]
    assert "guest" in [person.username for person, _ in found] and "gone" not in [one.username for one, _ in found]
    for person, access in found:
        alone = Person.objects.get(pk=person.pk)
        assert access.own_fence() == access_of(alone, "ternwick").own_fence() and person.rights == alone.rights
    assert next(person for person, _ in found if person.username == "guest").may_explain
