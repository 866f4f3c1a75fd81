"""What the person sees next, from what the door was answered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from caddrel.doorway.holdings import CODES, PROVES
from caddrel.doorway.visit import Visit

_SAYS = {
    "password": "Type your password once more",
    "authenticator-app": "Code of your authenticator app",
    "text-message": "Code from a text message",
    "push": "Confirm on your phone",
    "security-key": "Touch your security key",
    "passkey": "Use your passkey",
    "certificate": "Use the certificate of this device",
}


@dataclass(frozen=True, slots=True)
class Way:
    """A factor that the person can use now; `kind` is password, code or prompt."""

    factor: str
    says: str
    kind: str


@dataclass(frozen=True, slots=True)
class Stage:
    """One page at the door.

    Attributes
    ----------
    name
        first, more, in, stopped, ended or done.
    asks
        What is asked for, in words.
    """

    name: str
    ways: tuple[Way, ...] = ()
    asks: tuple[str, ...] = ()
    notices: tuple[Mapping[str, Any], ...] = ()
    new_password: bool = False
    starter_code: bool = False


def stage_of(visit: Visit) -> Stage:
    """Return the page that a visit is at."""
    if visit.done:
        return Stage("done")
    if visit.answer is None:
        return Stage("first", _first(visit.factors))
    context = visit.answer.context
    if visit.answer.decision:
        return Stage("in")
    if "outcome" not in context:
        return Stage("ended")
    outstanding = context.get("outstanding", [])
    codes = visit.operation.startswith("enrol-") or any("starter-code" in _named(item) for item in outstanding)
    if context["outcome"] == "blocked":
        return Stage("stopped", starter_code=codes)
    return Stage(
        "more",
        tuple(_ways(visit, outstanding)),
        tuple(item["says"] for item in outstanding),
        tuple(item["notice"] for item in outstanding if "notice" in item),
        any(item["item"] == "new password" for item in outstanding),
        codes,
    )


def way(factor: str) -> Way:
    """Return how a factor is used."""
    return Way(factor, _SAYS[factor], factor if factor == "password" else "code" if factor in CODES else "prompt")


def _first(factors: Sequence[str]) -> tuple[Way, ...]:
    """Return what a person can begin with: what needs nothing sent to them first."""
    known = [factor for factor in PROVES if factor in factors and factor not in {*CODES, "push"}]
    return tuple(way(factor) for factor in known or ["password"])


def _named(item: Mapping[str, Any]) -> set[str]:
    return {method for methods in item.get("amr", []) for method in methods}


def _ways(visit: Visit, outstanding: Sequence[Mapping[str, Any]]) -> list[Way]:
    """Return the factors of the person that bring an item nearer, those proved lately enough left out."""
    found = []
    ages = visit.ages()
    for factor in PROVES:
        for item in outstanding:
            oldest = item.get("max_age", float("inf"))
            fresh = all(ages.get(method, float("inf")) <= oldest for method in PROVES[factor])
            if factor in visit.factors and not fresh and _named(item) & set(PROVES[factor]):
                found.append(way(factor))
                break
    return found
