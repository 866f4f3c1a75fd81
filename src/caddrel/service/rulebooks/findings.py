"""What is doubtful about a revision, with the inventory and the log as they are now."""

from __future__ import annotations

from datetime import date

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.inventory.index import Inventory
from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import lint
from caddrel.service.state.context import State
from caddrel.service.state.rulebook_cache import Published
from caddrel.store.signins import SigninStore


class Findings:
    """Looks for what is doubtful; the last answer is kept for as long as revision, inventory and day stay."""

    def __init__(self, state: State) -> None:
        self._state = state
        self._last: tuple[int, Inventory, date, list[Diagnostic]] | None = None

    def of(self, published: Published) -> list[Diagnostic]:
        """Return what is doubtful about a revision."""
        number, inventory = published.revision.number, self._state.inventories.current()
        # What was accepted for a time comes back when its day has passed.
        today = self._state.clock().date()
        last = self._last
        if last is not None and last[0] == number and last[1] is inventory and last[2] == today:
            return last[3]
        found = lint(Context(published.rulebook, inventory, reported(self._state.signins, inventory), today))
        self._last = (number, inventory, today, found)
        return found


def reported(signins: SigninStore, inventory: Inventory) -> frozenset[str]:
    """Return the facts that the inventory and the newest sign-ins carry; none before the first sign-in."""
    found = signins.facts_reported()
    if not found:
        return frozenset()
    kinds = (("person", inventory.people), ("device", inventory.devices), ("app", inventory.apps))
    for kind, entries in kinds:
        for entry in entries.values():
            found.update(entry.facts)
            found.update(f"{kind}.attributes.{key}" for key in entry.attributes)
    return frozenset(found)
