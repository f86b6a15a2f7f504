"""Somebody at work in a house of their own, as a process of the tests of backups.

`edit` changes a statement and keeps an edition of it, over and over, until there is a file `stop`; `show` prints what
the pages say.
"""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path

import django

NAME = "amy"
WHERE = "?ledger=s&period=2026-P01&node=A"


def main(do: str) -> None:
    os.environ["DJANGO_SETTINGS_MODULE"] = "rulka.web.settings"
    django.setup()
    from django.test import Client

    from rulka.people.models import Person

    client = Client(SERVER_NAME="localhost")
    client.force_login(Person.objects.get(username=NAME))
    if do == "edit":
        edit(client)
    else:
        show(client)


def edit(client) -> None:
    from django.urls import reverse

    asked = {"do": "line-change", "key": "rent", "path": "label", "share-spine": "all"}
    turn = 0
    while not turn or not (Path(os.environ["RULKA_VAR"]) / "stop").exists():
        value = f"Rent {turn + 1}"
        answer = client.post(reverse("edit-statement", args=["result"]) + WHERE, {**asked, "value": value})
        if answer.status_code == 503:  # a load holds the database: said, and tried again
            continue
        assert answer.status_code == 302, answer.content.decode()
        turn += 1
        while True:
            answer = client.post(reverse("keep-edition", args=["result"]) + WHERE, {"title": f"After {turn}"})
            if answer.status_code != 503:
                break
        assert answer.status_code == 200 or answer.status_code == 302, answer.content.decode()


def show(client) -> None:
    from django.urls import reverse

    from rulka.statements.models import Edition

    editions = Edition.objects.order_by("pk").values_list("pk", flat=True)[:3]
    addresses = [reverse("statement", args=["result"]), reverse("ledger-trial-balance"), reverse("revisions"),
                 *(reverse("edition", args=[pk]) for pk in editions)]  # fmt: skip
    for address in addresses:
        answer = client.get(address + WHERE)
        assert answer.status_code == 200, (address, answer.status_code)
        (text,) = re.findall(r"<main.*</main>", answer.content.decode(), re.S)
        print(address, re.sub(r'nonce="[^"]*"|[A-Za-z0-9]{64}|name="(?:window|sent)" value="[^"]*"', "", text))


if __name__ == "__main__":
    main(sys.argv[1])
