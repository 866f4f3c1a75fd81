"""What the service works with: stores, clock, and the rulebooks and inventory read from them."""

from __future__ import annotations

import gc
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.inventory import Inventory, read_inventory
from caddrel.core.lint.finding import Context
from caddrel.core.lint.registry import lint
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.reader import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.address_data import AddressData
from caddrel.service.checkpoints import Checkpoints
from caddrel.service.door.deciding import Door
from caddrel.service.door.recording import Recorder
from caddrel.service.door.shadowing import Shadows
from caddrel.service.errors import ServiceError, not_found
from caddrel.service.heavy import Heavy
from caddrel.service.jobs import Jobs
from caddrel.service.keys import Keys
from caddrel.service.lockouts import LockOuts
from caddrel.service.noticing import Histories, catch_up
from caddrel.service.planning import Planner
from caddrel.service.rulebook_cost import Costs
from caddrel.service.second_factors import Challenges
from caddrel.service.secrets import Verified
from caddrel.service.strange_words import StrangeWords
from caddrel.service.throttling import Throttle
from caddrel.service.token_uses import TokenUses
from caddrel.service.writing.covering import Covering
from caddrel.store.acceptances import AcceptanceStore
from caddrel.store.accounts import AccountStore
from caddrel.store.audit import AuditStore
from caddrel.store.causes import CauseStore
from caddrel.store.door_sessions import DoorSessionStore
from caddrel.store.draft_outcomes import DraftOutcomeStore
from caddrel.store.drafts import DraftStore
from caddrel.store.inventory import InventoryStore
from caddrel.store.mappings import MappingStore
from caddrel.store.passwords import PasswordStore
from caddrel.store.revisions import Revision, RevisionStore
from caddrel.store.signins import SigninStore
from caddrel.store.starter_codes import StarterCodeStore
from caddrel.store.unlocks import UnlockStore

V = TypeVar("V")


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
    """The largest bodies taken, in bytes; of a log longer than `apart`, a process of its own reads the rest."""

    body: int = 256 * 1024
    rulebook: int = 8 * 1024 * 1024
    stream: int = 512 * 1024 * 1024
    line: int = 256 * 1024
    batch: int = 4 * 1024 * 1024
    apart: int = 4 * 1024 * 1024


@dataclass(slots=True)
class Settings:
    """How the service is reached and what it asks of those who use it.

    Attributes
    ----------
    origin
        What browsers know the console by: scheme, host and port (RFC 6454).
    hosts
        The hosts that a request may name, beside addresses of this machine; any address when it is empty.
    second_factor
        Whether console accounts need a second factor.
    """

    origin: str = "http://127.0.0.1:8420"
    hosts: tuple[str, ...] = ()
    second_factor: bool = False


def _reported(signins: SigninStore, inventory: Inventory) -> frozenset[str] | None:
    """Return the facts that the inventory and the newest sign-ins carry, None before there are any."""
    found = signins.facts_reported()
    if not found:
        return None
    kinds = (("person", inventory.people), ("device", inventory.devices), ("app", inventory.apps))
    for kind, entries in kinds:
        for entry in entries.values():
            found.update(entry.facts)
            found.update(f"{kind}.attributes.{key}" for key in entry.attributes)
    return frozenset(found)


@dataclass(slots=True)
class Deps:
    """Everything that requests work with, handed in once at the start."""

    revisions: RevisionStore
    inventory: InventoryStore
    signins: SigninStore
    causes: CauseStore
    accounts: AccountStore
    passwords: PasswordStore
    mappings: MappingStore
    door_sessions: DoorSessionStore
    starter_codes: StarterCodeStore
    acceptances: AcceptanceStore
    audit: AuditStore
    drafts: DraftStore
    unlocks: UnlockStore
    draft_outcomes: DraftOutcomeStore
    clock: Callable[[], datetime]
    console: Path
    folder: Path
    keys: Keys
    limits: Limits = field(default_factory=Limits)
    settings: Settings = field(default_factory=Settings)
    addresses: AddressData | None = None
    challenges: Challenges = field(default_factory=Challenges)
    token_uses: TokenUses = field(init=False)
    checkpoints: Checkpoints = field(init=False)
    rulebooks: Rulebooks = field(init=False)
    inventories: Inventories = field(init=False)
    # Held while records are decided and stored: each one's signals look back at those before it.
    log_lock: threading.Lock = field(default_factory=threading.Lock)
    # Imports come one after another: each has records decided that are not stored yet.
    import_lock: threading.Lock = field(default_factory=threading.Lock)
    verified: Verified = field(default_factory=Verified)
    throttle: Throttle = field(default_factory=Throttle)
    heavy: Heavy = field(default_factory=Heavy)
    costs: Costs = field(default_factory=Costs)
    covering: Covering = field(default_factory=Covering)
    histories: Histories = field(init=False)
    lockouts: LockOuts = field(init=False)
    shadows: Shadows = field(init=False)
    # Words on no list that doors reported since the service started, by fact and word.
    strange: Counter[tuple[str, str]] = field(default_factory=Counter)
    strange_words: StrangeWords = field(init=False)
    jobs: Jobs = field(init=False)
    recorder: Recorder = field(init=False)
    door: Door = field(init=False)
    planner: Planner = field(init=False)
    # Somebody who could get into the apps of administration when that was asked last.
    administrator: str = ""
    # The view of the revision that was looked at last, with what it was made of.
    _viewed: tuple[tuple[int, int | None, Inventory], Any] | None = field(init=False, default=None)
    _linted: tuple[int, Inventory, list[Diagnostic]] | None = field(init=False, default=None)

    def __post_init__(self) -> None:
        self.rulebooks = Rulebooks(self.revisions)
        self.inventories = Inventories(self.inventory)
        self.histories = Histories(self.signins)
        self.token_uses = TokenUses(self.accounts)
        self.checkpoints = Checkpoints(self.folder, self.keys, self.audit, self.signins)
        self.lockouts = LockOuts(self.signins, self.unlocks)
        self.strange_words = StrangeWords(self.signins)
        self.shadows = Shadows(self)
        self.jobs = Jobs(self.clock)
        self.recorder = Recorder(self.signins, self._look_anew, self._catch_up_soon)
        self.door = Door(self)
        self.planner = Planner(self)

    def _look_anew(self) -> None:
        # What was decided and not stored is not to be looked back at.
        with self.log_lock:
            self.histories.clear()

    def _catch_up_soon(self) -> None:
        def work() -> None:
            with self.import_lock:
                catch_up(self)

        self.jobs.soon(work)

    def view_once(self, number: int, current: int | None, make: Callable[[], V]) -> V:
        """Return what `make` makes of a revision and the inventory, made once for as long as neither changes."""
        key = (number, current, self.inventories.current())
        viewed = self._viewed
        if viewed is None or viewed[0][:2] != key[:2] or viewed[0][2] is not key[2]:
            viewed = self._viewed = (key, make())
        made: V = viewed[1]
        return made

    def findings(self, published: Published) -> list[Diagnostic]:
        """Return what is doubtful about a revision, with the inventory as it is now; the last answer is kept."""
        number, inventory = published.revision.number, self.inventories.current()
        kept = self._linted
        if kept is not None and kept[0] == number and kept[1] is inventory:
            return kept[2]
        found = lint(Context(published.rulebook, inventory, _reported(self.signins, inventory)))
        self._linted = (number, inventory, found)
        return found
