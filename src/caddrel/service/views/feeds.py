"""Endpoints of feeds: what keeps the facts current, and who is told of them."""

from __future__ import annotations

from caddrel.core.diagnostics import shorten
from caddrel.service.problems import not_found
from caddrel.service.streams.feeds import add_feed, all_feeds
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import feeds as wire

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/feeds", role="viewer", returns=wire.FeedList)
def listed(call: Call) -> wire.FeedList:
    """What keeps the facts current and who is told of them, each with its last word and what is wrong."""
    return _all(call)


def _all(call: Call) -> wire.FeedList:
    return wire.FeedList(all_feeds(call.data, call.runtime.delivery))


@endpoints.add("POST", "/api/v1/feeds", role="operator", body=wire.FeedRequest, returns=wire.FeedList)
def add(call: Call) -> wire.FeedList:
    """Take events from somebody, by their keys; one of that name is changed."""
    call.noted = add_feed(call.data, call.body, call.who().name)
    return _all(call)


@endpoints.add("PATCH", "/api/v1/feeds/<id>", role="operator", body=wire.FeedPause, returns=wire.FeedList)
def pause(call: Call) -> wire.FeedList:
    """Take nothing from a feed for a while, or take its events again."""
    if not call.data.feeds.pause(call.path["id"], call.body.paused):
        raise _nothing(call.path["id"])
    call.noted = "paused" if call.body.paused else "goes on"
    return _all(call)


@endpoints.add("DELETE", "/api/v1/feeds/<id>", role="operator", returns=wire.FeedList)
def remove(call: Call) -> wire.FeedList:
    """Take nothing from a feed any more, or take a stream to a receiver out."""
    name = call.path["id"]
    if not call.data.feeds.remove(name):
        # A stream is named by its receiver and its id.
        stream = call.data.event_streams.get(name.rpartition(" ")[2])
        if stream is None:
            raise _nothing(name)
        call.runtime.transmitter.take_out(stream)
    return _all(call)


@endpoints.add("POST", "/api/v1/event-keys", role="operator", returns=wire.FeedList)
def rotate(call: Call) -> wire.FeedList:
    """Sign events with a new key from now on; the one before stays published for a month."""
    call.noted = f"the key is {call.runtime.event_keys.rotate()}"
    return _all(call)


def _nothing(name: str) -> Exception:
    return not_found(f"feed `{shorten(name)}`", "see caddrel feeds list")
