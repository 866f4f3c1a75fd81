"""References: what a blocked person can quote, ten letters and digits that are not mistaken for one another.

A reference follows from the id of its sign-in; the log keeps it as a number of 50 bits.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from caddrel.core.facts.facts import TO_COME

_ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
_PAIRS = [first + second for second in _ALPHABET for first in _ALPHABET]
_READ = str.maketrans("OIL", "011", "- ")


@lru_cache(maxsize=1024)
def number_for(id: str) -> int:
    """Return the reference of a sign-in as a number."""
    return int.from_bytes(hashlib.sha256(f"reference:{id}".encode()).digest()[:8], "big") & ((1 << 50) - 1)


@lru_cache(maxsize=1024)
def spelled(number: int) -> str:
    """Return a reference as people read it: ``7K3PX-0ZQ4M``."""
    pairs = [_PAIRS[(number >> (10 * i)) & 1023] for i in range(5)]
    return f"{pairs[0]}{pairs[1]}{pairs[2][0]}-{pairs[2][1]}{pairs[3]}{pairs[4]}"


def read_reference(text: str) -> int | None:
    """Return the number of a reference as a person typed it, None when it cannot be one."""
    letters = text.strip().upper().translate(_READ)
    if len(letters) != 10 or any(letter not in _ALPHABET for letter in letters):
        return None
    return sum(_ALPHABET.index(letter) << (5 * i) for i, letter in enumerate(letters))


def without_reference(decision: Mapping[str, Any], reference: str) -> dict[str, Any]:
    """Return a decision as JSON with the mark in place of its record's reference, so that records can share it."""
    return _told(decision, reference, TO_COME)


def with_reference(decision: Mapping[str, Any], reference: str) -> dict[str, Any]:
    """Return a decision as JSON with a record's reference in place of the mark."""
    return _told(decision, TO_COME, reference)


def _told(decision: Mapping[str, Any], there: str, wanted: str) -> dict[str, Any]:
    tell = [{**told, "text": told["text"].replace(there, wanted)} for told in decision["tell"]]
    return {**decision, "tell": tell}
