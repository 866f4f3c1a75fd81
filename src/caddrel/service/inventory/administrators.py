"""Refusing a change of the inventory after which nobody could administer any more."""

from __future__ import annotations

from collections.abc import Collection

from caddrel.core.inventory.index import Inventory
from caddrel.core.lockout_check.check import administers
from caddrel.service.problems import ServiceError
from caddrel.service.state.context import State

# Address lists aside: what they hold is asked at every sign-in, and a feed changes them.
_NOUNS = ("people", "groups", "devices", "apps")

# How a refusal ends; somebody who only looks is told without it.
UNCHANGED = "; nothing was changed"


class Administrators:
    """Knows somebody who can administer; one for the whole service."""

    def __init__(self, data: State) -> None:
        self._data = data
        # Who could when that was asked last: asked first the next time.
        self._known = ""

    def check(
        self,
        before: Inventory,
        after: Inventory,
        touched: Collection[str],
        accepted: str,
    ) -> None:
        """Refuse what would leave nobody able to get into the apps that everything is administered with.

        Parameters
        ----------
        before, after
            What it changes, and what that makes of it.
        touched
            The nouns of what is added, replaced or taken out.
        accepted
            Why that risk is accepted; recorded.

        Raises
        ------
        ServiceError
            When somebody can get in now, and nobody could after it.
        """
        data = self._data
        published = data.rulebooks.current()
        if published is None or accepted.strip() or not any(noun in touched for noun in _NOUNS):
            return
        now = data.clock()
        compiled, known = published.compiled, self._known
        # Most changes leave somebody able to: only of another one does it matter what was before it.
        if (who := administers(compiled, after, now, data.addresses, known)) is not None:
            self._known = who
        elif administers(compiled, before, now, data.addresses, known) is not None:
            hint = "leave somebody able to, or give the reason: ?accept_lockout_risk=…"
            raise ServiceError(409, "lockout-risk", f"nobody could administer any more{UNCHANGED}", hint)
