"""Events from others (RFC 8935): checked against the keys of whoever tells them, each taken once, turned into facts.

A feed says only what it was allowed to say. What is not understood is told, and changes nothing.
Not here: what becomes of them (`told_facts`), asking for them (`poller`), and telling others (`transmitter`).
"""

from __future__ import annotations

import json
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from joserfc import jws
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from caddrel.core.diagnostics import shorten
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.events import KINDS, VERIFICATION
from caddrel.service.streams.told_facts import ToldFacts
from caddrel.service.streams.transmitter import person_of
from caddrel.store.feeds import Feed
from caddrel.wire.feeds import SAYS

# Asymmetric signatures alone: with a shared secret, whoever can check could also tell.
ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "ES256", "ES384", "EdDSA", "Ed25519"]
# Clocks differ; and what is older is not news.
AHEAD, OLDEST = timedelta(minutes=5), timedelta(days=7)
_RISKS = {"LOW": "low", "MEDIUM": "medium", "HIGH": "high"}
_LEVEL_OF_COMPROMISE = "medium"
_VERIFICATION = "https://schemas.openid.net/secevent/ssf/event-type/" + VERIFICATION


class NotTaken(Exception):
    """An event that is not taken; `code` is as RFC 8935, section 2.4, has it."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


@dataclass(slots=True)
class Receiver:
    """Takes events from feeds; one for the whole service."""

    data: DataFolder
    told: ToldFacts
    # Held from looking whether an event was taken until it is: the same one may come twice at the same instant.
    _taking: threading.Lock = field(default_factory=threading.Lock)

    def take(self, token: bytes) -> str:
        """Take an event; return what was done, in words.

        Raises
        ------
        NotTaken
            When it is not what it says, or not to be believed.
        """
        feed, claims = self._checked(token)
        now, jti = self.data.clock(), str(claims["jti"])
        with self._taking:
            if self.data.feeds.has(feed.issuer, jti):
                return "taken before"
            try:
                done = self._done(feed, claims, now)
            except NotTaken as refused:
                self.data.feeds.failed(feed.issuer, str(refused))
                raise
            # After it was done: what was cut off in between is done again when it is sent again, which changes nothing.
            self.data.feeds.took(feed.issuer, jti, now)
        self.data.feeds.forget(now - 2 * OLDEST)
        if done:
            self.data.audit.add(now, f"feed {feed.name}", "told an event", "/ssf/v1/events", "done", done[:1000])
        return done or "nothing to do"

    def _checked(self, token: bytes) -> tuple[Feed, dict[str, Any]]:
        """Return whose event it is, and what it says, once its signature is checked."""
        try:
            parts = token.decode("ascii").strip()
            unsafe = json.loads(jws.extract_compact(parts.encode()).payload)
            issuer = unsafe["iss"]
        except (JoseError, ValueError, TypeError, KeyError, UnicodeDecodeError):
            raise NotTaken("invalid_request", "this is no security event token") from None
        feed = self.data.feeds.of(issuer) if isinstance(issuer, str) else None
        if feed is None:
            raise NotTaken("invalid_issuer", f"nothing is taken from `{shorten(str(issuer))}`")
        try:
            keys = KeySet.import_key_set(feed.document["keys"])
            checked = jws.deserialize_compact(parts, keys, algorithms=ALGORITHMS)
            header, claims = checked.headers(), json.loads(checked.payload)
        except (JoseError, ValueError, TypeError, KeyError):
            self.data.feeds.failed(feed.issuer, "a token whose signature is not right")
            raise NotTaken("authentication_failed", "the signature is not right") from None
        problem = self._problem(feed, header, claims)
        if problem is not None:
            self.data.feeds.failed(feed.issuer, problem[1])
            raise NotTaken(*problem)
        if feed.paused:
            raise NotTaken("access_denied", "this feed is paused")
        return feed, claims

    def _problem(self, feed: Feed, header: Mapping[str, Any], claims: Any) -> tuple[str, str] | None:
        """Return what is wrong with what a token says of itself."""
        now = self.data.clock()
        if not isinstance(claims, dict) or not isinstance(claims.get("events"), dict) or not claims["events"]:
            return "invalid_request", "it tells no event"
        if str(header.get("typ", "")).lower().removeprefix("application/") != "secevent+jwt":
            # Else a token that was made for something else could be played as an event (RFC 8417, section 2.3).
            return "invalid_request", "its type is not secevent+jwt"
        if not isinstance(claims.get("jti"), str) or not 0 < len(claims["jti"]) <= 200:
            return "invalid_request", "it has no id (`jti`)"
        wanted, said = feed.document["audience"], claims.get("aud")
        if wanted not in (said if isinstance(said, list) else [said]):
            return "invalid_audience", f"it is for somebody else, not for {wanted}"
        at = claims.get("iat")
        if isinstance(at, bool) or not isinstance(at, int | float):
            return "invalid_request", "it does not say when it was made (`iat`)"
        if not now - OLDEST <= _moment(at, now) <= now + AHEAD:
            return "invalid_request", "it is too old, or from the future"
        if "exp" in claims and not (
            isinstance(claims["exp"], int | float) and now <= _moment(claims["exp"], now) + AHEAD
        ):
            return "invalid_request", "it has expired"
        return None

    def _done(self, feed: Feed, claims: Mapping[str, Any], now: datetime) -> str:
        done = []
        for uri, said in claims["events"].items():
            if uri == _VERIFICATION:
                continue
            kind = KINDS.get(uri)
            if kind not in SAYS or not isinstance(said, dict):
                raise NotTaken("invalid_request", f"events of the type `{shorten(uri)}` are not understood")
            if kind not in feed.document["says"]:
                raise NotTaken("access_denied", f"{feed.name} may not tell {kind}")
            # Where an event names its subject itself, it is an older form of the standard.
            subject = claims.get("sub_id", said.get("subject"))
            done.append(self._one(feed, kind, said, subject, now))
        return "; ".join(part for part in done if part)

    def _one(self, feed: Feed, kind: str, said: Mapping[str, Any], subject: Any, now: datetime) -> str:
        try:
            return f"{self._fact(feed, kind, said, subject, now)}{_because(said)}"
        except ServiceError as refused:
            raise NotTaken("invalid_request", str(refused)) from None

    def _fact(self, feed: Feed, kind: str, said: Mapping[str, Any], subject: Any, now: datetime) -> str:
        if kind == "device-compliance-change":
            device, status = self._device(subject), said.get("current_status")
            if status not in {"compliant", "not-compliant"}:
                raise NotTaken("invalid_request", "`current_status` is one of: compliant, not-compliant")
            self.told.managed(device, status == "compliant")
            return f"{device} is {status}"
        person = self._person(subject)
        match kind:
            case "session-revoked":
                return f"{self.data.door_sessions.end_of(person, now, f'feed {feed.name}')} sessions of {person} ended"
            case "risk-level-change":
                level = _RISKS.get(str(said.get("current_level")).upper())
                if level is None:
                    raise NotTaken("invalid_request", "`current_level` is LOW, MEDIUM or HIGH")
                return self.told.risk(feed, person, level, now)
            case "credential-compromise":
                done = self.told.risk(feed, person, _LEVEL_OF_COMPROMISE, now, at_least=True)
                return f"{done}: a credential is compromised"
            case "account-disabled":
                return self.told.put_off(feed, person, now)
            case _:
                return self.told.bring_back(feed, person, now)

    def _person(self, subject: Any) -> str:
        try:
            person = person_of(subject)
        except ServiceError as refused:
            raise NotTaken("invalid_request", str(refused)) from None
        if person not in self.data.inventories.current().people:
            raise NotTaken("invalid_request", f"there is no person `{shorten(person)}` here")
        return person

    def _device(self, subject: Any) -> str:
        found = subject.get("device", subject) if isinstance(subject, dict) else None
        device = found.get("id") or found.get("sub") if isinstance(found, dict) else None
        if not isinstance(device, str) or device not in self.data.inventories.current().devices:
            raise NotTaken("invalid_request", f"there is no device `{shorten(str(device))}` here")
        return device


def _because(said: Mapping[str, Any]) -> str:
    reason = said.get("reason_admin")
    text = reason.get("en", next(iter(reason.values()), "")) if isinstance(reason, dict) else reason
    return f": {text[:200]}" if isinstance(text, str) and text.isprintable() and text else ""


def _moment(seconds: float, now: datetime) -> datetime:
    try:
        return datetime.fromtimestamp(seconds, now.tzinfo)
    except (OverflowError, ValueError, OSError):
        return datetime.max.replace(tzinfo=now.tzinfo)
