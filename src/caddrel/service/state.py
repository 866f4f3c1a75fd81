"""What the service looks things up in: revisions, inventory, log and addresses, with what is read from them.

Who has this can look at everything and change nothing; a process of its own has one too.
Not here: what changes things, and what goes on beside requests (`deps`).
"""

from __future__ import annotations

import gc
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.address_data import AddressData
from caddrel.service.errors import ServiceError, not_found
from caddrel.service.rulebook_cost import Costs
from caddrel.store.inventory import InventoryStore
from caddrel.store.revisions import Revision, RevisionStore
from caddrel.store.signins import SigninStore


@dataclass(frozen=True, slots=True)
class Published:
    """A revision with the rulebook read from it, and the same made ready for deciding many attempts."""

    revision: Revision
    rulebook: Rulebook
    compiled: CompiledRulebook
    diagnostics: tuple[Diagnostic, ...]


class Rulebooks:
    """The rulebooks of revisions, each read once; a new revision counts from the next question on."""

    def __init__(self, store: RevisionStore, most: int = 16) -> None:
        self._store = store
        self._read: OrderedDict[int, Published] = OrderedDict()
        self._most = most
        self._lock = threading.Lock()

    def current(self) -> Published | None:
        """Return the current revision, None before the first."""
        number = self._store.current_number()
        return None if number is None else self.get(number)

    def need_current(self) -> Published:
        """Return the current revision.

        Raises
        ------
        ServiceError
            When nothing has been published yet.
        """
        published = self.current()
        if published is None:
            hint = "publish one: caddrel rulebook publish FILE --why …"
            raise ServiceError(409, "no-rulebook", "no rulebook has been published yet", hint)
        return published

    def get(self, number: int) -> Published:
        """Return a revision with its rulebook."""
        with self._lock:
            if number in self._read:
                self._read.move_to_end(number)
                return self._read[number]
        revision = self._store.get(number)
        if revision is None:
            current = self._store.current_number()
            raise not_found(f"revision {number}", f"the current one is {current}" if current else "none is published")
        result = read_rulebook([Source(name, text) for name, text in revision.files])
        rulebook = result.or_raise()
        published = Published(revision, rulebook, CompiledRulebook(rulebook, number), result.diagnostics)
        with self._lock:
            self._read[number] = published
            while len(self._read) > self._most:
                self._read.popitem(last=False)
        return published


class Inventories:
    """The index over the inventory; what has changed in the inventory is read into it before the next question."""

    def __init__(self, store: InventoryStore) -> None:
        self._store = store
        self._made: tuple[int, Inventory] | None = None
        self._lock = threading.Lock()

    def current(self) -> Inventory:
        """Return the index of the inventory as it is now."""
        made = self._made
        if made is not None and made[0] == self._store.version():
            return made[1]
        with self._lock:
            before = self._made
            version, documents = self._store.since(before[0] if before is not None else -1)
            # Objects were checked when they were taken in; one that a later release refuses is left out.
            found, _ = read_inventory(documents, stored=True)
            if before is None:
                self._made = (version, found)
                # They live as long as the service: looking through them for garbage again and again takes long.
                gc.collect()
                gc.freeze()
            else:
                self._made = (version, before[1].replaced(found) if documents else before[1])
            return self._made[1]


@dataclass(frozen=True, slots=True)
class Limits:
    """The largest bodies taken, in bytes, and what is left to a process of its own.

    Attributes
    ----------
    apart
        Bytes; of a log that is longer, another process reads the rest.
    checked_here
        Characters; a rulebook that has more is read, to be checked, by another process.
    exported_here
        Records; a log that has more is exported by another process.
    """

    body: int = 256 * 1024
    rulebook: int = 8 * 1024 * 1024
    stream: int = 512 * 1024 * 1024
    line: int = 256 * 1024
    batch: int = 4 * 1024 * 1024
    apart: int = 4 * 1024 * 1024
    checked_here: int = 32 * 1024
    exported_here: int = 2_000


@dataclass(slots=True, kw_only=True)
class State:
    """What is looked things up in."""

    revisions: RevisionStore
    inventory: InventoryStore
    signins: SigninStore
    clock: Callable[[], datetime]
    folder: Path
    addresses: AddressData | None = None
    limits: Limits = field(default_factory=Limits)
    costs: Costs = field(default_factory=Costs)
    rulebooks: Rulebooks = field(init=False)
    inventories: Inventories = field(init=False)

    def __post_init__(self) -> None:
        self.rulebooks = Rulebooks(self.revisions)
        self.inventories = Inventories(self.inventory)
