"""Whose a device is, and the refusal of facts that no attempt can have together.

Not here: which cases there are (`space`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import combinations, product

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.facts import Origin
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import to_json

STANDING = ("device.listed", "device.owner", "device.managed", "device.vetted")


class ContradictoryFacts(AttemptRefused):
    """Facts were given that no case can have."""


def _standing(listed: bool, owner: str, managed: bool, vetted: bool) -> dict[str, Value]:
    return dict(zip(STANDING, (listed, owner, managed, vetted), strict=True))


UNLISTED = _standing(False, "unlisted", False, False)
STANDINGS = [
    *(_standing(True, *each) for each in product(("company", "personal"), (True, False), (True, False))),
    UNLISTED,
]


def contradiction(told: Mapping[str, Value], origins: Mapping[str, Origin]) -> ContradictoryFacts:
    """Return the refusal of facts of a device that do not go together, those that were given first."""
    names = sorted(told, key=lambda name: (origins.get(name) is not Origin.REPORTED, name))
    given = [name for name in names if origins.get(name) is Origin.REPORTED] or names
    others = []
    if fits_standing({name: told[name] for name in given}):
        others = [n for n in names if any(not fits_standing({n: told[n], each: told[each]}) for each in given)][:2]
    else:
        given = next(
            (list(pair) for pair in combinations(given, 2) if not fits_standing({n: told[n] for n in pair})), given
        )
    beside = "".join(f", while {origins[name].value} gives `{name}` {_said(told[name])}" for name in others)
    hint = "a device is unlisted exactly when it is not in the inventory, and then it is neither managed nor vetted"
    return _refusal(given, told, beside, hint)


def no_such(kind: str, told: Mapping[str, Value]) -> ContradictoryFacts:
    """Return the refusal of facts that nobody and nothing of the inventory has together."""
    return _refusal(sorted(told), told, "", f"no {kind} of the inventory has them together: name one, or leave one out")


def _refusal(names: Sequence[str], told: Mapping[str, Value], beside: str, hint: str) -> ContradictoryFacts:
    said = " and ".join(f"`{name}` {_said(told[name])}" for name in names[:4])
    message = f"no attempt can have {said}{beside}"
    return ContradictoryFacts([Diagnostic("contradictory-facts", message, hint, path=names[0])])


def fits_standing(told: Mapping[str, Value]) -> bool:
    """Tell whether some device can be as told."""
    return any(all(each[name] == value for name, value in told.items()) for each in STANDINGS)


def fitting(told: Mapping[str, Value]) -> Callable[[Mapping[str, Value]], bool]:
    """Return what tells whether a device's facts fit whose it is; what they say nothing of is as it was given."""
    known: dict[tuple[Value | None, ...], bool] = {}

    def fits(facts: Mapping[str, Value]) -> bool:
        standing = tuple([facts.get(name, told.get(name)) for name in STANDING])
        if standing not in known:
            said = zip(STANDING, standing, strict=True)
            known[standing] = fits_standing({name: value for name, value in said if value is not None})
        return known[standing]

    return fits


def _said(value: Value) -> str:
    return ("yes" if value else "no") if isinstance(value, bool) else shorten(str(to_json(value)))
