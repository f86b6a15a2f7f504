"""Web sessions in the second database; a page is shown also where its session can't be written just now."""

from __future__ import annotations

import logging
from typing import Any

from django.contrib.sessions.backends.db import SessionStore as DatabaseStore
from django.db import OperationalError

from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.web")


class SessionStore(DatabaseStore):
    """Keeps what it can: a new session has to be written, a change of one may be lost."""

    @classmethod
    def get_model_class(cls) -> Any:
        from django.contrib.sessions.models import Session

        return Session

    def save(self, must_create: bool = False) -> None:
        try:
            super().save(must_create)
        except OperationalError as error:
            if must_create or as_refusal(error) is None:
                raise
            logger.info("A session was not written: %s", error)
