"""The WSGI application."""

import os

from django.core.management import call_command
from django.core.wsgi import get_wsgi_application

from rulka.web.memory import settle

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rulka.web.settings")
application = get_wsgi_application()
call_command("check", tags=["rulka"])
settle()
