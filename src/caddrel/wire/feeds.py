"""Feeds from others and streams to others, as they travel."""

from __future__ import annotations

from typing import Any, Literal, get_args

import msgspec

from caddrel.wire.numbers import Count

Says = Literal[
    "session-revoked", "risk-level-change", "device-compliance-change", "credential-compromise", "account-disabled",
    "account-enabled",
]  # fmt: skip
SAYS: tuple[Says, ...] = get_args(Says)


class FeedRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A feed that events are taken from.

    Attributes
    ----------
    issuer
        What it calls itself (``iss``).
    keys
        Its public keys, as a JWK set (RFC 7517).
    audience
        What it calls us (``aud``); the address of this service when it is left out.
    says
        What it may tell; all when nothing is named.
    lasts_hours
        So long is believed what it says of somebody's risk.
    targeted
        The group that whoever it says to be in danger is a member of as long as that is believed; none when empty.
    poll, token
        Where it is asked for its events (RFC 8936), and what with (RFC 6750); it pushes them when empty. A token that
        is left out stays as it was.
    every_seconds
        How often it is asked.
    """

    name: str
    issuer: str
    keys: dict[str, Any]
    audience: str = ""
    says: list[Says] = []
    lasts_hours: Count = 168
    targeted: str = ""
    poll: str = ""
    token: str = ""
    every_seconds: Count = 60


Tells = Literal["cause", "guarantee", "held", "rehearsal", "feed", "lint", "ending", "review", "shadow"]
TELLS: tuple[Tells, ...] = ("cause", "guarantee", "held", "rehearsal", "feed")


class HookRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Somebody who is told what is new on the watch page.

    Attributes
    ----------
    url
        Where it is posted to.
    format
        ``cloudevents`` (CloudEvents 1.0) or ``ocsf`` (Detection Finding).
    tells
        Of which kinds of things; when nothing is named of causes, guarantees, held changes, rehearsals and feeds.
    """

    name: str
    url: str
    format: Literal["cloudevents", "ocsf"] = "cloudevents"
    tells: list[Tells] = []


class SourceRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An address list, or devices, that are fetched.

    Attributes
    ----------
    name
        The id of the address list; of devices a name for the source.
    source
        An https address, or the name of a file in the folder of incoming files.
    """

    name: str
    source: str
    noun: Literal["lists", "devices"] = "lists"
    every_seconds: Count = 3600


class FeedView(msgspec.Struct, frozen=True):
    """Something that keeps facts current, or is told of them.

    Attributes
    ----------
    kind
        ``events in``, ``events out``, ``hook``, ``directory``, ``address list`` or ``devices``.
    keeps
        What it keeps current, or is told.
    last
        Its last word, or the last that it took; empty where there was none.
    waiting
        So many events wait for it.
    address
        Where it is asked, or told; empty where it comes by itself.
    """

    name: str
    kind: Literal["events in", "events out", "hook", "directory", "address list", "devices"]
    state: str
    keeps: list[str]
    last: str
    events: int
    waiting: int = 0
    error: str = ""
    issuer: str = ""
    audience: str = ""
    lasts_hours: int = 0
    targeted: str = ""
    address: str = ""


class FeedList(msgspec.Struct, frozen=True):
    """All feeds and streams."""

    items: list[FeedView]


class FeedPause(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Whether nothing more is taken from a feed."""

    paused: bool
