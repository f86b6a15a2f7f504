"""What is found, offered and shown follows from what somebody may see alone: altering all that lies outside changes
nothing of it."""

from __future__ import annotations

import re

import pytest
from django.test import Client
from django.urls import reverse

from rulka.core.compute.nodes import find_node
from rulka.core.rebuild.answering import sums_of
from rulka.core.rebuild.books import TableReading
from rulka.ledger.reading.queries import view_of
from rulka.people.library.persons import make_person
from rulka.people.library.rights import fence_of, grant
from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output.finding import find
from tests.web import test_non_interference as inside_of
from tests.web.test_non_interference import PEOPLE

pytestmark = pytest.mark.django_db
house = inside_of.house


def shown_of(client: Client, rebuild: Rebuild) -> list[str]:
    """Its state and proposal, its page, the page of each line, and a line tried."""
    where = {"ledger": "h", "period": "2026-P02", "node": "A"}
    Rebuild.objects.filter(pk=rebuild.pk).update(state="waiting", done=0)
    find(rebuild.pk)
    rebuild.refresh_from_db()
    told = [rebuild.state, str(rebuild.found), rebuild.problem]
    for row in range(-1, 3):
        answer = client.get(reverse("rebuild", args=[rebuild.pk]), {**where, "row": row})
        told.append(answer.content.decode())
        answer = client.get(
            reverse("rebuild-difference", args=[rebuild.pk]), {**where, "row": row, "selection": "4*, 5*"}
        )  # fmt: skip
        told.append(answer.content.decode())
    return [re.sub(r'nonce="[^"]*"|[A-Za-z0-9]{64}|[0-9]+ (second|minute)s?', "", one) for one in told]


@pytest.mark.parametrize("kind", PEOPLE)
def test_what_is_found_follows_from_what_may_be_seen(kind, house, settings):
    settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
    bounds, inside = PEOPLE[kind]
    person = make_person("amy", title="Amy", role="accountant")
    grant(person, "h", bounds.get("entities", ""), bounds.get("accounts", ""), bounds.get("members", {}),
          opens_seals=True)  # fmt: skip
    view = view_of(house, fence_of(person, "h"))
    node = find_node(view, "A")
    readings = [TableReading("A", "actual", "closing", at, at) for at in (12, 13)]
    readings = [one for one in readings if one.last < len(view.frame.calendar.periods)]
    sums = [sums_of(one, view, node) for one in readings]
    accounts = [at for at in range(len(view.frame.accounts)) if any(one[at] for one in sums)]
    rows = ["caption;" + ";".join(f"c{at}" for at in range(len(sums)))]
    rows += [f"{view.frame.accounts.items[at].name};" + ";".join(f"{int(one[at]) / 100:.2f}" for one in sums)
             for at in accounts]  # fmt: skip
    client = Client()
    client.force_login(person)
    answer = client.post(reverse("rebuilds") + "?ledger=h&period=2026-P02&node=A", {"text": "\n".join(rows)})
    assert answer.status_code == 302, answer.content.decode()
    rebuild = Rebuild.objects.get()
    first = shown_of(client, rebuild)
    inside_of.alter_outside(house, inside, bounds)
    for one, other in zip(shown_of(client, rebuild), first, strict=True):
        at = next((at for at in range(len(one)) if one[at : at + 1] != other[at : at + 1]), 0)
        assert one == other, (one[at - 80 : at + 80], other[at - 80 : at + 80])
    assert "ALTERED" not in "".join(first)
