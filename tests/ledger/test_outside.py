"""What goes out to other servers, and what comes back: secrets for one host, allowed hosts, bounds of answers."""

from __future__ import annotations

import gzip
import json
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from rulka.core.errors import RulkaError
from rulka.formats.intake import odata, outside
from rulka.formats.intake.odata import Service, ServiceSignIn, sets_from
from rulka.formats.intake.outside import Outside
from rulka.ledger.feeds import settings as feed_settings
from rulka.ledger.models import Feed, Ledger

HERE = Outside(private=True)


class Odd(BaseHTTPRequestHandler):
    """Answers as the test says, and remembers what it was asked with."""

    answer: bytes = b""
    headers_of: dict[str, str] = {}  # noqa: RUF012
    slow = 0.0
    asked: list[str] = []  # noqa: RUF012

    def do_GET(self) -> None:
        type(self).asked.append(self.headers.get("Authorization", ""))
        self.send_response(200)
        for name, value in type(self).headers_of.items():
            self.send_header(name, value)
        self.end_headers()
        try:
            for at in range(0, len(self.answer), 1 << 16 if not self.slow else 1):
                self.wfile.write(self.answer[at : at + (1 << 16 if not self.slow else 1)])
                self.wfile.flush()
                time.sleep(self.slow)
        except OSError:
            pass  # whoever asked has gone

    def log_message(self, *args: object) -> None:
        pass


@pytest.fixture
def server():
    Odd.answer, Odd.headers_of, Odd.slow, Odd.asked = b"", {}, 0.0, []
    service = ThreadingHTTPServer(("127.0.0.1", 0), Odd)
    threading.Thread(target=service.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{service.server_port}/"
    service.shutdown()
    service.server_close()


def rows(address, **how):
    with Service(address, ServiceSignIn("bearer", "", "tides"), outside=HERE, wait=0, **how) as service:
        return list(service.rows("Lines", {}, ("No",)))


@pytest.mark.parametrize(
    "answer",
    [
        b"[]",
        b"null",
        b'{"value": 3}',
        b'{"value": [1, 2]}',
        b'{"value": [], "@odata.count": "many"}',
        b'{"value": [], "@odata.count": {"a": 1}}',
        b'{"value": [], "@odata.nextLink": 5}',
        b'{"value": [{"No": [1]}]}',
        b'{"value": [{"No": 1.0e99999999}]}',
        b'{"value": [{"No": NaN}]}',
        b'{"value": [{"No": ' + b"9" * 5000 + b"}]}",
        b'{"value": ' + b"[" * 100_000,
        b"<html>secret inner page</html>",
        b'{"value": [], "@odata.nextLink": "http://elsewhere.example/"}',
        b'{"value": [], "@odata.nextLink": "http://[::1"}',
    ],
)
def test_answers_of_a_wrong_shape_are_refused_in_words(answer, server):
    Odd.answer = answer
    with pytest.raises(RulkaError) as refused:
        rows(server)
    assert "inner page" not in str(refused.value)


def test_nothing_of_a_foreign_answer_is_shown_beyond_its_status(server, monkeypatch):
    Odd.answer = b'{"error": {"message": "root:x:0:0"}}'
    monkeypatch.setattr(Odd, "send_response", lambda self, code: BaseHTTPRequestHandler.send_response(self, 404))
    with pytest.raises(RulkaError, match="status 404") as refused:
        rows(server)
    assert "root:x" not in str(refused.value)


def test_large_slow_and_endless_answers_end(server, monkeypatch):
    monkeypatch.setattr(outside, "MOST_ANSWER", 200_000)
    Odd.answer = b'{"value": [' + b" " * 300_000 + b"]}"
    with pytest.raises(RulkaError, match="larger than"):
        rows(server)
    Odd.answer, Odd.headers_of = gzip.compress(b" " * 50_000_000), {"Content-Encoding": "gzip"}
    with pytest.raises(RulkaError, match="larger than"):
        rows(server)
    Odd.answer, Odd.headers_of, Odd.slow = b" " * 10_000, {}, 0.01
    before = time.monotonic()
    with pytest.raises(RulkaError, match="too long"):
        rows(server, seconds=0.1)
    assert time.monotonic() - before < 20
    Odd.answer, Odd.slow = json.dumps({"value": [], "@odata.nextLink": server + "Lines?x={}"}).encode(), 0.0
    monkeypatch.setattr(odata, "MOST_EMPTY", 0)
    with pytest.raises(RulkaError, match="without a row"):
        rows(server)


@pytest.mark.parametrize(
    "address",
    ["http://127.0.0.1:1/", "http://localhost:1/", "http://[::1]:1/", "http://10.0.0.8/", "http://169.254.169.254/"],
)
def test_private_networks_are_off(address):
    with pytest.raises(RulkaError, match="private network"), Service(address, ServiceSignIn(), wait=0) as service:
        list(service.rows("Lines", {}))


@pytest.mark.parametrize("address", ["ftp://x/", "http://", "http://u:p@host/", "http://[::1", "javascript:alert(1)"])
def test_what_is_no_web_address_is_refused(address):
    with pytest.raises(RulkaError):
        HERE.check(address)


def test_only_allowed_hosts_are_asked():
    allowed = Outside(frozenset({"ledger.example"}))
    assert allowed.check("https://Ledger.example/odata") == "https://ledger.example:443"
    with pytest.raises(RulkaError, match="not among those that feeds may ask"):
        allowed.check("https://other.example/")


@pytest.mark.django_db
def test_secret_goes_to_the_host_that_it_was_given_for(small, command, server):
    command("load_ledger", small(), ledger="s")
    ledger = Ledger.objects.get(code="s")
    feed = feed_settings.save_feed(ledger, {"name": "Web", "kind": "service", "location": server + "odata/"})
    feed_settings.keep_secret(feed, "tides")
    assert feed_settings.secret_of(feed) == "tides"
    feed = feed_settings.save_feed(ledger, {"location": server + "other/path/"}, feed=feed)
    assert feed_settings.secret_of(feed) == "tides"  # the same host
    feed = feed_settings.save_feed(ledger, {"location": "https://thief.example/"}, feed=feed)
    with pytest.raises(RulkaError, match="Type the password or token once more"):
        feed_settings.secret_of(feed)
    Feed.objects.filter(pk=feed.pk).update(location=server)
    (feed_settings.loads_folder(0).parent.parent / "secrets" / f"feed-{feed.pk}").write_text("from before")
    with pytest.raises(RulkaError, match="once more"):
        feed_settings.secret_of(Feed.objects.get(pk=feed.pk))


@pytest.mark.parametrize(
    "mapping",
    [
        [],
        "x",
        {"entries": 3},
        {"entries": {"set": "A", "fields": {"entity": 3}}},
        {"entries": {"set": "A B?x", "fields": {"entity": "E"}}},
        {"entries": {"set": "A", "fields": {"entity": "E"}, "keys": "No"}},
        {"entries": {"set": "A", "fields": {"entity": "E"}, "constants": {"a": {}}}},
        {"entries": {"set": "A", "fields": {}, "modified": 1}},
    ],
)
def test_mappings_of_a_wrong_shape_are_refused(mapping):
    with pytest.raises(RulkaError):
        sets_from(mapping)
