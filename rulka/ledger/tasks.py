"""What the background worker does for ledgers."""

from __future__ import annotations

from django_tasks import task

from rulka.ledger import feeds


@task()
def run_load(load_id: int) -> None:
    """Do a queued load."""
    feeds.run(load_id)
