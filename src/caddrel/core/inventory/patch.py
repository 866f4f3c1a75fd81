"""Changing an object of the inventory by naming only what is to be other."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from caddrel.core.facts.values import read_moment_or_day, show_moment


def patched(present: Mapping[str, Any] | None, change: Mapping[str, Any]) -> dict[str, Any]:
    """Return an object as a change leaves it: a JSON merge patch (RFC 7396).

    Parameters
    ----------
    present
        None where there is none yet.
    change
        What is named takes the place of what is there, null takes it out; `attributes` are changed one by one.
    """
    made: dict[str, Any] = dict(present or {})
    for key, value in change.items():
        if value is None:
            made.pop(key, None)
        elif isinstance(value, Mapping):
            there = made.get(key)
            made[key] = patched(there if isinstance(there, Mapping) else None, value)
        else:
            made[key] = value
    return made


def with_member(document: Mapping[str, Any], group: str, until: str = "") -> dict[str, Any]:
    """Return a person's document with a membership of a group; one that there is ends when this says.

    Parameters
    ----------
    until
        When it ends by itself, as RFC 3339 or a date alone; empty where it lasts.
    """
    kept = _others(document, group)
    return {**document, "groups": [*kept, {"id": group, "until": until} if until else group]}


def without_member(document: Mapping[str, Any], group: str) -> dict[str, Any] | None:
    """Return a person's document without a membership of a group; None where there is none of their own."""
    kept = _others(document, group)
    return {**document, "groups": kept} if len(kept) != len(document.get("groups") or []) else None


def off_now(document: Mapping[str, Any], now: datetime) -> dict[str, Any]:
    """Return a person's document with them off: whoever was to leave later has left now, and who has left stays so."""
    return {**document, "off": document["off"] if is_off(document, now) else show_moment(now)}


def not_off(document: Mapping[str, Any], now: datetime) -> dict[str, Any]:
    """Return a person's document with them back, where they are off; when somebody is to leave later stays."""
    return {key: value for key, value in document.items() if key != "off" or not is_off(document, now)}


def is_off(document: Mapping[str, Any], now: datetime) -> bool:
    """Tell whether a person has left by a moment, by their document."""
    off = document.get("off")
    return off is not None and read_moment_or_day(str(off)) <= now


def _others(document: Mapping[str, Any], group: str) -> list[Any]:
    held = document.get("groups") or []
    return [each for each in held if (each.get("id") if isinstance(each, Mapping) else each) != group]
