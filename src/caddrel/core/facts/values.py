"""Reading and writing the values of facts, from JSON and from plain text.

A value that cannot be read is refused with what would have been right; it is never guessed.
Not here: which facts there are (`catalogue`).
"""

from __future__ import annotations

import ipaddress
import math
import re
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.types import (
    LEVELS,
    Address,
    FactType,
    Methods,
    PartlyKnown,
    PartlyRead,
    Signals,
    Value,
    Version,
)

LONGEST_TEXT = 2000
LARGEST_SET = 10_000
SECONDS = {"s": 1, "m": 60, "h": 3600, "d": 86400}

_DURATION = re.compile(r"([0-9]{1,12})([smhd])")
_VERSION = re.compile(r"[0-9]{1,18}(\.[0-9]{1,18}){0,15}")
_NUMBER = re.compile(r"-?[0-9]{1,18}(\.[0-9]{1,18})?")
_MOMENT = re.compile(
    r"[0-9]{4}-[0-9]{2}-[0-9]{2}[Tt][0-9]{2}:[0-9]{2}:[0-9]{2}(\.[0-9]{1,9})?"
    r"([Zz]|[+-][0-9]{2}:[0-9]{2})"
)

# How most logs write moments, which needs no taking into another zone.
_DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}").fullmatch
_PLAIN_MOMENT = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}Z").fullmatch


class ValueRefused(ValueError):
    """A value that is not of the type it should be.

    Attributes
    ----------
    expected
        What would be right, as plain text: ``yes or no``, ``a version such as 14.2``.
    words
        The values that would be accepted, where they can be listed.
    """

    def __init__(self, shown: str, expected: str, words: tuple[str, ...] = ()) -> None:
        self.shown = shown
        self.expected = expected
        self.words = words
        super().__init__(f"{shown} is not {expected}")


class NotUnderstood(ValueRefused):
    """A value of the right shape that is on no list.

    Attributes
    ----------
    said
        The words that are on no list, as they were said.
    rest
        What else was said, read: of methods those that are some. None where the fact is unknown as a whole.
    """

    def __init__(self, shown: str, expected: str, words: tuple[str, ...], said: Any, rest: Value | None = None) -> None:
        super().__init__(shown, expected, words)
        self.said = said
        self.rest = rest


def listed(spec: FactSpec, text: str) -> str | None:
    """Return a word in its list's own spelling, None when it is on no list; only ASCII case is folded."""
    return spec.folded.get(text.lower()) if text.isascii() else None


def read_duration(text: str) -> int:
    """Return the seconds of a duration text such as ``90s``, ``15m``, ``4h``, ``30d``."""
    match = _DURATION.fullmatch(text)
    if match is None:
        raise ValueRefused(_quote(text), "a duration such as 90s, 15m, 4h or 30d")
    return int(match[1]) * SECONDS[match[2]]


def show_duration(seconds: float) -> str:
    """Return a duration in the largest unit that divides it: ``5400`` is ``90m``."""
    if seconds != int(seconds):
        return f"{seconds:g}s"
    whole = int(seconds)
    for unit in "dhm":
        if whole and whole % SECONDS[unit] == 0:
            return f"{whole // SECONDS[unit]}{unit}"
    return f"{whole}s"


def read_version(text: str) -> Version:
    """Return a version; trailing zeros do not tell versions apart."""
    if _VERSION.fullmatch(text) is None:
        raise ValueRefused(_quote(text), "a version such as 14.2")
    key = [int(part) for part in text.split(".")]
    while key and key[-1] == 0:
        key.pop()
    return Version(tuple(key), text)


@lru_cache(maxsize=16_384)
def read_address(text: str) -> Address:
    """Return an IPv4 or IPv6 address; an IPv4-mapped one becomes its IPv4 address."""
    try:
        if "%" in text or len(text) > 60:
            raise ValueError
        address = ipaddress.ip_address(text)
    except ValueError:
        raise ValueRefused(_quote(text), "an IPv4 or IPv6 address") from None
    mapped = getattr(address, "ipv4_mapped", None)
    return mapped if isinstance(mapped, ipaddress.IPv4Address) else address


def read_moment(text: str) -> datetime:
    """Return a moment written as in RFC 3339, section 5.6, with its offset kept."""
    expected = "a moment such as 2026-11-02T07:10:00Z"
    if _PLAIN_MOMENT(text) is not None and "0002" <= text[:4] <= "9998":
        try:
            return datetime.fromisoformat(text)
        except ValueError:
            raise ValueRefused(_quote(text), expected) from None
    if _MOMENT.fullmatch(text) is None:
        raise ValueRefused(_quote(text), expected)
    try:
        moment = datetime.fromisoformat(text.upper())
        # Moments at the very ends of the calendar cannot be taken into another zone.
        if not 2 <= moment.astimezone(UTC).year <= 9998:
            raise ValueError
    except (ValueError, OverflowError):
        raise ValueRefused(_quote(text), expected) from None
    return moment


def read_moment_or_day(text: str) -> datetime:
    """Return a moment of an inventory, where a date alone, such as ``2026-12-01``, is its beginning in UTC."""
    return read_moment(f"{text}T00:00:00Z" if _DAY(text) is not None else text)


def read_path(text: str) -> str:
    """Return a path such as ``/fleet/deck``; a slash at the end means nothing."""
    path = text[:-1] if len(text) > 1 and text.endswith("/") else text
    if not path.startswith("/") or "//" in path or len(text) > LONGEST_TEXT:
        raise ValueRefused(_quote(text), "a path such as /fleet/deck")
    return path


def read_number(text: str) -> float | int:
    """Return a number written with digits, a sign and a point at most."""
    if _NUMBER.fullmatch(text) is None:
        raise ValueRefused(_quote(text), "a number")
    return float(text) if "." in text else int(text)


def read_flag(text: str) -> bool:
    """Return a flag written as yes, no, true or false."""
    if text not in {"yes", "no", "true", "false"}:
        raise ValueRefused(_quote(text), "yes or no", ("yes", "no"))
    return text in {"yes", "true"}


def are_ids(values: Iterable[Any]) -> bool:
    """Tell whether all values would be read as ids, or are empty: which takes less than to read each."""
    return all(type(value) is str and len(value) <= LONGEST_TEXT for value in values)


def _read_name(text: str) -> str:
    if not text or len(text) > LONGEST_TEXT:
        raise ValueRefused(_quote(text), "an id")
    return text


def _read_free_text(text: str) -> str:
    if len(text) > LONGEST_TEXT:
        raise ValueRefused(_quote(text), f"a text of at most {LONGEST_TEXT} characters")
    return text


_FROM_TEXT: dict[FactType, Callable[[str], Value]] = {
    FactType.FLAG: read_flag,
    FactType.NAME: _read_name,
    FactType.NAMES: _read_name,
    FactType.METHODS: _read_name,
    FactType.TEXT: _read_free_text,
    FactType.PATH: read_path,
    FactType.VERSION: read_version,
    FactType.ADDRESS: read_address,
    FactType.NUMBER: read_number,
    FactType.MOMENT: read_moment,
    FactType.DURATION: read_duration,
}


def read_written(spec: FactSpec, text: str) -> Value:
    """Return one value that a rulebook compares the fact `spec` with.

    For a set this is one of its members. Closed lists are enforced: an administrator's slip must not become a rule
    that silently never fires.

    Raises
    ------
    ValueRefused
        When the text is not of the fact's type, or not in its closed list.
    """
    if spec.words and text not in spec.words:
        raise ValueRefused(_quote(text), one_of_list(spec), spec.words)
    if spec.type in _LISTED:
        return text
    return _FROM_TEXT[spec.type](text)


def read_given(spec: FactSpec, text: str) -> Value:
    """Return a whole value given as text, as on a command line: sets are split at commas.

    Methods may carry ages: ``pwd,otp:15m``.
    """
    if spec.type is FactType.METHODS:
        given: list[tuple[str, float | None]] = []
        for item in _split(text):
            name, _, age = item.partition(":")
            given.append((name, read_duration(age) if age else None))
        return _methods_of(spec, given)
    if spec.type is FactType.NAMES:
        return _names_of(spec, _split(text))
    if spec.type is FactType.DURATION and text.isascii() and text.isdigit() and len(text) < 13:
        return int(text)
    if spec.type in _LISTED:
        return _word(spec, text)
    return _FROM_TEXT[spec.type](text)


def _split(text: str) -> list[str]:
    return [part.strip() for part in text.strip("[] ").split(",") if part.strip()]


_LISTED = (FactType.WORD, FactType.LEVEL)


def _word(spec: FactSpec, text: str) -> str:
    if len(text) > LONGEST_TEXT:
        raise ValueRefused(_quote(text), f"a text of at most {LONGEST_TEXT} characters")
    word = listed(spec, text)
    if word is None:
        raise NotUnderstood(_quote(text), one_of_list(spec), spec.words, text)
    return word


def one_of_list(spec: FactSpec) -> str:
    """Return what would be right of a closed list, as plain text."""
    if spec.type is FactType.METHODS:
        return "a method name of RFC 8176 such as otp"
    return f"one of {', '.join(spec.words)}" if len(spec.words) <= 12 else "a country code such as NO"


def _names_of(spec: FactSpec, items: list[str]) -> frozenset[str]:
    """Return ids; of a closed list in its spelling, all understood or none."""
    if not spec.words:
        return frozenset(map(_read_name, items))
    found = {item: listed(spec, item) for item in items if item}
    strange = sorted(item for item, word in found.items() if word is None)
    if strange:
        raise NotUnderstood(_quote(strange[0]), one_of_list(spec), spec.words, items)
    return frozenset(word for word in found.values() if word is not None)


def _methods_of(spec: FactSpec, given: Iterable[tuple[str, float | None]]) -> Methods:
    """Return methods in the list's spelling.

    Raises
    ------
    NotUnderstood
        When some are no methods; the rest are read all the same.
    ValueRefused
        When one is given twice with different ages.
    """
    methods: Methods = {}
    strange = []
    for name, age in given:
        method = listed(spec, name)
        if method is None:
            if name:
                strange.append(name[:LONGEST_TEXT])
        elif methods.setdefault(method, age) != age:
            raise ValueRefused(_quote(name), "given once: it has two ages")
    if strange:
        said = sorted(set(strange))
        raise NotUnderstood(_quote(strange[0]), one_of_list(spec), spec.words, said, PartlyRead(methods))
    return methods


def read_reported(spec: FactSpec, value: Any) -> Value:
    """Return the value of a fact reported as JSON.

    Flags are booleans, sets are arrays, durations are seconds or text, ``auth.methods`` is an array or an object
    from method to age, everything else is text or a number.

    Raises
    ------
    ValueRefused
        When the value cannot be read as the fact's type.
    """
    return _REPORTED[spec.type](spec, value)


def _reported_flag(_spec: FactSpec, value: Any) -> bool:
    if not isinstance(value, bool):
        raise ValueRefused(_quote(value), "true or false", ("true", "false"))
    return value


def _reported_number(_spec: FactSpec, value: Any) -> float | int:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueRefused(_quote(value), "a number")
    return _finite(value, "a number")


def _reported_text(spec: FactSpec, value: Any) -> Value:
    if not isinstance(value, str):
        raise ValueRefused(_quote(value), _EXPECTED[spec.type])
    if spec.type in _LISTED:
        return _word(spec, value)
    return _FROM_TEXT[spec.type](value)


_EXPECTED = {
    FactType.WORD: "a word, as text",
    FactType.LEVEL: f"one of {', '.join(LEVELS)}",
    FactType.NAME: "an id, as text",
    FactType.TEXT: "a text",
    FactType.PATH: "a path such as /fleet/deck",
    FactType.VERSION: 'a version, as text such as "14.2"',
    FactType.ADDRESS: "an IPv4 or IPv6 address, as text",
    FactType.MOMENT: "a moment such as 2026-11-02T07:10:00Z",
}


def _finite(value: float | int, expected: str) -> float | int:
    if isinstance(value, int):
        if abs(value) >= 10**18:
            raise ValueRefused(_quote(value), expected)
        return value
    if not math.isfinite(value):
        raise ValueRefused(_quote(value), expected)
    return int(value) if value.is_integer() and abs(value) < 10**15 else value


def reported_duration(value: Any) -> float | int:
    """Return seconds reported as a number, or as text such as ``15m``."""
    # What most ages are, without a second look; no number is less than one that is none.
    if type(value) is int and 0 <= value < 10**15:
        return value
    if type(value) is float and 0 <= value < 10**15:
        return int(value) if value.is_integer() else value
    expected = "a duration: seconds, or text such as 15m"
    if isinstance(value, str):
        return read_duration(value)
    if isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
        raise ValueRefused(_quote(value), expected)
    return _finite(value, expected)


def _reported_names(spec: FactSpec, value: Any) -> frozenset[str]:
    if not isinstance(value, list) or not all(isinstance(item, str) for item in value):
        raise ValueRefused(_quote(value), "an array of ids")
    if len(value) > LARGEST_SET:
        raise ValueRefused("an array", f"of at most {LARGEST_SET} ids")
    return _names_of(spec, value)


def _reported_methods(spec: FactSpec, value: Any) -> Methods:
    if isinstance(value, Mapping):
        aged = [(name, None if age is None else reported_duration(age)) for name, age in value.items()]
        if len(aged) > LARGEST_SET:
            raise ValueRefused("an object", f"of at most {LARGEST_SET} methods")
        return _methods_of(spec, aged)
    if not isinstance(value, list) or not all(isinstance(item, str) for item in value):
        raise ValueRefused(_quote(value), "an array of methods, or an object from method to age")
    if len(value) > LARGEST_SET:
        raise ValueRefused("an array", f"of at most {LARGEST_SET} methods")
    return _methods_of(spec, [(item, None) for item in value])


def read_told(spec: FactSpec, value: Any) -> tuple[Value | None, Any]:
    """Return what a live request or a log says of a fact, as far as it is understood, and what is not understood.

    What is on no list makes the fact unknown, and is kept: it is never taken for harmless (semantics, section 1).

    Returns
    -------
    tuple
        The value, None while it is unknown; and what was said and is on no list, None when all is understood.

    Raises
    ------
    ValueRefused
        When the value cannot be read as the fact's type at all.
    """
    try:
        return read_reported(spec, value), None
    except NotUnderstood as strange:
        # Whoever reports credentials in words of their own has not said that they were right.
        return ("wrong" if spec.name == "auth.credentials" else strange.rest), strange.said


def _quote(value: object) -> str:
    if isinstance(value, str):
        return f'"{shorten(value)}"'
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return shorten(str(value) if not isinstance(value, int) or abs(value) < 10**30 else "this number")
    if isinstance(value, Mapping):
        return "an object"
    return "an array" if isinstance(value, list) else "null" if value is None else "this"


_REPORTED: dict[FactType, Callable[[FactSpec, Any], Value]] = {
    **dict.fromkeys(_EXPECTED, _reported_text),
    FactType.FLAG: _reported_flag,
    FactType.NUMBER: _reported_number,
    FactType.DURATION: lambda _spec, value: reported_duration(value),
    FactType.NAMES: _reported_names,
    FactType.METHODS: _reported_methods,
}


def to_json(value: Value) -> Any:
    """Return a value as JSON, such that `read_reported` gives it back."""
    return _TO_JSON.get(type(value), str)(value)


def _itself(value: Any) -> Any:
    return value


@lru_cache(maxsize=8192)
def _in_order(value: frozenset[str]) -> tuple[str, ...]:
    # The same few sets come again and again: a person's groups, an app's labels.
    return tuple(sorted(value))


@lru_cache(maxsize=8192)
def _text_json(value: Any) -> str:
    return str(value)


def _methods_json(value: Methods) -> list[str] | dict[str, float | None]:
    if all(age is None for age in value.values()):
        return sorted(value)
    return {name: value[name] for name in sorted(value)}


def show_moment(moment: datetime) -> str:
    """Return a moment as RFC 3339 text; UTC is written ``Z``."""
    text = moment.isoformat()
    return text[:-6] + "Z" if text.endswith("+00:00") else text


def show_age(seconds: float) -> str:
    """Return a duration for people: its two largest units, such as ``7h 1m``."""
    left = int(seconds)
    parts = []
    for unit in "dhms":
        count, left = divmod(left, SECONDS[unit])
        if count:
            parts.append(f"{count}{unit}")
    return " ".join(parts[:2]) or "0s"


def show(value: Value, spec: FactSpec) -> str:
    """Return a value as short plain text for people."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, PartlyKnown) and value.open:
        known = ", ".join(sorted(value)) or "none for certain"
        return f"{known} (not known: {', '.join(sorted(value.open))})"
    if isinstance(value, frozenset):
        return ", ".join(sorted(value)) or "none at all"
    if isinstance(value, dict):
        items = (name if age is None else f"{name} ({show_age(age)} ago)" for name, age in sorted(value.items()))
        others = " (and others, not understood)" if isinstance(value, PartlyRead) else ""
        return (", ".join(items) or "none at all") + others
    if isinstance(value, datetime):
        return show_moment(value)
    if spec.type is FactType.DURATION and isinstance(value, int | float):
        return show_age(value)
    return str(value)


_TO_JSON: dict[type, Callable[[Any], Any]] = {
    **dict.fromkeys((bool, int, float, str), _itself),
    frozenset: lambda value: list(_in_order(value)),
    Signals: sorted,
    PartlyKnown: sorted,
    PartlyRead: _methods_json,
    datetime: show_moment,
    dict: _methods_json,
    Version: str,
    ipaddress.IPv4Address: _text_json,
    ipaddress.IPv6Address: _text_json,
}
