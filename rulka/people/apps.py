"""The people app."""

from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "rulka.people"
    label = "people"

    def ready(self) -> None:
        """Signing in writes nothing into the first database, which a load may be writing."""
        from django.contrib.auth.models import update_last_login
        from django.contrib.auth.signals import user_logged_in

        user_logged_in.disconnect(update_last_login, dispatch_uid="update_last_login")

        from rulka.people.pages import visiting

        visiting.connect()
