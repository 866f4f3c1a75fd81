"""Attempts of what the solver found, as small as they can be, and decided by the interpreter before they are shown."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from caddrel.core.decide.interpreter.interpreter import Explained, Others, explain
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.prove.logic import is_true_in
from caddrel.core.prove.space import SETTLED, Space
from caddrel.core.rulebook.model import Rulebook

# Tells whether an attempt, as the interpreter explains it, is what was looked for.
Check = Callable[[Explained], bool]


class Wrong(AssertionError):
    """The solver and the interpreter do not agree: an error of ours, which is told as one."""


@dataclass(frozen=True, slots=True)
class Attempt:
    """An attempt: what is reported of it, and of address lists that are not at hand whether they hold its address."""

    reported: Mapping[str, Value]
    lists: Mapping[str, bool]

    def without(self, name: str) -> Attempt:
        """Return it with one fact away."""
        return Attempt({n: v for n, v in self.reported.items() if n != name}, self.lists)


class _Holding:
    """An address list of which only is known whether it holds this address."""

    def __init__(self, holds: bool) -> None:
        self._holds = holds

    def __contains__(self, address: object) -> bool:
        return self._holds


def explained(
    rulebook: Rulebook, attempt: Attempt, inventory: Inventory | None, others: Others | None = None
) -> Explained:
    """Return what the interpreter makes of an attempt; `others` as `explain` takes them."""
    return explain(rulebook, facts_of(rulebook, attempt, inventory), others=others)


def facts_of(rulebook: Rulebook, attempt: Attempt, inventory: Inventory | None) -> Facts:
    """Return the facts of an attempt, completed as offline."""
    # A fact that only another rulebook has is none of this one's.
    reported = {name: value for name, value in attempt.reported.items() if name in rulebook.catalogue}
    facts = complete(reported, rulebook.catalogue, rulebook.settings.assume, inventory)
    if attempt.lists:
        facts.lists = {**facts.lists, **{name: _Holding(holds) for name, holds in attempt.lists.items()}}
    return facts


def attempt_of(space: Space, model: Any) -> Attempt:
    """Return the attempt that a model of the solver stands for."""
    true = partial(is_true_in, model)

    reported: dict[str, Value] = dict(SETTLED)
    for name, of in space.ways.items():
        # Just one of them is, or the fact is away.
        pairs = zip(of.variables, of.values, strict=True)
        found = next(((value,) for variable, value in pairs if true(variable)), None)
        if found is not None:
            reported[name] = found[0]
    for name, members in space.sets.items():
        if not true(members.away):
            reported[name] = frozenset(id for id, bit in members.bits.items() if true(bit))
    if space.methods is not None and not true(space.methods.away):
        methods: dict[str, float | None] = {}
        for method, used in space.methods.used.items():
            ages = [age for variable, age in zip(used, space.methods.ages, strict=True) if true(variable)]
            methods.update((method, age) for age in ages)
            if true(space.methods.unaged[method]):
                methods[method] = None
        reported["auth.methods"] = methods
    for kind, choices in space.choices.items():
        entry = next((choice.entry for choice in choices if true(choice.variable)), None)
        if entry is not None and f"{kind}.id" in reported:
            reported[f"{kind}.id"] = entry.id
    lists = {name: true(of.variables[0]) for name, of in space.lists.items() if of.variables and not true(of.away)}
    return Attempt(reported, lists)


def smallest(attempt: Attempt, still: Callable[[Attempt], bool], inventory: Inventory | None = None) -> Attempt:
    """Return an attempt with as few facts as it takes: one after another is left out while it is still what it was.

    Parameters
    ----------
    inventory
        Somebody whom it knows is named, rather than what is known of them.
    """
    named = inventory is not None and attempt.reported.get("person.id") in inventory.people
    found = attempt
    changed = True
    while changed:
        changed = False
        for name in sorted(found.reported, key=partial(_worth, named=named)):
            fewer = found.without(name)
            if still(fewer):
                found, changed = fewer, True
    for name in attempt.lists:
        fewer = Attempt(found.reported, {key: held for key, held in found.lists.items() if key != name})
        if still(fewer):
            found = fewer
    return _fewer_members(found, still)


def _fewer_members(attempt: Attempt, still: Callable[[Attempt], bool]) -> Attempt:
    """Return an attempt whose sets and methods have as few members as it takes."""
    found = attempt
    for name, value in attempt.reported.items():
        for member in sorted(value) if isinstance(value, dict | frozenset) else ():
            held: Any = found.reported[name]
            less: Any = {k: v for k, v in held.items() if k != member} if isinstance(held, dict) else held - {member}
            fewer = Attempt({**found.reported, name: less}, found.lists)
            if still(fewer):
                found = fewer
    return found


def _worth(name: str, named: bool) -> tuple[int, str]:
    """Return the place of a fact: who and what it is about is left out last."""
    if named and name == "person.id":
        return 2, name
    return (1 if name in {"person.id", "app.id", "person.kind", "person.groups", "app.labels"} else 0), name
