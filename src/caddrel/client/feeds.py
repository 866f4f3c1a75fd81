"""Feeds, through the client library."""

from __future__ import annotations

from urllib.parse import quote

from caddrel.client.caller import Caller
from caddrel.wire import feeds


class Feeds:
    """What keeps the facts current, and who is told of them."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def all(self) -> list[feeds.FeedView]:
        """Return feeds in, streams out and directories, each with its last word."""
        return self._caller.get("/api/v1/feeds", feeds.FeedList).items

    def add(self, feed: feeds.FeedRequest) -> list[feeds.FeedView]:
        """Take events from somebody, by their keys; one of that name is changed."""
        return self._caller.post("/api/v1/feeds", feed, feeds.FeedList).items

    def hook(self, hook: feeds.HookRequest) -> list[feeds.FeedView]:
        """Tell somebody by HTTPS POST what is new on the watch page; one of that name is changed."""
        return self._caller.post("/api/v1/hooks", hook, feeds.FeedList).items

    def fetch(self, source: feeds.SourceRequest) -> list[feeds.FeedView]:
        """Have an address list or devices be fetched from time to time; one of that name begins anew."""
        return self._caller.post("/api/v1/sources", source, feeds.FeedList).items

    def take(self, name: str) -> list[feeds.FeedView]:
        """Take in what was fetched from a source and is held back."""
        return self._caller.post(f"/api/v1/sources/{quote(name, safe='')}/held", None, feeds.FeedList).items

    def pause(self, name: str, paused: bool) -> list[feeds.FeedView]:
        """Take nothing from a feed, or tell a receiver or hook nothing, for a while; or again."""
        return self._caller.patch(_feed(name), feeds.FeedPause(paused), feeds.FeedList, {}).items

    def remove(self, name: str) -> list[feeds.FeedView]:
        """Take nothing from a feed any more, or take a stream or hook out."""
        return self._caller.delete(_feed(name), feeds.FeedList).items

    def new_key(self) -> list[feeds.FeedView]:
        """Have events signed with a new key from now on."""
        return self._caller.post("/api/v1/event-keys", None, feeds.FeedList).items


def _feed(name: str) -> str:
    return f"/api/v1/feeds/{quote(name, safe='')}"
