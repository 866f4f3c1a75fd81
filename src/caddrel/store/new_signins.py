"""Sign-ins on their way into the log, one by one and column by column."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from caddrel.core.logs.causes import Cause
from caddrel.store.dictionary import Decided


class NewSignin(NamedTuple):
    """A sign-in to be stored.

    Attributes
    ----------
    own, person_facts, app_facts, device_facts, network_facts, attempt_facts, signals_facts
        Its facts as `bundles.split` takes them apart, as JSON.
    recorded
        What the other system recorded, as JSON.
    state_age, listed_for, auth_age
        Of its device's state, of its device's entry in the inventory, and of its methods; seconds.
    """

    id: str
    reference: int
    at: datetime
    digest: bytes
    own: str
    person_facts: bytes
    app_facts: bytes
    device_facts: bytes
    network_facts: bytes
    attempt_facts: bytes
    signals_facts: bytes
    recorded: bytes
    decided: Decided
    person: str | None
    app: str | None
    device: str | None
    state_age: float | None
    listed_for: float | None
    auth_age: float | None
    let_in: bool
    cause: Cause | None
    revision: int


class NewSignins:
    """Sign-ins to be stored, column by column: one step for many takes much less time than all steps for each.

    Attributes
    ----------
    columns
        In the order of `NewSignin`.
    """

    def __init__(self, rows: Iterable[NewSignin] = ()) -> None:
        self.columns: list[list[Any]] = [list(column) for column in zip(*rows, strict=True)] or [[] for _ in _FIELDS]

    def __len__(self) -> int:
        return len(self.columns[0])

    def __getitem__(self, field: str) -> list[Any]:
        """Return a column by its name."""
        return self.columns[_FIELDS[field]]

    def extend(self, columns: Sequence[Iterable[Any]]) -> None:
        """Add sign-ins, column by column."""
        for mine, more in zip(self.columns, columns, strict=True):
            mine.extend(more)


_FIELDS = {field: place for place, field in enumerate(NewSignin._fields)}
