"""Where changes are looked for: the apps that there are, and the audiences that rulebooks name."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from caddrel.core.cases.grid import apps_of, audiences
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import FactTest, Operand
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Rulebook

# Of more only the first are looked at: a page shows no more.
MOST = 60


def places(before: Rulebook, after: Rulebook, inventory: Inventory | None) -> list[tuple[str, str, Any]]:
    """Return the apps and audiences in which a change may occur: ``apps`` or ``people``, a name, a condition."""
    return [*_apps(before, after, inventory), *_audiences(before, after)]


def _apps(before: Rulebook, after: Rulebook, inventory: Inventory | None) -> Iterator[tuple[str, str, Any]]:
    named = dict.fromkeys([*apps_of(after, inventory), *apps_of(before, inventory), *_named(before), *_named(after)])
    for app in sorted(named)[:MOST]:
        yield "apps", app, FactTest("app.id", Op.IS, (Operand(app, value=app),))


def _named(rulebook: Rulebook) -> Iterator[str]:
    for policy in rulebook.policies.values():
        yield from (each.id for each in (*policy.scope.apps, *policy.scope.except_apps) if each.kind == "app")


def _audiences(before: Rulebook, after: Rulebook) -> Iterator[tuple[str, str, Any]]:
    found = dict.fromkeys([*audiences(after), *audiences(before)])
    for audience in list(found)[:MOST]:
        condition = audience.condition()
        if condition is not None:
            yield "people", audience.text, condition
