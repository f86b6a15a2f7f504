"""What must not stand in logs: the keys of live links and of invitations, which are part of their addresses."""

from __future__ import annotations

import logging
import re

KEYS = re.compile(r"(/(?:live|join)/)[^/\s'\"]+")


class WithoutKeys(logging.Filter):
    """Leaves such keys out of what is logged."""

    def filter(self, record: logging.LogRecord) -> bool:
        said = record.getMessage()
        if KEYS.search(said):
            record.msg, record.args = KEYS.sub(r"\1…", said), ()
        if record.exc_text:
            record.exc_text = KEYS.sub(r"\1…", record.exc_text)
        return True
