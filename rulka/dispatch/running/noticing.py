"""Words to people by mail: carried by the worker, so that nobody waits for a mail server; what came of it is
recorded."""

from __future__ import annotations

from uuid import uuid4

from django.conf import settings
from django.utils import timezone
from django_tasks import task

from rulka.dispatch.running.mail import Letter, hand_over
from rulka.people.library import record
from rulka.people.library.persons import find_person
from rulka.people.models import Person
from rulka.work.services.recovery import PAUSE

MOST_TRIES = 5


def by_mail(person: Person, subject: str, text: str, address: str) -> None:
    """Carry words to somebody by mail, where a mail server is set and they have an address."""
    if settings.MAIL_HOST and settings.MAIL_FROM and person.email:
        send_notice.enqueue(person.pk, subject, text, address, uuid4().hex)


@task()
def send_notice(number: int, subject: str, text: str, address: str, identity: str, tried: int = 0) -> None:
    """Hand one mail over; where the server wasn't reached it is tried again later."""
    person = find_person(number)
    if person is None or not person.is_active or not person.email:
        return
    link = settings.ADDRESS.rstrip("/") + address if settings.ADDRESS else ""
    words = "\n\n".join(filter(None, (text, link)))
    answer = hand_over(Letter(identity, person.email, (), subject, words, ()))
    if answer.state == "not sent" and tried < MOST_TRIES:
        send_notice.using(run_after=timezone.now() + PAUSE * 2**tried).enqueue(
            number, subject, text, address, identity, tried + 1
        )
        return
    record.note(person, "sent", thing="notice", detail=f"{subject}: {answer.state}, {answer.text}"[:500])
