"""Rehearsals for every combination of the values of one or two facts.

Not here: one rehearsal (`tracing.rehearse`).
"""

from __future__ import annotations

import time
from collections.abc import Iterable

from caddrel.core.cases.answer import all_cases
from caddrel.core.cases.reads import reads
from caddrel.core.cases.values import values_of
from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.attempts import SHORT, AttemptRefused
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.problems import ServiceError
from caddrel.service.state.context import State
from caddrel.service.tracing.cases import known_addresses
from caddrel.service.tracing.rehearse import completed, rulebook_for
from caddrel.wire import cases as wire
from caddrel.wire.decisions import RehearseRequest

MOST_CELLS = 400
MOST_VALUES = 60
# Seconds of the processor for one cell, and for all of them.
LONGEST_CELL = 1.0
LONGEST = 10.0
_LISTED = (FactType.WORD, FactType.LEVEL)


def matrix(state: State, request: wire.MatrixRequest) -> wire.Matrix:
    """Return what can come of every combination.

    Raises
    ------
    ServiceError
        When a fact is none, or there are too many combinations.
    AttemptRefused
        When the facts that are given cannot be read.
    """
    asked = RehearseRequest(given=request.given, files=request.files, revision=request.revision, draft=request.draft)
    rulebook, _, _ = rulebook_for(state, asked)
    inventory = state.inventories.current()
    across = _axis(request.across, rulebook, inventory, state)
    down = _axis(request.down, rulebook, inventory, state) if request.down is not None else ("", [""])
    if down[0] == across[0]:
        raise ServiceError(422, "bad-matrix", f"`{across[0]}` is asked for twice", "choose two facts")
    count = len(across[1]) * len(down[1])
    if count > MOST_CELLS:
        hint = f"a matrix has at most {MOST_CELLS}; give fewer values"
        raise ServiceError(422, "too-many-combinations", f"these are {count} combinations", hint)
    until = time.thread_time() + LONGEST
    cells = []
    for row in down[1]:
        line = []
        for value in across[1]:
            given = {**request.given, across[0]: value, **({down[0]: row} if down[0] else {})}
            line.append(_cell(state, rulebook, inventory, given, until))
        cells.append(line)
    return wire.Matrix(across[0], across[1], down[0], down[1] if down[0] else [], cells)


def _cell(state: State, rulebook: Rulebook, inventory: Inventory, given: dict[str, str], until: float) -> wire.Cell:
    mine = min(until, time.thread_time() + LONGEST_CELL)
    try:
        facts = completed(state, rulebook, inventory, RehearseRequest(given=given))
        found = all_cases(
            rulebook,
            facts,
            inventory,
            lambda: time.thread_time() > mine,
            known_addresses(state),
            state.drafted.reads(rulebook),
        )
    except AttemptRefused as refused:
        return wire.Cell([], True, refused.problems[0].message)
    return wire.Cell(list(found.possible), found.exact)


def _axis(axis: wire.AxisRequest, rulebook: Rulebook, inventory: Inventory, state: State) -> tuple[str, list[str]]:
    fact = SHORT.get(axis.fact, axis.fact)
    if fact not in rulebook.catalogue:
        hint = did_you_mean(fact, list(rulebook.catalogue), "see caddrel facts")
        raise ServiceError(422, "bad-matrix", f"`{shorten(fact)}` is no fact", hint)
    values = list(dict.fromkeys(_spread(axis.values, fact, inventory, state))) or list(_own(fact, rulebook))
    if not 0 < len(values) <= MOST_VALUES:
        said = f"`{fact}` has {len(values)} values here" if values else f"give the values of `{fact}`"
        hint = f"such as {fact}=…,…; at most {MOST_VALUES}"
        raise ServiceError(422, "bad-matrix", said, hint)
    return fact, values


def _spread(values: Iterable[str], fact: str, inventory: Inventory, state: State) -> Iterable[str]:
    for value in values:
        if fact == "person.id" and value.startswith("group:"):
            group = value.removeprefix("group:")
            now = state.clock()
            yield from (p.id for p in inventory.people.values() if group in inventory.groups_of(p, now))
        elif value:
            yield value


def _own(fact: str, rulebook: Rulebook) -> Iterable[str]:
    """Yield the values of a fact that the rulebook tells apart, where they can be listed."""
    spec = rulebook.catalogue[fact]
    if spec.type is FactType.FLAG:
        yield from ("yes", "no")
    elif spec.type in _LISTED and len(spec.words) <= MOST_VALUES:
        yield from spec.words
    elif spec.type in (FactType.VERSION, FactType.NUMBER, FactType.DURATION, FactType.PATH):
        asked = reads(rulebook).asked.get(fact, [])
        found = values_of(spec, asked) if asked else []
        yield from dict.fromkeys(
            f"{value:g}s" if spec.type is FactType.DURATION and isinstance(value, int | float) else str(to_json(value))
            for value in found
        )
