"""The WSGI application."""

import os
from importlib import import_module

from django.core.management import call_command
from django.core.wsgi import get_wsgi_application

from rulka.web.memory import reading_code

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rulka.web.settings")
with reading_code():
    application = get_wsgi_application()
    call_command("check", tags=["rulka"])
    import_module("rulka.web.urls")  # else the first page waits for all other pages' code
