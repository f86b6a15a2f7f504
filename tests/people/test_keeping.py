"""Keeping people: links used once, groups whose bounds and rights add up, who may give what, eyes, leaving, the
record."""

from __future__ import annotations

import json
from datetime import timedelta

import pytest
from django.contrib.auth.models import Group
from django.db import IntegrityError, OperationalError, connections, transaction
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.ledger.models import ClosedPeriod, Ledger
from rulka.people.duties import RIGHTS, ROLES
from rulka.people.library import keeping, record
from rulka.people.library.keeping import keeper_of
from rulka.people.library.persons import make_person, people_of
from rulka.people.library.rights import access_of, fence_of, grant
from rulka.people.models import Invitation, Person, Recorded, Visit

pytestmark = pytest.mark.django_db
PHRASE = "a long enough phrase"


@pytest.fixture
def ledger(small, command):
    command("load_ledger", small(), ledger="s")
    return Ledger.objects.get(code="s")


@pytest.fixture
def people(ledger):
    for name, role in (("ada", "administrator"), ("con", "controller"), ("amy", "accountant"), ("dan", "director")):
        person = make_person(name, title=name.capitalize(), role=role, password=PHRASE)
        grant(person, "s", "", "", {}, opens_seals=name in ("con", "amy"))
    return {name: signed_in(name) for name in ("ada", "con", "amy", "dan")}


@pytest.fixture
def recorded(django_capture_on_commit_callbacks):
    """Runs something and says what it added to the record."""

    def run(do):
        before = Recorded.objects.count()
        with django_capture_on_commit_callbacks(execute=True):
            found = do()
        return found, list(Recorded.objects.order_by("pk")[before:])

    return run


def signed_in(name):
    client = Client()
    client.force_login(person(name))
    return client


def person(name):
    return Person.objects.get(username=name)


def act(client, username, do, **values):
    return client.post(reverse("act-on-person", args=[username]), {"do": do, **values})


def invited(client, name="kim", **values):
    sent = {"name": name, "title": "Kim", "role": "lead", **values}
    answer = client.post(reverse("invite-person"), sent)
    link = answer.context.get("link", "") if answer.context else ""
    return answer, link.replace("http://testserver", "")


# inviting -----------------------------------------------------------------------------------------------------------


def test_a_link_takes_a_place_once_and_not_for_long(people):
    answer, link = invited(people["ada"])
    assert answer.status_code == 200 and link.startswith("/join/")
    key = link.split("/")[2]
    assert not Invitation.objects.filter(digest=key).exists(), "only a digest is kept"
    fresh = Client()
    assert "Welcome, Kim" in fresh.get(link).content.decode()
    for wrong, told in (("short", "at least 12"), ("123456789012345", "entirely numeric")):
        refused = fresh.post(link, {"password": wrong, "again": wrong})
        assert refused.status_code == 422 and told in refused.content.decode()
    assert "passwords differ" in fresh.post(link, {"password": PHRASE, "again": "another"}).content.decode()
    assert fresh.post(link, {"password": PHRASE, "again": PHRASE}).status_code == 302
    assert "used already" in fresh.post(link, {"password": PHRASE, "again": PHRASE}).content.decode()
    done = fresh.post(reverse("sign-in"), {"username": "kim", "password": PHRASE})
    assert done.status_code == 302
    _, late = invited(people["ada"], "lou")
    Invitation.objects.update(expires=timezone.now() - timedelta(seconds=1))
    assert "This link has ended" in fresh.get(late).content.decode()
    assert fresh.get(reverse("join", args=["nothing"])).status_code == 422


def test_who_may_invite_and_whom(people):
    for nobody in ("con", "amy", "dan"):
        answer, link = invited(people[nobody])
        assert answer.status_code == 422 and not link
    assert not Person.objects.filter(username="kim").exists()
    for wrong in ({"name": "AMY"}, {"name": "a b"}, {"name": ""}, {"role": "king"}, {"group": ["none"]}):
        answer, link = invited(people["ada"], **wrong)
        assert answer.status_code == 422 and not link, wrong
    assert people["dan"].get(reverse("people")).status_code == 422
    assert people["con"].get(reverse("people")).status_code == 200


def test_a_reset_ends_what_is_open_and_lets_choose_another_password(people):
    amy = people["amy"]
    assert amy.get(reverse("mine")).status_code == 200
    link = act(people["ada"], "amy", "reset").context["link"].replace("http://testserver", "")
    assert amy.get(reverse("mine")).status_code == 302, "her session ended"
    assert Client().post(link, {"password": "another long phrase", "again": "another long phrase"}).status_code == 302
    assert person("amy").check_password("another long phrase")
    assert act(people["con"], "amy", "reset").status_code == 422


# rights and bounds --------------------------------------------------------------------------------------------------


def test_roles_are_bundles_and_rights_are_given_besides(people):
    assert set(ROLES) == set(Person.Role.values) and all(set(rights) <= set(RIGHTS) for rights in ROLES.values())
    assert not person("dan").may("explain")
    act(people["con"], "dan", "right", right="explain", given="yes")
    assert person("dan").may_explain and not person("dan").may_accept
    why = {right.name: right.why for right in people["con"].get(reverse("person", args=["dan"])).context["rights"]}
    assert why["explain"] == "given to them" and why["accept explanations"] == ""
    act(people["con"], "dan", "right", right="explain", given="no")
    assert not person("dan").may_explain
    # what comes with the role can't be taken back alone, nor given to oneself, nor given without having it
    comes = act(people["con"], "amy", "right", right="edit", given="no").content.decode()
    assert "comes with the role of accountant" in comes
    assert "Nobody changes their own rights" in act(people["con"], "con", "right", right="edit",
                                                    given="yes").content.decode()  # fmt: skip
    with pytest.raises(RulkaError, match="may not set rights"):
        keeper_of(person("amy"))
    assert act(people["con"], "dan", "right", right="fly", given="yes").status_code == 422


def test_bounds_of_groups_are_alternatives(people, ledger):
    keeper = keeper_of(person("con"))
    shop, office = keeping.make_group(keeper, "Shop"), keeping.make_group(keeper, "Office")
    kim = make_person("kim", role="lead")
    for group, member in ((shop, "under:10"), (office, "20")):
        keeping.set_bounds(keeper, group, "s", entities="", accounts="", members={"department": member},
                           opens_seals=False)  # fmt: skip
        keeping.set_member(keeper, group, kim, belongs=True)
    access = access_of(kim, "s")
    assert access is not None and len(access.own_fence().bounds) == 2
    client = signed_in("kim")
    assert client.get(reverse("ledger")).context["seat"].view.part == "department Office or department Shop"
    assert [one.username for one in people_of("s")] == ["ada", "amy", "con", "dan", "kim"]
    keeping.set_member(keeper, office, kim, belongs=False)
    assert [one.members for one in fence_of("kim", "s").bounds] == [(("department", "under:10"),)]
    keeping.delete_group(keeper, shop)
    assert access_of(Person.objects.get(username="kim"), "s") is None
    assert signed_in("kim").get(reverse("ledger")).status_code == 404


def test_nobody_gives_more_than_they_see(people, ledger):
    Ledger.objects.update(sealed="5000")
    kim = make_person("kim", role="lead")
    with pytest.raises(RulkaError, match="Seals are opened by those"):
        keeping.set_bounds(keeper_of(person("ada")), kim, "s", entities="", accounts="", members={}, opens_seals=True)
    lead = make_person("lou", role="controller")
    grant(lead, "s", "", "", {"department": "20"}, opens_seals=False)
    with pytest.raises(RulkaError, match="sees all of a ledger"):
        keeping.set_bounds(keeper_of(lead), kim, "s", entities="", accounts="", members={}, opens_seals=False)
    with pytest.raises(RulkaError, match="Nobody changes their own rights"):
        keeping.set_bounds(keeper_of(lead), lead, "s", entities="", accounts="", members={}, opens_seals=False)
    group = Group.objects.create(name="Own")
    lead.groups.add(group)
    with pytest.raises(RulkaError, match="Nobody changes their own rights"):
        keeping.set_given(keeper_of(lead), group, "edit", given=True)
    for wrong in ({"members": "site: 1"}, {"entities": "A, "}, {"members": "department"}, {"ledger": "nowhere"}):
        answer = act(people["con"], "kim", "bounds", **{"ledger": "s", **wrong})
        assert answer.status_code == 422, wrong
    assert access_of(kim, "s") is None


def test_each_right_is_asked_where_it_is_used(people):
    where = {"ledger": "s", "period": "2025-P01", "node": "A"}
    query = "?ledger=s&period=2025-P01&node=A"
    close = {"entity": "A", "of": "2025-P01", "closed": "1", "reason": ""}
    act(people["con"], "dan", "right", right="change master data", given="yes")
    assert people["dan"].post(reverse("close-period") + query, close).status_code == 422
    assert not ClosedPeriod.objects.exists()
    act(people["con"], "dan", "right", right="close periods", given="yes")
    assert people["dan"].post(reverse("close-period") + query, close).status_code == 302
    assert ClosedPeriod.objects.count() == 1
    feed = people["dan"].post(reverse("feeds") + query, {"name": "F", "kind": "table", "location": ""})
    assert feed.status_code == 422 and "You may not accept loads." in feed.content.decode()
    assert people["dan"].get(reverse("ledger"), where).status_code == 200


# eyes ---------------------------------------------------------------------------------------------------------------


def test_through_somebodys_eyes_one_reads_only_and_never_past_ones_own_seals(people, ledger, recorded):
    Ledger.objects.update(sealed="5000")
    ada = people["ada"]
    assert people["con"].post(reverse("look-through", args=["amy"])).status_code == 422
    (answer, added) = recorded(lambda: ada.post(reverse("look-through", args=["amy"])))
    assert answer.status_code == 302 and [(one.what, one.thing) for one in added] == [("looked", "person amy")]
    page = ada.get(reverse("ledger"))
    assert "Through the eyes of Amy" in page.content.decode()
    seat = page.context["seat"]
    assert seat.person.username == "amy" and seat.view.fence.sealed == "5000", "amy opens seals, ada doesn't"
    for refused in (reverse("close-period"), reverse("invite-person"), reverse("change-password"), reverse("feeds")):
        assert ada.post(refused, {}).status_code == 422, refused
    assert ada.get(reverse("people")).status_code == 422, "amy sets no rights"
    taken, added = recorded(lambda: ada.get(reverse("trial-balance-export", args=["csv"])))
    assert taken.status_code == 200
    assert [(one.what, one.person_name, one.looked_by) for one in added] == [("took", "amy", "ada")]
    assert ada.post(reverse("stop-looking")).status_code == 302
    assert ada.get(reverse("ledger")).context["seat"].person.username == "ada"
    # whoever is no administrator any more sees with their own eyes at once
    ada.post(reverse("look-through", args=["amy"]))
    Person.objects.filter(username="ada").update(role="director")
    assert ada.get(reverse("ledger")).context["seat"].person.username == "ada"


# leaving ------------------------------------------------------------------------------------------------------------


def test_who_leaves_is_out_at_once_and_what_they_own_passes_on(people, ledger):
    amy = people["amy"]
    amy.post(reverse("make-shelf") + "?ledger=s", {"name": "Month end"})
    assert amy.get(reverse("ledger")).status_code == 200
    assert act(people["ada"], "amy", "deactivate", heir="amy").status_code == 422
    act(people["ada"], "amy", "deactivate", heir="con")
    assert amy.get(reverse("ledger")).status_code == 302
    assert "sign-in" in amy.get(reverse("ledger"))["Location"]
    assert access_of(person("amy"), "s") is None and not person("amy").may_edit
    from rulka.statements.models import Shelf

    assert Shelf.objects.get().maker == person("con")
    refused = Client().post(reverse("sign-in"), {"username": "amy", "password": PHRASE})
    assert refused.status_code == 200
    act(people["ada"], "amy", "let-in")
    assert person("amy").may_edit


def test_the_last_administrator_stays(people):
    Person.objects.filter(role="administrator").exclude(username="ada").update(role="director")
    told = act(people["ada"], "ada", "deactivate", heir="con").content.decode()
    assert "is the last administrator" in told
    assert "Nobody changes their own rights" in act(people["ada"], "ada", "change", title="Ada",
                                                    role="director").content.decode()  # fmt: skip
    make_person("bob", role="administrator")
    act(people["ada"], "bob", "change", title="Bob", role="director")
    assert person("bob").role == "director" and person("ada").is_active
    # what would end the session at hand is refused in words
    make_person("eve", role="administrator")
    for do in ("deactivate", "reset", "end"):
        assert act(people["ada"], "ada", do, heir="con", session="1").status_code == 422, do
    visit = Visit.objects.get(person=person("ada").pk)
    here = people["ada"].post(reverse("end-session"), {"session": str(visit.pk)})
    assert here.status_code == 422 and "Sign out instead" in here.content.decode()


def test_sessions_are_listed_and_ended(people):
    amy, other = people["amy"], signed_in("amy")
    assert [one.is_this for one in amy.get(reverse("mine")).context["sessions"]] == [False, True]
    visit = Visit.objects.filter(person=person("amy").pk).first()
    amy.post(reverse("end-session"), {"session": str(visit.pk)})
    assert other.get(reverse("mine")).status_code == 302
    assert amy.get(reverse("mine")).status_code == 200
    assert people["dan"].post(reverse("end-session"), {"session": str(visit.pk)}).status_code == 422
    changed = amy.post(reverse("change-password"), {"former": PHRASE, "password": "one more long phrase",
                                                    "again": "one more long phrase"})  # fmt: skip
    assert changed.status_code == 302 and amy.get(reverse("mine")).status_code == 200
    assert amy.post(reverse("change-password"), {"former": PHRASE}).status_code == 422


# the record ---------------------------------------------------------------------------------------------------------


def test_the_record_holds_what_was_done_and_is_never_changed(people, ledger, recorded):
    _, added = recorded(lambda: act(people["con"], "dan", "right", right="explain", given="yes"))
    assert [(one.person_name, one.what, one.thing, one.detail) for one in added] == [
        ("con", "people", "person dan", "explain given"),
    ]  # fmt: skip
    _, none = recorded(lambda: act(people["con"], "con", "right", right="explain", given="yes"))
    assert none == [], "what was refused wasn't done"
    with pytest.raises((IntegrityError, OperationalError), match="never changed"), transaction.atomic("work"):
        Recorded.objects.update(detail="something else")
    with connections["work"].cursor() as cursor:
        cursor.execute("SELECT COUNT(*) FROM people_recorded WHERE detail = 'something else'")
        assert cursor.fetchone()[0] == 0
    with pytest.raises(ValueError, match="no kind"):
        record.note(None, "danced")


def test_who_reads_the_record(people, ledger, recorded):
    query = "?ledger=s&period=2025-P01&node=A"
    recorded(lambda: people["amy"].get(reverse("trial-balance-export", args=["csv"]) + query))
    recorded(lambda: act(people["con"], "dan", "right", right="explain", given="yes"))
    seen = {name: {one.what for one in people[name].get(reverse("record")).context["rows"]} for name in people}
    assert "took" in seen["ada"] and "people" in seen["ada"]
    assert "took" in seen["amy"] and "people" not in seen["amy"], "what was given to others is no matter of hers"
    assert "took" not in seen["dan"]
    rows = people["ada"].get(reverse("record"), {"person": "amy", "what": "took"}).context["rows"]
    assert [one.thing for one in rows] == ["trial-balance-export csv"]
    file = people["ada"].get(reverse("record-file", args=["json"]), {"what": "took"})
    assert [one["person"] for one in json.loads(file.getvalue())] == ["amy"]
    assert people["ada"].get(reverse("record"), {"since": "soon"}).status_code == 422
    assert people["ada"].get(reverse("record-file", args=["pdf"])).status_code == 404


def test_old_entries_go_once_they_are_as_old_as_set(people, settings):
    settings.RECORD_DAYS = 1  # less than may be set
    rows = [Recorded(what="took", at=timezone.now()) for _ in range(2)]
    Recorded.objects.bulk_create(rows)
    with connections["work"].cursor() as cursor:
        cursor.execute("DROP TRIGGER record_stays")
    Recorded.objects.filter(pk=rows[0].pk).update(at=timezone.now() - timedelta(days=91))
    before = Recorded.objects.count()
    assert record.forget_old() == 1 and Recorded.objects.count() == before - 1


def test_what_somebody_sees_is_changed_from_what_it_is(people):
    ada = people["ada"]
    amy = reverse("person", args=["amy"])
    assert "Change what they see of" in ada.get(amy).content.decode()
    bounds = {"ledger": "s", "entities": "A", "members": "department: under:10", "depth": "accounts"}
    assert act(ada, "amy", "bounds", **bounds).status_code == 302
    text = ada.get(amy).content.decode()
    for shown in ('name="entities" maxlength="400" value="A"', ">department: under:10</textarea>",
                  '<option value="accounts" selected>'):  # fmt: skip
        assert shown in text, shown
    refused = act(ada, "amy", "bounds", **{**bounds, "members": "department under:20", "accounts": "4*"})
    told = refused.content.decode()
    assert refused.status_code == 422 and "<details open>" in told
    assert ">department under:20</textarea>" in told and 'value="4*"' in told
