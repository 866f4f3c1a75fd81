"""Hooks: told what is new on the watch page, signed, in order, and once."""

from __future__ import annotations

import base64
import hashlib
import http.server
import json
import math
import re
import threading
import time
from collections.abc import Iterator
from functools import partial
from typing import Any

import httpx
import pytest
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import padding
from joserfc.jwk import RSAKey
from msgspec.structs import replace
from tests.conftest import PATIENCE, Live, at_once, until

from caddrel.client import Refused
from caddrel.service.streams.feeds import add_hook
from caddrel.service.watch import watched
from caddrel.wire.feeds import FeedRequest, HookRequest, SourceRequest


class _Desk(http.server.BaseHTTPRequestHandler):
    """Somebody who is told, and keeps what came as it came."""

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        down = self.server.down > 0  # type: ignore[attr-defined]
        self.server.down -= 1  # type: ignore[attr-defined]
        if not down:
            self.server.taken.append((dict(self.headers), body))  # type: ignore[attr-defined]
        self.send_response(503 if down else 204)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, *_: Any) -> None:
        pass


@pytest.fixture
def desk(live: Live, monkeypatch: pytest.MonkeyPatch) -> Iterator[Any]:
    # However slow the machine is, each look is a new one: there is none but those that are asked for here.
    monkeypatch.setattr(watched, "LONG", math.inf)
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Desk)
    server.down, server.taken = 1, []  # type: ignore[attr-defined]
    server.url = f"http://127.0.0.1:{server.server_port}/told"  # type: ignore[attr-defined]
    threading.Thread(target=server.serve_forever, daemon=True).start()
    live.data.settings.origin, live.data.settings.allow_private = live.url, True
    live.runtime.reporter.stop()
    yield server
    server.shutdown()
    server.server_close()


def _checked(live: Live, url: str, headers: dict[str, str], body: bytes) -> Any:
    """Check a message as one does who knows RFC 9421 and where the keys are."""
    given = {name.lower(): value for name, value in headers.items()}
    digest = base64.b64encode(hashlib.sha256(body).digest()).decode()
    assert given["content-digest"] == f"sha-256=:{digest}:"
    label, _, params = given["signature-input"].partition("=")
    covered = re.findall(r'"([^"]+)"', params.partition(")")[0])
    assert covered == ["@method", "@target-uri", "content-type", "content-digest"]
    values = {"@method": "POST", "@target-uri": url, **given}
    base = "\n".join([*(f'"{name}": {values[name]}' for name in covered), f'"@signature-params": {params}'])
    kid = re.search(r'keyid="([^"]+)"', params)
    assert kid is not None
    assert 'alg="rsa-v1_5-sha256"' in params
    (key,) = [
        each for each in httpx.get(f"{live.url}/ssf/v1/jwks", timeout=PATIENCE).json()["keys"] if each["kid"] == kid[1]
    ]
    signature = base64.b64decode(given["signature"].removeprefix(f"{label}=:").removesuffix(":"))
    RSAKey.import_key(key).public_key.verify(signature, base.encode(), padding.PKCS1v15(), hashes.SHA256())
    return json.loads(body)


def _wrong_event(live: Live, what: str) -> None:
    """Have a feed say something that is not taken: that is new on the watch page."""
    live.data.feeds.failed("https://feed.kelpline.example", what)
    live.runtime.reporter.look()


def test_what_is_new_is_told_once_signed_and_also_to_who_was_down(live: Live, desk: Any) -> None:
    with live.client() as client:
        key = {"kty": "OKP", "crv": "Ed25519", "x": base64.urlsafe_b64encode(bytes(32)).decode().rstrip("=")}
        client.feeds.add(_feed({"keys": [key]}))
        _wrong_event(live, "before")
        client.feeds.hook(HookRequest("night desk", desk.url))
        client.feeds.hook(HookRequest("findings", desk.url, "ocsf", ["feed"]))
        client.feeds.hook(HookRequest("others", desk.url, tells=["review"]))
        live.runtime.reporter.look()
        _wrong_event(live, "a token that is none")
        _wrong_event(live, "a token that is none")
        until(lambda: len(desk.taken) == 5)
        told = [_checked(live, desk.url, *each) for each in desk.taken]
        kinds = sorted(each.get("type", each.get("class_uid")) for each in told if "type" in each)
        assert kinds == ["caddrel.watch.feed", "caddrel.watch.hook-added", "caddrel.watch.hook-added"]
        (event,) = [each for each in told if each.get("type") == "caddrel.watch.feed"]
        assert (event["specversion"], event["source"], event["subject"]) == ("1.0", live.url, "feed:threat feed")
        assert event["data"]["detail"] == "a token that is none"
        finding = [each for each in told if each.get("class_uid") == 2004][-1]
        assert (finding["type_uid"], finding["message"]) == (200401, event["data"]["says"])
        assert finding["metadata"]["uid"] == event["id"]
        (entry,) = [each for each in client.feeds.all() if each.name == "night desk"]
        assert (entry.kind, entry.waiting, entry.error, entry.address) == ("hook", 0, "", desk.url)
        # Paused it waits; what is another thing is told, and what is gone is told anew when it comes back.
        assert client.feeds.pause("night desk", paused=True)
        _wrong_event(live, "another")
        _wrong_event(live, "")
        _wrong_event(live, "another")
        until(lambda: len(desk.taken) == 7)
        assert client.feeds.pause("night desk", paused=False)
        until(lambda: len(desk.taken) == 9)
        for name in ("night desk", "findings", "others"):
            client.feeds.remove(name)
        assert [each.kind for each in client.feeds.all()] == ["events in"]


def test_a_name_is_one_things_alone_also_when_many_ask_at_once(live: Live) -> None:
    live.runtime.delivery.stop()
    live.runtime.fetcher.rounds.stop()
    url = "https://desk.kelpline.example/"
    key = {"kty": "OKP", "crv": "Ed25519", "x": base64.urlsafe_b64encode(bytes(32)).decode().rstrip("=")}
    at_once(*[partial(add_hook, live.data, HookRequest("bad", url))] * 6)
    with live.client() as client:
        assert [each.kind for each in client.feeds.all()] == ["hook"]
        for ask in (
            partial(client.feeds.fetch, SourceRequest("bad", url)),
            partial(client.feeds.add, replace(_feed({"keys": [key]}), name="bad")),
        ):
            with pytest.raises(Refused, match="the hook bad has that name") as taken:
                ask()
            assert taken.value.problem.code == "name-taken"
        client.feeds.remove("bad")
        client.feeds.fetch(SourceRequest("bad", url))
        with pytest.raises(Refused, match="the source bad has that name"):
            client.feeds.hook(HookRequest("bad", url))


def test_a_hook_that_is_set_right_is_told_at_once_what_waited(live: Live, desk: Any) -> None:
    desk.down = 0
    with live.client() as client:
        client.feeds.hook(HookRequest("night desk", "http://127.0.0.1:9/"))
        until(lambda: client.feeds.all()[0].error)
        (stream,) = live.data.event_streams.all()
        # As after many tries, where the next one is long in coming.
        live.runtime.delivery.try_of(stream.id).next = time.monotonic() + 10_000
        (entry,) = client.feeds.hook(HookRequest("night desk", desk.url))
        assert (entry.error, entry.waiting) == ("", 1)
        until(lambda: len(desk.taken) == 1)


def _feed(keys: dict[str, Any]) -> Any:
    return FeedRequest("threat feed", "https://feed.kelpline.example", keys, "caddrel")


@pytest.mark.parametrize(
    ("name", "url", "code"),
    [
        ("", "https://desk.kelpline.example/", "bad-hook"),
        ("x" * 61, "https://desk.kelpline.example/", "bad-hook"),
        ("a\nb", "https://desk.kelpline.example/", "bad-hook"),
        ("desk", "http://desk.kelpline.example/", "bad-address"),
        ("desk", "gopher://desk.kelpline.example/", "bad-address"),
    ],
)
def test_a_hook_that_will_not_do_is_refused(live: Live, name: str, url: str, code: str) -> None:
    with live.client() as client:
        with pytest.raises(Refused) as refused:
            client.feeds.hook(HookRequest(name, url))
        assert refused.value.problem.code == code


def test_there_are_so_many_hooks_and_no_more(live: Live) -> None:
    live.runtime.delivery.stop()
    url = "https://desk.kelpline.example/"
    for n in range(20):
        add_hook(live.data, HookRequest(f"desk {n}", url))
    with live.client() as client:
        with pytest.raises(Refused, match="there are 20 hooks already") as full:
            client.feeds.hook(HookRequest("one more", url))
        assert full.value.problem.code == "too-many-hooks"
        assert len(client.feeds.hook(HookRequest("desk 7", url))) == 20
