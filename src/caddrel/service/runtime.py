"""What the service works with: stores, clock, and the rulebooks and inventory read from them."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.inventory.index import Inventory
from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import lint
from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.auth.login_throttle import Throttle
from caddrel.service.auth.second_factors import Challenges
from caddrel.service.auth.secrets import Verified
from caddrel.service.auth.token_uses import TokenUses
from caddrel.service.authoring.scope_members import Covering
from caddrel.service.decisions.evaluate import Door
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.shadow_drafts import Shadows
from caddrel.service.http.work_limits import Heavy
from caddrel.service.rulebooks.scheduled_publish import Planner
from caddrel.service.signins.recompute import catch_up
from caddrel.service.signins.signal_history import Histories
from caddrel.service.signins.strange_words import StrangeWords
from caddrel.service.state.checkpoints import Checkpoints
from caddrel.service.state.context import State
from caddrel.service.state.jobs import Jobs
from caddrel.service.state.keys import Keys
from caddrel.service.state.rulebook_cache import Published
from caddrel.service.state.worker_process import WorkerProcess
from caddrel.store.acceptances import AcceptanceStore
from caddrel.store.accounts import AccountStore
from caddrel.store.audit import AuditStore
from caddrel.store.causes import CauseStore
from caddrel.store.door_sessions import DoorSessionStore
from caddrel.store.draft_outcomes import DraftOutcomeStore
from caddrel.store.drafts import DraftStore
from caddrel.store.mappings import MappingStore
from caddrel.store.passwords import PasswordStore
from caddrel.store.signins import SigninStore
from caddrel.store.starter_codes import StarterCodeStore
from caddrel.store.unlocks import UnlockStore

V = TypeVar("V")


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


@dataclass(slots=True, kw_only=True)
class Deps(State):
    """Everything that requests work with, handed in once at the start."""

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
    console: Path
    keys: Keys
    settings: Settings = field(default_factory=Settings)
    challenges: Challenges = field(default_factory=Challenges)
    token_uses: TokenUses = field(init=False)
    checkpoints: Checkpoints = field(init=False)
    # Held while records are decided and stored: each one's signals look back at those before it.
    log_lock: threading.Lock = field(default_factory=threading.Lock)
    # Imports come one after another: each has records decided that are not stored yet.
    import_lock: threading.Lock = field(default_factory=threading.Lock)
    # Each a process of its own, begun when it is first needed.
    checker: WorkerProcess = field(init=False)
    exporter: WorkerProcess = field(init=False)
    verified: Verified = field(default_factory=Verified)
    throttle: Throttle = field(default_factory=Throttle)
    heavy: Heavy = field(default_factory=Heavy)
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
        State.__post_init__(self)
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
        self.checker = WorkerProcess(self.folder, self.addresses, self.limits.checked_here)
        self.exporter = WorkerProcess(self.folder, self.addresses, self.limits.exported_here)

    def _look_anew(self, lost: list[str]) -> None:
        # What was decided and not stored is not to be looked back at.
        with self.log_lock:
            for id in lost:
                self.histories.stored(id)
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
