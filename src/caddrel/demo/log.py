"""Thirty days of sign-ins at Kelpline: attempts as a door would report them, without any outcome.

What comes of them is decided by Caddrel when they are taken in; nothing here says what should happen.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from caddrel.demo.situations import situations
from caddrel.demo.world import SILENT, TERMINALS, Person, World

DAYS = 30
_SHARE = {
    "bridge": 7.5,
    "deck": 5.6,
    "engine": 6.2,
    "terminal": 9.0,
    "office": 7.0,
    "keyholder": 0.1,
    "yard": 3.6,
    "agent": 2.8,
    "service": 10.0,
}


@dataclass(slots=True)
class Sample:
    """One attempt before it gets its id: the moment, and what the door reports."""

    at: datetime
    facts: dict[str, Any]
    recorded: dict[str, str]


def sign_ins(world: World, end: datetime, days: int = DAYS, scale: int = 1, seed: int = 11) -> Iterator[dict[str, Any]]:
    """Yield sign-ins in order of time, as lines of an import file.

    Parameters
    ----------
    end
        The end of the last day.
    scale
        How many times as many sign-ins as the standard set of about 20,000.
    """
    planted = [Sample(at, facts, {"outcome": "accepted"}) for at, facts in situations(world, end)]
    number = 0
    for day in range(days):
        start = end - timedelta(days=days - day)
        # A generator of its own for each day, so that days do not depend on how many there are.
        rng = random.Random(seed * 10_000 + day)
        samples = [s for s in planted if start <= s.at < start + timedelta(days=1)]
        for person in world.people:
            samples.extend(_day_of(person, world, start, rng, scale))
        samples.sort(key=lambda sample: (sample.at, str(sample.facts["person.id"])))
        for sample in samples:
            number += 1
            facts = {**sample.facts, "time.at": sample.at.isoformat().replace("+00:00", "Z")}
            yield {"id": f"s-{number:06}", "facts": facts, "recorded": sample.recorded}


def _day_of(person: Person, world: World, start: datetime, rng: random.Random, scale: int) -> Iterator[Sample]:
    weekend = start.weekday() >= 5
    share = _SHARE[person.kin]
    if weekend and person.kin in {"office", "yard", "agent", "terminal"}:
        share *= 0.25
    for _ in range(scale):
        count = int(share) + (rng.random() < share % 1)
        signed_in: datetime | None = None
        moments = sorted(_moment(person, start, rng) for _ in range(count))
        for at in moments:
            yield from _attempt(person, world, at, rng, signed_in)
            signed_in = signed_in if signed_in is not None and at - signed_in < timedelta(hours=11) else at


def _moment(person: Person, start: datetime, rng: random.Random) -> datetime:
    if person.kin in {"bridge", "deck", "engine", "service"}:
        hour = rng.uniform(0, 24)
    elif person.kin == "terminal":
        hour = rng.triangular(5.7, 17.8, 9)
    else:
        hour = rng.triangular(7, 19, 10)
    return start + timedelta(seconds=int(hour * 3600))


def _attempt(
    person: Person, world: World, at: datetime, rng: random.Random, signed_in: datetime | None
) -> Iterator[Sample]:
    app = rng.choice(person.apps)
    facts: dict[str, Any] = {
        "person.id": person.id,
        "app.id": app,
        **_where(person, rng),
        **_client(person, app, rng),
    }
    if person.device is not None:
        facts["device.id"] = person.device
        # What the door was told when the device last reported; one terminal's desktops stopped long ago.
        silent = person.terminal == SILENT
        age = (at - world.silent_since) if silent else timedelta(seconds=rng.randrange(600, 200_000))
        facts["device.state_age"] = int(age.total_seconds())
    facts["auth.credentials"] = "right"
    facts["auth.methods"] = _methods(person, at, rng, signed_in, app)
    facts["auth.notices"] = ["guest-terms"] if person.kin == "agent" and person.id != "nadia.aalto" else []
    if rng.random() < 0.012 and person.kin != "service":
        wrong = {**facts, "auth.credentials": "wrong", "auth.methods": []}
        yield Sample(at - timedelta(seconds=20), wrong, {"outcome": "refused", "reason": "wrong password"})
    if rng.random() < 0.05 and len(facts["auth.methods"]) > 1:
        # First only the password; the second factor follows when the door asks for it.
        yield Sample(at - timedelta(seconds=35), {**facts, "auth.methods": {"pwd": 4}}, {"outcome": "accepted"})
    yield Sample(at, facts, {"outcome": "accepted"})


def _where(person: Person, rng: random.Random) -> dict[str, Any]:
    """Return the address; what is known about it, the service looks up."""
    return {"network.ip": _address(person, rng)}


def _address(person: Person, rng: random.Random) -> str:
    if person.kin == "terminal":
        prefix, first = TERMINALS[person.terminal]
        return f"{prefix}{first + rng.randrange(12)}"
    if person.kin in {"office", "keyholder", "service"}:
        if person.kin == "service" or rng.random() < 0.8:
            return f"192.0.2.{rng.randrange(2, 62)}"
        return f"203.0.113.{rng.randrange(1, 60)}"
    if person.kin == "yard":
        return f"198.51.100.{rng.randrange(129, 157)}"
    if person.kin == "agent":
        return f"203.0.113.{rng.randrange(66, 120)}"
    if rng.random() < 0.75:
        return f"198.51.100.{rng.randrange(65, 126)}"
    return f"203.0.113.{_home_port(person) + rng.randrange(20)}"


def _home_port(person: Person) -> int:
    # Crew live in one port: whoever signs in from another within minutes is somebody else.
    return (100, 130, 166)[sum(person.id.encode()) % 3]


def _client(person: Person, app: str, rng: random.Random) -> dict[str, Any]:
    if person.kin == "service":
        return {"client.kind": "native", "client.name": "kelp-agent", "client.version": "2.4"}
    if person.kin in {"bridge", "deck", "engine"} and rng.random() < 0.6:
        return {"client.kind": "native", "client.name": f"{app} for tablets", "client.version": "5.2"}
    return {"client.kind": "browser", "client.name": "Seabird", "client.version": rng.choice(("131.0", "132.0"))}


_SECOND = {"authenticator-app": "otp", "security-key": "hwk", "passkey": "swk", "text-message": "sms"}


def _methods(person: Person, at: datetime, rng: random.Random, signed_in: datetime | None, app: str) -> dict[str, int]:
    factors = person.document["factors"]
    if person.kin == "service":
        return {"sc": 5}
    fresh = signed_in is None or app == "gangway"
    age = rng.randrange(3, 40) if fresh or signed_in is None else int((at - signed_in).total_seconds()) + 30
    methods = {"pwd": age} if "password" in factors else {}
    second = next((_SECOND[f] for f in factors if f in _SECOND), None)
    if second:
        methods[second] = age
    if "passkey" in factors:
        methods |= {"swk": age, "fpt": age, "pop": age, "user": age}
    if second == "hwk":
        methods["pop"] = age
    return methods
