"""Refusing a change of the inventory after which nobody could administer any more."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from caddrel.core.inventory.index import Inventory
from caddrel.core.lockout_check.check import administers
from caddrel.service.problems import ServiceError

if TYPE_CHECKING:
    from caddrel.service.runtime import Deps

# Address lists aside: what they hold is asked at every sign-in, and a feed changes them.
_NOUNS = ("people", "groups", "devices", "apps")


def check(deps: Deps, noun: str, entries: Sequence[Any], accepted: str) -> None:
    """Refuse objects that would leave nobody able to get into the apps that everything is administered with.

    Parameters
    ----------
    accepted
        Why that risk is accepted; recorded.

    Raises
    ------
    ServiceError
        When somebody can get in now, and nobody could after it.
    """
    published = deps.rulebooks.current()
    if published is None or noun not in _NOUNS or not entries or accepted.strip():
        return
    before, now = deps.inventories.current(), deps.clock()
    who = administers(published.compiled, before, now, deps.addresses, deps.administrator)
    if who is None:
        return
    deps.administrator = who
    after = before.replaced(Inventory(**{noun: entries}))
    if administers(published.compiled, after, now, deps.addresses, who) is None:
        hint = "leave somebody able to, or give the reason: ?accept_lockout_risk=…"
        raise ServiceError(409, "lockout-risk", "nobody could administer any more; nothing was taken in", hint)
