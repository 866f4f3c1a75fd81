"""With which factors a proof can be given: those somebody has, and those she would have to enrol."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from itertools import combinations

from caddrel.core.decide.requirements import YIELDS, Requirements
from caddrel.core.decide.truth import UNKNOWN
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import Item
from caddrel.core.rulebook.model import Rulebook

FACTOR_WORDS = {
    "password": "the password",
    "authenticator-app": "the authenticator app",
    "text-message": "a text message",
    "push": "a push to the phone",
    "security-key": "a security key",
    "passkey": "a passkey",
    "certificate": "a certificate",
    "starter-code": "a starter code",
}
# Somebody has a password or not, and is given a starter code: neither is enrolled.
_ENROLLED = tuple(factor for factor in YIELDS if factor not in {"password", "starter-code"})
MOST_WAYS = 6


@dataclass(frozen=True, slots=True)
class Ways:
    """How an item can be met.

    Attributes
    ----------
    held
        Sets of factors that the person has, none of which can be left out; the smallest first.
    enrolling
        Where there is none: sets of factors that would have to be enrolled first.
    code
        Where there is none: whether a starter code would do, which an administrator issues.
    """

    held: tuple[tuple[str, ...], ...]
    enrolling: tuple[tuple[str, ...], ...]
    code: bool = False


def ways(item: Item, rulebook: Rulebook, facts: Facts) -> Ways | None:
    """Return how the person of an attempt can give a proof; None when nobody knows which factors they have.

    Parameters
    ----------
    item
        `mfa` or a proof.
    """
    held = facts.values.get("person.factors")
    if not isinstance(held, frozenset):
        return None
    names = [factor for factor in YIELDS if factor in held]
    own = tuple(_smallest(names, lambda chosen: _attains(item, rulebook, facts, chosen)))
    if own:
        return Ways(own, ())
    others = [factor for factor in _ENROLLED if factor not in held]
    more = tuple(_smallest(others, lambda chosen: _attains(item, rulebook, facts, (*names, *chosen))))
    return Ways((), more, _attains(item, rulebook, facts, (*names, "starter-code")))


def _attains(item: Item, rulebook: Rulebook, facts: Facts, factors: Iterable[str]) -> bool:
    values = {**facts.values, "person.factors": frozenset(factors)}
    return Requirements(rulebook, facts.changed(values, facts.origins, None), lambda name: UNKNOWN).attainable(item)


def _smallest(names: list[str], enough: Callable[[tuple[str, ...]], bool]) -> list[tuple[str, ...]]:
    """Return the sets of names that are enough and hold no smaller one that is."""
    found: list[tuple[str, ...]] = []
    for size in range(1, len(names) + 1):
        for chosen in combinations(names, size):
            if len(found) < MOST_WAYS and not any(set(each) <= set(chosen) for each in found) and enough(chosen):
                found.append(chosen)
    return found
