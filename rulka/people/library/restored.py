"""What of people is not taken over by a restored copy."""

from __future__ import annotations

from django.contrib.sessions.models import Session

from rulka.people.library import record, steps
from rulka.people.models import Invitation, Visit


def after_restore() -> list[str]:
    """Everybody signs in anew, and links that nobody used yet end."""
    Session.objects.all().delete()
    Visit.objects.all().delete()
    links, _ = Invitation.objects.filter(used__isnull=True).delete()
    record.note(None, "people", thing="backup", detail="restored; all sessions ended", name="command")
    lost = steps.unreadable()
    return [
        "Everybody signs in anew.",
        *(
            [
                f"The second step of {', '.join(lost)} needs the secret key of where the backup was made: bring it, or "
                "switch it off with make_person NAME --one-step."
            ]
            if lost
            else []
        ),
        *([f"{links} links to choose a password ended: make new ones."] if links else []),
    ]
