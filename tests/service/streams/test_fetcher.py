"""Address lists and devices that are fetched: what is the same, wrong, or beyond belief until somebody accepts it."""

from __future__ import annotations

import http.server
import json
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from tests.conftest import Live

from caddrel.client import Caddrel, Refused
from caddrel.store.sources import FetchedFrom
from caddrel.wire.feeds import FeedView, SourceRequest


class _Lists(http.server.BaseHTTPRequestHandler):
    """Somebody who publishes an address list."""

    def do_GET(self) -> None:
        told: Any = self.server
        told.asked.append(self.headers.get("If-None-Match"))
        same = self.headers.get("If-None-Match") == told.tag
        body = b"" if same else told.body
        self.send_response(304 if same else told.status)
        self.send_header("ETag", told.tag)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: Any) -> None:
        pass


@pytest.fixture
def lists(live: Live) -> Iterator[Any]:
    server: Any = http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Lists)
    server.status, server.body, server.tag, server.asked = 200, b"192.0.2.7\n", '"1"', []
    server.url = f"http://127.0.0.1:{server.server_port}/bad.txt"
    threading.Thread(target=server.serve_forever, daemon=True).start()
    live.data.settings.allow_private = True
    live.runtime.fetcher.rounds.stop()
    yield server
    server.shutdown()
    server.server_close()


def _fetch(live: Live, name: str) -> None:
    source = live.data.sources.get(name)
    assert source is not None
    live.runtime.fetcher.fetch(source)


def _entry(client: Caddrel, name: str) -> FeedView:
    (found,) = [each for each in client.feeds.all() if each.name == name]
    return found


def _networks(live: Live, id: str = "bad") -> list[str]:
    found = live.data.inventory.get("lists", id)
    return list(found.document["networks"]) if found is not None else []


def test_a_list_is_fetched_and_what_is_wrong_with_it_changes_nothing(live: Live, lists: Any) -> None:
    with live.client() as client:
        client.lists.import_([json.dumps({"id": "bad", "title": "Bad addresses", "networks": []}).encode()])
        client.feeds.fetch(SourceRequest("bad", lists.url))
        _fetch(live, "bad")
        assert _networks(live) == ["192.0.2.7"]
        entry = _entry(client, "bad")
        assert (entry.kind, entry.state, entry.error, entry.address) == ("address list", "on", "", lists.url)
        said = [each.note for each in live.data.audit.page() if each.who == "source bad"]
        assert said == [f"bad: 1 network came, 0 went, 1 in all, from {lists.url}"]
        # The same is not fetched again.
        version = live.data.inventory.version()
        _fetch(live, "bad")
        assert lists.asked == [None, '"1"']
        assert live.data.inventory.version() == version
        for tag, status, body, problem in (
            ('"2"', 500, b"", "answered 500"),
            ('"3"', 200, b"192.0.2.7\n192.0.2.300\n", "line 2: `192.0.2.300` is not a network"),
            ('"4"', 200, b"\xff\xfe", "it is no text in UTF-8"),
            ('"5"', 200, b"", "held back: it is empty now, and held 1 networks"),
            ('"6"', 200, b"0.0.0.0/0\n", "held back: it holds 100% of all IPv4 addresses"),
        ):
            lists.tag, lists.status, lists.body = tag, status, body
            _fetch(live, "bad")
            assert problem in _entry(client, "bad").error
            assert _networks(live) == ["192.0.2.7"]
            assert any(item.key == "feed:bad" and problem in item.detail for item in client.watch.look().items)
        # What is held back is taken in once somebody has said so; if it is another by then, it is held back anew.
        assert _entry(client, "bad").state == "held back"
        client.feeds.take("bad")
        lists.tag, lists.body = '"7"', b"0.0.0.0/1\n"
        _fetch(live, "bad")
        assert (_networks(live), _entry(client, "bad").state) == (["192.0.2.7"], "held back")
        # What was accepted then, and was not there any more, is not taken in later either.
        lists.tag, lists.body = '"8"', b"0.0.0.0/0\n"
        _fetch(live, "bad")
        assert (_networks(live), _entry(client, "bad").state) == (["192.0.2.7"], "held back")
        lists.tag, lists.body = '"9"', b"0.0.0.0/1\n"
        _fetch(live, "bad")
        client.feeds.take("bad")
        _fetch(live, "bad")
        assert (_networks(live), _entry(client, "bad").state) == (["0.0.0.0/1"], "on")
        found = live.data.inventory.get("lists", "bad")
        assert found is not None
        assert found.document["title"] == "Bad addresses"
        with pytest.raises(Refused, match="of which something is held back"):
            client.feeds.take("bad")
        assert client.feeds.pause("bad", paused=True)[-1].state == "paused"
        assert client.feeds.remove("bad") == []
        assert _networks(live) == ["0.0.0.0/1"]


def test_what_others_put_in_a_folder_is_taken_in_once_it_is_whole(live: Live, lists: Any, tmp_path: Path) -> None:
    with live.client() as client:
        with pytest.raises(Refused, match="there is no folder of incoming files"):
            client.feeds.fetch(SourceRequest("tablets", "tablets.csv", "devices"))
        live.data.settings.incoming = tmp_path
        client.feeds.fetch(SourceRequest("tablets", "tablets.csv", "devices"))
        _fetch(live, "tablets")
        assert _entry(client, "tablets").error == "the file cannot be read: No such file or directory"
        file = tmp_path / "tablets.csv"

        def put(text: str, seconds: int) -> None:
            file.write_text(text)
            was = file.stat().st_mtime - seconds
            os.utime(file, (was, was))
            _fetch(live, "tablets")

        put("id,owner,encrypted\ntab-7,company,yes\n", 0)
        assert live.data.inventory.get("devices", "tab-7") is None
        put("id,owner,encrypted\ntab-7,company,yes\n", 60)
        found = live.data.inventory.get("devices", "tab-7")
        assert found is not None
        assert found.document["encrypted"] is True
        assert _entry(client, "tablets").error == ""
        # One wrong line, and nothing of it is taken in.
        put("id,owner,encrypted\ntab-8,company,yes\ntab-9,company,perhaps\n", 120)
        assert live.data.inventory.get("devices", "tab-8") is None
        assert "perhaps" in _entry(client, "tablets").error
        (tmp_path / "link").symlink_to("/etc/passwd")
        os.mkfifo(tmp_path / "pipe")
        (tmp_path / "folder").mkdir()
        for name, problem in (
            ("link", "it is a link to another"),
            ("pipe", "it is no file"),
            ("folder", "Is a directory"),
        ):
            client.feeds.fetch(SourceRequest("odd", name))
            _fetch(live, "odd")
            assert problem in _entry(client, "odd").error


@pytest.mark.parametrize(
    ("asked", "code"),
    [
        (SourceRequest("Bad", "https://lists.kelpline.example/"), "bad-source"),
        (SourceRequest("bad", "https://lists.kelpline.example/", every_seconds=1), "bad-source"),
        (SourceRequest("bad", "http://lists.kelpline.example/"), "bad-address"),
        (SourceRequest("bad", "../../etc/passwd"), "bad-address"),
        (SourceRequest("bad", "file:///etc/passwd"), "bad-address"),
        (SourceRequest("bad", ".hidden"), "bad-address"),
    ],
)
def test_a_source_that_will_not_do_is_refused(live: Live, asked: SourceRequest, code: str) -> None:
    with live.client() as client:
        with pytest.raises(Refused) as refused:
            client.feeds.fetch(asked)
        assert refused.value.problem.code == code


def test_there_are_so_many_sources_and_no_more(live: Live) -> None:
    live.runtime.fetcher.rounds.stop()
    where = "https://lists.kelpline.example/"
    for n in range(100):
        live.data.sources.put(FetchedFrom(f"list-{n}", "lists", where, 60, live.clock.now, "tests"))
    with live.client() as client:
        with pytest.raises(Refused, match="there are 100 sources already") as full:
            client.feeds.fetch(SourceRequest("one-more", where))
        assert full.value.problem.code == "too-many-sources"
        assert len(client.feeds.fetch(SourceRequest("list-7", where))) == 100
