"""Filtering the inventory by a condition over its own facts, as it is now."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from caddrel.core.decide.compiled.named_parts import LISTS, TRUE, Parts
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import ages_of, attributes_of
from caddrel.core.language.nodes import Condition, FactTest, Passes, tests_of
from caddrel.core.language.printer import print_condition
from caddrel.core.logs.filters import FilterRefused, inventory_names, read_filter, unknown_names
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.authoring.scope_members import Covering, attribute_types
from caddrel.service.problems import ServiceError
from caddrel.service.state.context import State

KINDS = {"people": "person", "devices": "device", "apps": "app"}
LONGEST = 4_000


def matching(state: State, covering: Covering, noun: str, text: str) -> list[str]:
    """Return the ids of a noun for which a condition surely holds now, in order.

    Raises
    ------
    ServiceError
        When it cannot be read, or asks for something else than facts of the noun.
    """
    rulebook, condition = _read(state, noun, text)
    if any(isinstance(test, Passes) for test in tests_of(condition)):
        # A standard is asked by name: what it asks for is the rulebook's.
        written: Any = (print_condition(condition), state.revisions.current_number() or 0)
    else:
        written = print_condition(condition)
    key = ("matching", noun, written, attribute_types(rulebook))
    return covering.once(key, lambda: list(_matching(state, rulebook, noun, condition)))


def _read(state: State, noun: str, text: str) -> tuple[Rulebook, Condition]:
    kind = KINDS.get(noun)
    if kind is None:
        raise ServiceError(422, "bad-parameter", f"{noun} have no facts to ask for", "search for an id or a title")
    if len(text) > LONGEST:
        raise ServiceError(413, "too-large", f"a filter has at most {LONGEST} characters")
    rulebook = state.rulebooks.in_force()
    try:
        condition = read_filter(text, rulebook)
    except FilterRefused as refused:
        title = f"the filter cannot be read: {refused.problems[0].message}"
        raise ServiceError(422, "bad-filter", title, "", refused.problems) from None
    for test in tests_of(condition):
        mine = isinstance(test, FactTest) and test.fact.startswith(f"{kind}.")
        if not mine and not (noun == "devices" and isinstance(test, Passes)):
            said = f"`{print_condition(test)}` asks for no fact of {noun}"
            hint = f"facts of {noun} begin with {kind}."
            raise ServiceError(422, "bad-filter", said, hint, [Diagnostic("bad-filter", said, hint, path="where")])
    names = inventory_names(state.inventories.current())
    if unknown := unknown_names(condition, text, names, lambda *_: False, "the inventory knows none of that name"):
        raise ServiceError(422, "bad-filter", unknown[0].message, "", unknown)
    return rulebook, condition


def _matching(state: State, rulebook: Rulebook, noun: str, condition: Condition) -> Iterator[str]:
    judged = Parts(rulebook).compiled(condition)
    inventory, now, kind = state.inventories.current(), state.clock(), KINDS[noun]
    for id, entry in sorted(getattr(inventory, noun).items()):
        values: dict[str, Value] = {
            **entry.facts,
            f"{kind}.id": id,
            **attributes_of(entry, kind, rulebook.catalogue)[0],
        }
        if noun == "people":
            values["person.groups"] = inventory.groups_of(entry, now)
            values.setdefault("person.roles", frozenset())
        elif noun == "devices":
            values["device.listed"] = True
            values = {**ages_of(entry, now), **values}
        else:
            values.setdefault("app.labels", frozenset())
        if judged(values, {LISTS: {}}) == TRUE:
            yield id
