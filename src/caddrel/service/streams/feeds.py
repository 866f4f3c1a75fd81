"""What keeps the facts current and who is told of them, each with its last word."""

from __future__ import annotations

import re
import secrets
import threading
from collections.abc import Iterator
from datetime import datetime
from typing import Any, Literal

from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.values import show_moment
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.delivery import Delivery
from caddrel.service.streams.events import KINDS
from caddrel.service.streams.fetcher import checked_source
from caddrel.service.streams.hooks import HOOK, PREFIX, is_hook, name_of
from caddrel.service.streams.outward import checked_url
from caddrel.store.event_streams import EventStream
from caddrel.store.feeds import Feed
from caddrel.store.outbox import ADDED, OutEvent
from caddrel.store.sources import FetchedFrom
from caddrel.wire import feeds as wire

LONGEST_NAME, MOST_KEYS, LONGEST_LENT = 100, 20, 24 * 366
# Seconds between two times that a feed is asked for its events.
SHORTEST, LONGEST = 5, 86_400
# And that address lists and devices are fetched.
SOONEST, MOST_SOURCES = 30, 100
MOST_HOOKS, LONGEST_HOOK = 20, 60
# Held while something is added: of two at once with the same name there is one.
_ADDING = threading.Lock()
_NAME = re.compile(r"[a-z0-9][a-z0-9._-]{0,99}")


def all_feeds(data: DataFolder, delivery: Delivery) -> list[wire.FeedView]:
    """Return feeds in, streams out, hooks, directories and what is fetched."""
    return [*_in(data), *_out(data, delivery), *_directories(data), *_fetched(data)]


def _in(data: DataFolder) -> Iterator[wire.FeedView]:
    for feed in data.feeds.all():
        state = "paused" if feed.paused else "on"
        yield wire.FeedView(
            feed.name, "events in", state, list(feed.document["says"]), _text(feed.last), feed.events, 0, feed.error,
            feed.issuer, feed.document["audience"], feed.document["lasts_hours"], feed.document.get("targeted", ""),
            address=feed.document.get("poll", ""),
        )  # fmt: skip


def _out(data: DataFolder, delivery: Delivery) -> Iterator[wire.FeedView]:
    names = {token.id: token.name for token in data.accounts.all_tokens()}
    for stream, waiting, error, last in delivery.standing():
        if is_hook(stream):
            url = stream.document["delivery"]["endpoint_url"]
            yield wire.FeedView(
                name_of(stream), "hook", stream.status, stream.document["tells"], _text(last), 0, waiting, error,
                address=url,
            )  # fmt: skip
            continue
        told = [KINDS[uri] for uri in stream.document["events_requested"] if uri in KINDS]
        name = f"{names.get(stream.receiver, stream.receiver)} {stream.id}"
        yield wire.FeedView(name, "events out", stream.status, told, _text(last), 0, waiting, error)


def _directories(data: DataFolder) -> Iterator[wire.FeedView]:
    for keeper, (many, last) in sorted(data.kept_by.counts().items()):
        yield wire.FeedView(keeper, "directory", "on", ["people", "groups"], _text(last), many)


def _fetched(data: DataFolder) -> Iterator[wire.FeedView]:
    for source in data.sources.all():
        kind: Literal["address list", "devices"] = "address list" if source.noun == "lists" else "devices"
        state = "paused" if source.paused else "held back" if source.held else "on"
        yield wire.FeedView(
            source.name, kind, state, [source.noun], _text(source.last), 0, 0, source.error, address=source.source
        )


def add_hook(data: DataFolder, asked: wire.HookRequest) -> EventStream:
    """Add a hook, or change the one of that name; one that is new is told at once that it was added.

    Raises
    ------
    ServiceError
        When its name or address will not do, or there are too many.
    """
    name = asked.name.strip()
    if not name or len(name) > LONGEST_HOOK or not name.isprintable():
        raise ServiceError(422, "bad-hook", f"a hook needs a name of at most {LONGEST_HOOK} characters")
    url = checked_url(asked.url, data.settings.allow_private)
    with _ADDING:
        _refuse_named(data, name, "hook")
        return _put_hook(data, asked, name, url)


def _put_hook(data: DataFolder, asked: wire.HookRequest, name: str, url: str) -> EventStream:
    there = [each for each in data.event_streams.all() if is_hook(each)]
    document = {
        "events_requested": [], "tells": [*asked.tells] or list(wire.TELLS), "format": asked.format,
        "delivery": {"method": HOOK, "endpoint_url": url},
    }  # fmt: skip
    before = next((each for each in there if name_of(each) == name), None)
    if before is None and len(there) >= MOST_HOOKS:
        raise ServiceError(409, "too-many-hooks", f"there are {MOST_HOOKS} hooks already", "remove one")
    id = before.id if before is not None else f"h-{secrets.token_hex(8)}"
    made = EventStream(id, PREFIX + name, document, data.clock())
    if before is None:
        # Of what was before it, it is told nothing.
        data.outbox.delivered(id, data.outbox.head())
    data.event_streams.put(made)
    if before is None:
        data.outbox.add([OutEvent(ADDED, data.clock(), stream=id)])
    return made


def add_source(data: DataFolder, asked: wire.SourceRequest, by: str) -> str:
    """Add a source, or have the one of that name begin anew; return what the audit trail says of it.

    Raises
    ------
    ServiceError
        When its name or address will not do.
    """
    if not _NAME.fullmatch(asked.name):
        raise ServiceError(422, "bad-source", "a source needs a name", "an id such as bad-addresses: of a list its own")
    if not SOONEST <= asked.every_seconds <= LONGEST:
        raise ServiceError(422, "bad-source", f"a source is fetched every {SOONEST} seconds to once a day")
    source = checked_source(data, asked.source)
    with _ADDING:
        _refuse_named(data, asked.name, "source")
        if data.sources.get(asked.name) is None and len(data.sources.all()) >= MOST_SOURCES:
            raise ServiceError(409, "too-many-sources", f"there are {MOST_SOURCES} sources already", "remove one")
        data.sources.put(FetchedFrom(asked.name, asked.noun, source, asked.every_seconds, data.clock(), by))
    return f"{asked.noun} {asked.name} from {source}"


def _text(moment: datetime | None) -> str:
    return show_moment(moment) if moment is not None else ""


def add_feed(data: DataFolder, asked: wire.FeedRequest, by: str) -> str:
    """Add a feed, or change one of that name; return what the audit trail says of it.

    Raises
    ------
    ServiceError
        When its name, keys or issuer will not do.
    """
    if not asked.name.strip() or len(asked.name) > LONGEST_NAME or not asked.name.isprintable():
        raise ServiceError(422, "bad-feed", f"a feed needs a name of at most {LONGEST_NAME} characters")
    if not asked.issuer or len(asked.issuer) > 500 or not 1 <= asked.lasts_hours <= LONGEST_LENT:
        raise ServiceError(422, "bad-feed", "a feed needs an issuer, and a risk lasts an hour to a year")
    other = data.feeds.of(asked.issuer)
    if other is not None and other.name != asked.name:
        raise ServiceError(409, "issuer-known", f"that issuer is the feed {other.name}", "change that one")
    keys = asked.keys.get("keys")
    try:
        known = KeySet.import_key_set(asked.keys)  # type: ignore[arg-type]
    except (JoseError, ValueError, TypeError, KeyError):
        known = None
    if known is None or not isinstance(keys, list) or not 1 <= len(keys) <= MOST_KEYS:
        raise ServiceError(422, "bad-feed", "the keys are no JWK set with keys", "as at the feed's jwks_uri")
    if any(not isinstance(key, dict) or key.get("kty") == "oct" or "d" in key for key in keys):
        hint = "public keys alone: with a shared or private key others could tell events in its name"
        raise ServiceError(422, "bad-feed", "one of the keys is secret", hint)
    says = [*asked.says] or list(wire.SAYS)
    document = {
        "keys": asked.keys, "audience": asked.audience or data.settings.origin, "says": says,
        "lasts_hours": asked.lasts_hours, **_targeted(data, asked), **_polled(data, asked),
    }  # fmt: skip
    with _ADDING:
        _refuse_named(data, asked.name, "feed")
        data.feeds.add(Feed(asked.name, asked.issuer, document, data.clock(), by))
    return f"{asked.name}, {asked.issuer}: {', '.join(says)}"


def _refuse_named(data: DataFolder, name: str, kind: str) -> None:
    """Refuse a name that something of another kind has: by its name each is paused and taken out."""
    there = {
        "feed": data.feeds.get(name) is not None,
        "source": data.sources.get(name) is not None,
        "hook": any(is_hook(each) and name_of(each) == name for each in data.event_streams.all()),
    }
    other = next((each for each, is_there in there.items() if is_there and each != kind), None)
    if other is not None:
        raise ServiceError(409, "name-taken", f"the {other} {shorten(name)} has that name", "choose another one")


def _targeted(data: DataFolder, asked: wire.FeedRequest) -> dict[str, Any]:
    if not asked.targeted:
        return {}
    groups = data.inventories.current().groups
    if asked.targeted not in groups:
        hint = did_you_mean(asked.targeted, groups, "see caddrel groups list")
        raise ServiceError(422, "bad-feed", f"there is no group `{shorten(asked.targeted)}`", hint)
    return {"targeted": asked.targeted}


def _polled(data: DataFolder, asked: wire.FeedRequest) -> dict[str, Any]:
    if not asked.poll:
        if asked.token:
            raise ServiceError(422, "bad-feed", "a token without an address to ask", "name `poll` too")
        return {}
    url = checked_url(asked.poll, data.settings.allow_private)
    if not SHORTEST <= asked.every_seconds <= LONGEST:
        raise ServiceError(422, "bad-feed", f"a feed is asked every {SHORTEST} seconds to once a day")
    if len(asked.token) > 2_000 or not asked.token.isascii() or not asked.token.isprintable():
        raise ServiceError(422, "bad-feed", "that is no token")
    before = data.feeds.get(asked.name)
    # Kept for the address that it was given for: it is not sent to another.
    same = before is not None and before.document.get("poll") == url
    kept = before.document.get("locked", "") if before is not None and same else ""
    return {
        "poll": url, "every": asked.every_seconds,
        "locked": data.keys.lock(asked.token) if asked.token else kept,
    }  # fmt: skip
