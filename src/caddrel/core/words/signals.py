"""What a signal noticed, as a plain sentence: "1,031 km in 24m since s-020671"."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from caddrel.core.facts.values import show_age
from caddrel.core.words.pieces import Piece, Sentence, say

_NOUNS = {
    "device.id": "device",
    "network.country": "country",
    "network.city": "city",
    "network.asn": "autonomous system",
    "client.name": "client",
}


def signal_words(why: Mapping[str, Any]) -> Sentence:
    """Return what one signal was compared with and came to.

    Parameters
    ----------
    why
        As a record keeps it: `kind`, `truth`, and what the kind of signal noted.
    """
    if "missing" in why:
        of = say(" of ", _signin(why["of"])) if why.get("of") else say("")
        return say(f"cannot be told without {_missing(why['missing'])}", of)
    if why["kind"] == "failed-attempts":
        count = why["count"]
        times = f"{count} attempt{'s' if count != 1 else ''}"
        return say(
            f"{times} with wrong credentials in the {show_age(why['within'])} before; fires at {why['at_least']}"
        )
    if why.get("among") == 0:
        return say("there is no earlier sign-in to compare with")
    return {"first-seen": _first_seen, "travel-speed": _speed, "far-away": _far}[why["kind"]](why)


def _missing(what: str) -> str:
    return "the coordinates" if what == "coordinates" else what


def _signin(id: str) -> Piece:
    return Piece(id, "signin", id)


def _first_seen(why: Mapping[str, Any]) -> Sentence:
    noun = _NOUNS.get(why["fact"], why["fact"])
    if "seen_in" in why:
        return say(f"{noun} {why['value']} was there {_back(why['back'])}, in ", _signin(why["seen_in"]))
    if why["truth"] == "true":
        return say(f"first with {noun} {why['value']} in {_count(why['among'])}")
    return say(f"only {_count(why['among'])} before; compares from {why['after']} on")


def _back(back: int) -> str:
    return "the last time" if back == 1 else f"{back} sign-ins ago"


def _count(number: int) -> str:
    return f"{number} sign-in{'s' if number != 1 else ''}"


def _speed(why: Mapping[str, Any]) -> Sentence:
    km, seconds = why["km"], why["seconds"]
    speed = f"{km * 3600 / seconds:,.0f} km/h" if seconds else "no time at all"
    since = say(f"{km:,.0f} km in {show_age(seconds)} since ", _signin(why["from"]))
    return say(since, f": {speed}; fires above {why['above_kmh']:,} km/h")


def _far(why: Mapping[str, Any]) -> Sentence:
    nearest = say(f"{why['km']:,.0f} km from ", _signin(why["from"]))
    if why["truth"] == "true":
        among = _count(why["among"])
        return say(nearest, f", the nearest of {among}; fires beyond {why['limit']:,} km")
    return say(nearest, f"; fires beyond {why['limit']:,} km")
