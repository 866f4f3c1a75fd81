"""When tokens were used last, and from where; written down now and then, not at every request."""

from __future__ import annotations

import threading
from datetime import datetime, timedelta

from caddrel.store.accounts import AccountStore

EVERY = timedelta(minutes=1)


class TokenUses:
    """Collects uses of tokens."""

    def __init__(self, accounts: AccountStore) -> None:
        self._accounts = accounts
        self._used: dict[str, tuple[datetime, str]] = {}
        self._written: datetime | None = None
        self._lock = threading.Lock()

    def note(self, id: str, at: datetime, address: str) -> None:
        """Take in a use of a token."""
        self._used[id] = (at, address)

    def latest(self, id: str) -> tuple[datetime, str] | None:
        """Return a use that is not written down yet."""
        return self._used.get(id)

    def write(self, at: datetime, always: bool = False) -> None:
        """Write down what was used, when that has not been done for a while."""
        with self._lock:
            if not self._used or (not always and self._written is not None and at - self._written < EVERY):
                return
            used, self._used, self._written = self._used, {}, at
        self._accounts.used_tokens(used)
