"""Whom and what a scope covers in the inventory as it is now, and which selectors could be written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from typing import Any, TypeVar

from caddrel.core.decide.compiled.named_parts import FALSE, LISTS, TRUE, Parts
from caddrel.core.facts.catalogue import KINDS
from caddrel.core.inventory.completion import attributes_of
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.language.nodes import And, Condition, Not, Or
from caddrel.core.rulebook.model import Rulebook, Scope, Selector
from caddrel.service.problems import ServiceError
from caddrel.service.state.caches import ByObject, Cache
from caddrel.service.state.context import State
from caddrel.wire import authoring as wire

T = TypeVar("T")
Counts = list[tuple[str, wire.SelectorView]]
SIDES = ("people", "apps")
MOST_REMEMBERED = 64
MOST_SELECTORS = 40
_FORMS = {"people": ("group", "role", "kind", "unit", "person"), "apps": ("label", "app")}


class Covering:
    """Finds what selectors cover; what the same inventory came to is remembered."""

    def __init__(self, data: State) -> None:
        self._data = data
        self._members: Cache[Any, Any] = data.caches.make("scope-members", MOST_REMEMBERED)
        self._counted = {
            side: ByObject[Inventory, Counts](data.caches.make(f"selectors-of-{side}", 1)) for side in SIDES
        }

    def of(self, rulebook: Rulebook, scope: Scope, side: str) -> dict[str, bool]:
        """Return the ids that a scope covers, in order, each with whether that is certain.

        Where a fact is not known a policy may be about somebody, and decisions reckon with it.

        Parameters
        ----------
        side
            ``people`` or ``apps``.
        """
        wanted, without = (scope.people, scope.except_people) if side == "people" else (scope.apps, scope.except_apps)
        return self.once(
            (side, _written(wanted), _written(without), attribute_types(rulebook)),
            lambda: dict(sorted(_covered(self._data, rulebook, side, wanted, without))),
        )

    def once(self, what: tuple[Any, ...], make: Callable[[], T]) -> T:
        """Return what `make` finds in the inventory, remembered for the same inventory and minute.

        Memberships end and states grow old by themselves, so it is no good for longer.
        """
        key = (self._data.inventory.version(), self._data.clock().replace(second=0, microsecond=0), *what)
        found: T = self._members.once(key, make)
        return found

    def selectors(self, side: str, search: str) -> wire.SelectorList:
        """Return selectors whose text or title has the words searched for, the widest first.

        Raises
        ------
        ServiceError
            For another side than ``people`` and ``apps``.
        """
        if side not in SIDES:
            raise ServiceError(400, "bad-parameter", "`side` is people or apps")
        inventory = self._data.inventories.current()
        words = search.casefold().split()
        counts = self._counted[side].once(inventory, lambda one: self._counts(one, side))
        fits = (view for text, view in counts if all(word in text for word in words))
        return wire.SelectorList(list(islice(fits, MOST_SELECTORS)))

    def _counts(self, inventory: Inventory, side: str) -> Counts:
        """Return every selector with the text that it is found by, the widest first."""
        found: Counter[str] = Counter()
        if side == "people":
            for person in inventory.people.values():
                found.update(_of_person(self._data, inventory, person))
            found.update({f"kind:{kind}": 0 for kind in KINDS})
        else:
            for app in inventory.apps.values():
                labels = app.facts.get("app.labels", frozenset())
                found.update([f"label:{label}" for label in labels] if isinstance(labels, frozenset) else [])
        kinds = {form: i for i, form in enumerate(_FORMS[side])}
        many = sorted(found.items(), key=lambda pair: (kinds[pair[0].partition(":")[0]], -pair[1], pair[0]))
        counts = {"everyone": len(inventory.people)} if side == "people" else {"every-app": len(inventory.apps)}
        counts |= dict(many)
        counts |= {f"person:{id}" if side == "people" else id: 1 for id in sorted(getattr(inventory, side))}
        titles = _titles(inventory)
        made = []
        for text, count in counts.items():
            view = wire.SelectorView(text, titles.get(text, ""), count)
            made.append((f"{text} {view.title}".casefold(), view))
        return made


def _of_person(data: State, inventory: Inventory, person: Entry) -> Iterator[str]:
    for group in inventory.groups_of(person, data.clock()) or ():
        yield f"group:{group}"
    roles = person.facts.get("person.roles", frozenset())
    for role in roles if isinstance(roles, frozenset) else ():
        yield f"role:{role}"
    kind, unit = person.facts.get("person.kind"), person.facts.get("person.unit")
    if kind is not None:
        yield f"kind:{kind}"
    if isinstance(unit, str):
        steps = unit.strip("/").split("/")
        for i in range(len(steps)):
            yield f"unit:/{'/'.join(steps[: i + 1])}"


def _titles(inventory: Inventory) -> dict[str, str]:
    titles = {f"group:{id}": group.title for id, group in inventory.groups.items()}
    titles |= {f"person:{id}": person.title for id, person in inventory.people.items()}
    return titles | {id: app.title for id, app in inventory.apps.items()}


def attribute_types(rulebook: Rulebook) -> tuple[tuple[str, str], ...]:
    """Return what a rulebook's own facts are, for who remembers what was found with them."""
    return tuple(sorted((name, spec.type.value) for name, spec in rulebook.catalogue.attributes.items()))


def _written(selectors: Sequence[Selector]) -> tuple[str, ...]:
    return tuple(selector.text for selector in selectors)


def _covered(
    data: State,
    rulebook: Rulebook,
    side: str,
    wanted: Sequence[Selector],
    without: Sequence[Selector],
) -> Iterator[tuple[str, bool]]:
    condition: Condition = Or(tuple(s.condition for s in wanted))
    if without:
        condition = And((condition, Not(Or(tuple(s.condition for s in without)))))
    state = Parts(rulebook).compiled(condition)
    inventory, now = data.inventories.current(), data.clock()
    kind = "person" if side == "people" else "app"
    for id, entry in getattr(inventory, side).items():
        values = {**entry.facts, f"{kind}.id": id, **attributes_of(entry, kind, rulebook.catalogue)[0]}
        if side == "people":
            values["person.groups"] = inventory.groups_of(entry, now)
        told = state(values, {LISTS: {}})
        if told != FALSE:
            yield id, told == TRUE
