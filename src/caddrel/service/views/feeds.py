"""Endpoints of feeds: what keeps the facts current, and who is told of them."""

from __future__ import annotations

from caddrel.core.diagnostics import shorten
from caddrel.service.problems import not_found
from caddrel.service.streams.feeds import add_feed, add_hook, add_source, all_feeds
from caddrel.service.streams.hooks import is_hook, name_of
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.event_streams import EventStream
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
    call.runtime.poller.rounds.soon(call.body.name)
    return _all(call)


@endpoints.add("POST", "/api/v1/hooks", role="operator", body=wire.HookRequest, returns=wire.FeedList)
def hook(call: Call) -> wire.FeedList:
    """Tell somebody by HTTPS POST what is new on the watch page; one of that name is changed."""
    made = add_hook(call.data, call.body)
    call.runtime.delivery.soon(made.id)
    call.noted = f"{name_of(made)}, {call.body.url}: {', '.join(made.document['tells'])}"
    return _all(call)


@endpoints.add("POST", "/api/v1/sources", role="operator", body=wire.SourceRequest, returns=wire.FeedList)
def source(call: Call) -> wire.FeedList:
    """Fetch an address list or devices from time to time; one of that name begins anew."""
    call.noted = add_source(call.data, call.body, call.who().name)
    call.runtime.fetcher.rounds.soon(call.body.name)
    return _all(call)


@endpoints.add("POST", "/api/v1/sources/<id>/held", role="operator", returns=wire.FeedList)
def take(call: Call) -> wire.FeedList:
    """Take in what was fetched and is held back, if that is still what is there."""
    name = call.path["id"]
    found = call.data.sources.get(name)
    if found is None or not found.held:
        raise not_found(f"source `{shorten(name)}` of which something is held back", "see caddrel feeds list")
    call.data.sources.accept(name, found.held)
    call.noted = f"{name}: {found.error}"
    call.runtime.fetcher.rounds.soon(name)
    return _all(call)


@endpoints.add("PATCH", "/api/v1/feeds/<id>", role="operator", body=wire.FeedPause, returns=wire.FeedList)
def pause(call: Call) -> wire.FeedList:
    """Take nothing from a feed or source, or send nothing over a stream or to a hook, for a while; or again."""
    name, paused = call.path["id"], call.body.paused
    call.noted = "paused" if paused else "goes on"
    if not (call.data.feeds.pause(name, paused) or call.data.sources.pause(name, paused)):
        stream = _stream(call, name)
        call.data.event_streams.turn(stream.id, "paused" if paused else "enabled", "")
    return _all(call)


@endpoints.add("DELETE", "/api/v1/feeds/<id>", role="operator", returns=wire.FeedList)
def remove(call: Call) -> wire.FeedList:
    """Take nothing from a feed or source any more, or take a stream or a hook out; what was taken stays."""
    name = call.path["id"]
    if not (call.data.feeds.remove(name) or call.data.sources.remove(name)):
        call.runtime.transmitter.take_out(_stream(call, name))
    return _all(call)


def _stream(call: Call, name: str) -> EventStream:
    """Return a stream by how it is listed: a hook by its name, others by their receiver and id."""
    for each in call.data.event_streams.all():
        if (is_hook(each) and name_of(each) == name) or each.id == name.rpartition(" ")[2]:
            return each
    raise not_found(f"feed `{shorten(name)}`", "see caddrel feeds list")


@endpoints.add("POST", "/api/v1/event-keys", role="operator", returns=wire.FeedList)
def rotate(call: Call) -> wire.FeedList:
    """Sign events with a new key from now on; the one before stays published for a month."""
    call.noted = f"the key is {call.runtime.event_keys.rotate()}"
    return _all(call)
