"""Places, standards and schedules for the compiled evaluator: their state, asked once for each attempt.

A state is the level of a truth (`decide.truth`); ``m`` remembers those already asked for.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable
from datetime import datetime
from functools import lru_cache
from ipaddress import IPv4Address, collapse_addresses
from types import CodeType
from typing import Any

from caddrel.core.decide import truth
from caddrel.core.decide.compiled.expressions import Names, possible, sure_when_possible
from caddrel.core.facts.types import Network
from caddrel.core.language.nodes import And, Condition
from caddrel.core.rulebook.model import PlaceParts, Rulebook, Schedule

FALSE, UNKNOWN, TRUE = (each.level for each in (truth.FALSE, truth.UNKNOWN, truth.TRUE))
Values = dict[str, Any]
Memo = dict[Any, Any]
State = Callable[[Values, Memo], int]
LISTS = "address lists"
# Characters of generated source that is remembered with its code.
LONGEST_FORM = 4_000


class _Ranges:
    """Networks as sorted ranges of numbers, asked in logarithmic time."""

    def __init__(self, networks: Iterable[Network]) -> None:
        listed = list(networks)
        self._four = _spans(n for n in listed if n.version == 4)
        self._six = _spans(n for n in listed if n.version == 6)

    def state(self, v: Values, m: Memo) -> int:
        """Return whether the attempt's address is in one of the networks."""
        number = m.get(_NUMBER)
        if number is None:
            address = v.get("network.ip")
            if address is None:
                return UNKNOWN
            # IPv6 addresses stand as negative numbers.
            number = m[_NUMBER] = int(address) if type(address) is IPv4Address else ~int(address)
        if number >= 0:
            starts, ends = self._four
        else:
            starts, ends = self._six
            number = ~number
        at = bisect_right(starts, number) - 1
        return TRUE if at >= 0 and number <= ends[at] else FALSE


_NUMBER = "address as a number"


def _spans(networks: Iterable[Any]) -> tuple[list[int], list[int]]:
    spans = [(int(n.network_address), int(n.broadcast_address)) for n in collapse_addresses(networks)]
    return [start for start, _ in spans], [end for _, end in spans]


class Parts:
    """The states of all named parts of a rulebook."""

    def __init__(self, rulebook: Rulebook) -> None:
        self._rulebook = rulebook
        self._asked: dict[str, State] = {}
        self._checks: dict[str, list[State]] = {}
        # Parts that others name are looked up when asked, so the order in which they are made does not matter.
        for name in rulebook.places:
            self._asked[f"place {name}"] = _remembered(f"place {name}", self._place(name))
        for name, schedule in rulebook.schedules.items():
            self._asked[f"schedule {name}"] = _remembered(f"schedule {name}", _schedule_state(schedule))
        for name in rulebook.standards:
            self._asked[f"standard {name}"] = _later(self._asked, f"standard {name}")
        for name, standard in rulebook.standards.items():
            self._checks[name] = [self.compiled(check.must) for check in standard.checks]
            whole = self.compiled(And(tuple(check.must for check in standard.checks)))
            self._asked[f"standard {name}"] = _remembered(f"standard {name}", whole)

    def names(self) -> Names:
        """Return names for generated code that may ask for parts."""
        return Names(self._rulebook.catalogue, self._asked)

    def place(self, v: Values, m: Memo, name: str) -> int:
        """Return the state of a place."""
        key = f"place {name}"
        return m.get(key) or self._asked[key](v, m)

    def standard(self, v: Values, m: Memo, name: str) -> int:
        """Return the state of a device standard."""
        key = f"standard {name}"
        return m.get(key) or self._asked[key](v, m)

    def schedule(self, v: Values, m: Memo, name: str) -> int:
        """Return the state of a schedule."""
        key = f"schedule {name}"
        return m.get(key) or self._asked[key](v, m)

    def failing(self, v: Values, m: Memo, name: str) -> list[int]:
        """Return the places of the checks of a standard that are not true."""
        return [i for i, check in enumerate(self._checks[name]) if check(v, m) != TRUE]

    def _place(self, name: str) -> State:
        place = self._rulebook.places[name]
        inside, without = self.any_part(place.parts), self.any_part(place.without)
        if not place.without:
            return inside

        def state(v: Values, m: Memo) -> int:
            found = inside(v, m)
            # Not in what is left out: the opposite of its state. Of the two, the worse counts.
            return min(found, 4 - without(v, m)) if found != FALSE else FALSE

        return state

    def any_part(self, parts: PlaceParts) -> State:
        """Return a function that gives the state of any of the parts."""
        asked: list[State] = []
        if parts.networks:
            asked.append(_Ranges(parts.networks).state)
        asked.extend(_list_state(name) for name in parts.lists)
        for listed, fact in (
            (parts.countries, "network.country"),
            (parts.anonymisers, "network.anonymiser"),
            (parts.asns, "network.asn"),
        ):
            if listed:
                asked.append(_listed_state(frozenset(listed), fact))
        asked.extend(self._inner(name) for name in parts.places)

        if len(asked) == 1:
            return asked[0]

        def state(v: Values, m: Memo) -> int:
            best = FALSE
            for ask in asked:
                best = max(best, ask(v, m))
                if best == TRUE:
                    break
            return best

        return state

    def _inner(self, name: str) -> State:
        return lambda v, m: self.place(v, m, name)

    def compiled(self, condition: Condition) -> State:
        """Return a function that gives the state of a condition."""
        names = self.names()
        lines = ["def state(v, m):", "    get = v.get", f"    if not {possible(condition, names)}: return 1"]
        lines.append(f"    return 3 if {sure_when_possible(condition, names)} else 2")
        state: State = build("\n".join(lines), names)["state"]
        return state


def _remembered(key: str, state: State) -> State:
    """Return a function that asks for a state and remembers it for the attempt."""

    def ask(v: Values, m: Memo) -> int:
        found = m[key] = state(v, m)
        return found

    return ask


def _later(asked: dict[str, State], key: str) -> State:
    """Return a function that asks for a part that is not made yet."""
    return lambda v, m: m.get(key) or asked[key](v, m)


def _schedule_state(schedule: Schedule) -> State:
    def state(v: Values, _m: Memo) -> int:
        at = v.get("time.at")
        if not isinstance(at, datetime):
            return UNKNOWN
        return TRUE if schedule.is_open(at.astimezone(schedule.zone)) else FALSE

    return state


def build(source: str, names: Names) -> dict[str, Any]:
    """Return the functions made from generated source, by name.

    The source holds names of our own making, and ids that the reader has checked: every other text of a rulebook stands
    in the constants.
    """
    space = dict(names.values)
    exec(_form(source) if len(source) <= LONGEST_FORM else _code(source), space)  # noqa: S102 - see above
    return space


def _code(source: str) -> CodeType:
    return compile(source, "<generated>", "exec")


@lru_cache(maxsize=2_000)
def _form(source: str) -> CodeType:
    """Return code, made once for all of one form: what differs between such policies is in their constants."""
    return _code(source)


def _known(value: Any, held: Any) -> int:
    if value is None:
        return UNKNOWN
    return TRUE if value in held else FALSE


def _list_state(name: str) -> State:
    def state(v: Values, m: Memo) -> int:
        kept = m[LISTS].get(name)
        return UNKNOWN if kept is None else _known(v.get("network.ip"), kept)

    return state


def _listed_state(listed: frozenset[Any], fact: str) -> State:
    return lambda v, _m: _known(v.get(fact), listed)
