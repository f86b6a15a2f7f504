"""Web sessions in the second database, under a digest of their key; a page is shown also where its session can't be
written just now."""

from __future__ import annotations

import logging
from typing import Any

from django.contrib.sessions.backends.db import SessionStore as DatabaseStore
from django.db import OperationalError
from django.utils import timezone

from rulka.people.library.sessions import kept_as
from rulka.work.services.waiting import as_refusal

logger = logging.getLogger("rulka.web")


class SessionStore(DatabaseStore):
    """Keeps what it can: a new session has to be written, a change of one may be lost."""

    @classmethod
    def get_model_class(cls) -> Any:
        from django.contrib.sessions.models import Session

        return Session

    def _get_session_from_db(self) -> Any:
        kept = self.model.objects.filter(session_key=kept_as(self.session_key or ""), expire_date__gt=timezone.now())
        found = kept.first()
        if found is None:
            self._session_key = None
        return found

    def exists(self, session_key: str) -> bool:
        return self.model.objects.filter(session_key=kept_as(session_key)).exists()

    def create_model_instance(self, data: dict[str, Any]) -> Any:
        made: Any = super().create_model_instance(data)
        made.session_key = kept_as(made.session_key)
        return made

    def delete(self, session_key: str | None = None) -> None:
        key = session_key or self.session_key
        if key:
            self.model.objects.filter(session_key=kept_as(key)).delete()

    def save(self, must_create: bool = False) -> None:
        try:
            super().save(must_create)
        except OperationalError as error:
            if must_create or as_refusal(error) is None:
                raise
            logger.info("A session was not written: %s", error)
