"""Steps that somebody could take: what each changes, who can take it, and how it is said."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from dataclasses import dataclass, field

from caddrel.core.facts.facts import AddressData, Facts, Origin
from caddrel.core.facts.types import Value


class Who(enum.IntEnum):
    """Who can take a step, the easiest to reach first."""

    PERSON_NOW = 0
    PERSON_LATER = 1
    HELP_DESK = 2
    ADMINISTRATOR = 3

    @property
    def words(self) -> str:
        """As it is said."""
        return ("the person, now", "the person, later", "the help desk", "an administrator")[self]


@dataclass(frozen=True, slots=True, eq=False)
class Step:
    """One change.

    Attributes
    ----------
    facts
        The facts that it changes, with their new values.
    says
        What to do, as the end of "would have been let in had …": ``turned off the VPN``.
    adds
        Methods that it adds to those of the session, with their ages.
    forgets
        Facts that are not known any more after it, unless the step or address data tells them anew.
    enrols
        The operation that it takes first, with its facts: a remedy must not be a dead end.
    family
        Steps of one family exclude one another: nobody is in two places.
    place
        What the place is called to which it goes; empty when it goes nowhere.
    """

    who: Who
    says: str
    facts: Mapping[str, Value] = field(default_factory=dict)
    adds: Mapping[str, float] = field(default_factory=dict)
    forgets: tuple[str, ...] = ()
    enrols: Mapping[str, Value] = field(default_factory=dict)
    family: str = ""
    place: str = ""

    @property
    def key(self) -> tuple[object, ...]:
        """What makes two steps the same."""
        facts = tuple(sorted((name, str(value)) for name, value in self.facts.items()))
        return facts, tuple(sorted(self.adds)), self.forgets


def taken(
    facts: Facts, steps: tuple[Step, ...], assume: Mapping[str, Value], address_data: AddressData | None
) -> Facts:
    """Return the facts of the attempt as they would be after the steps: completed as before, so far as they go."""
    values, origins = dict(facts.values), dict(facts.origins)
    coordinates = facts.coordinates
    for step in steps:
        for name in step.forgets:
            values.pop(name, None)
            origins.pop(name, None)
        for name, value in step.facts.items():
            held = values.get(name)
            # Sets grow: a step gives a group, accepts a notice, enrols a factor.
            grown = isinstance(value, frozenset) and isinstance(held, frozenset)
            values[name] = held | value if grown else value  # type: ignore[operator]
            origins[name] = Origin.REPORTED
        if step.adds:
            methods = values.get("auth.methods")
            values["auth.methods"] = {**(methods if isinstance(methods, dict) else {}), **step.adds}
            origins["auth.methods"] = Origin.REPORTED
            if origins.get("auth.age") is Origin.COMPUTED:
                values.pop("auth.age", None)
        address = step.facts.get("network.ip")
        if address is not None:
            known = address_data(address) if address_data is not None else None  # type: ignore[arg-type]
            coordinates = known.coordinates if known else None
            for name, value in known.facts.items() if known else ():
                if name not in step.facts:
                    values[name], origins[name] = value, Origin.ADDRESS_DATA
    for name, value in assume.items():
        if name not in values:
            values[name], origins[name] = value, Origin.ASSUMED
    return facts.changed(values, origins, coordinates)


NETWORK_FACTS = ("network.country", "network.city", "network.asn", "network.anonymiser")
