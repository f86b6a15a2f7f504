"""Sets feeds up from a JSON file, as the page Feeds would."""

from __future__ import annotations

import json
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.models import Feed
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("path", type=Path, help="a JSON list of feeds")
        parser.add_argument("--address", default="", help="address for the web services in it that name none")
        parser.add_argument("--secret", default="", help="password or token for the web services in it")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        try:
            described = json.loads(options["path"].read_text(encoding="utf-8"))
        except json.JSONDecodeError as error:
            raise RulkaError(
                f"Not JSON: {error.msg}.", subject=f"{options['path'].name}, line {error.lineno}"
            ) from None
        for values in described:
            former = Feed.objects.filter(ledger=ledger, name=values.get("name", "")).first()
            service = values.get("kind") == Feed.Kind.SERVICE
            if service:
                values = {"location": options["address"], **values}
            feed = feed_settings.save_feed(ledger, values, feed=former)
            if values.get("mark"):
                Feed.objects.filter(pk=feed.pk).update(mark=values["mark"])
            if service and options["secret"]:
                feed_settings.keep_secret(feed, options["secret"])
            self.stdout.write(f"Feed {feed.name} is set up.")
