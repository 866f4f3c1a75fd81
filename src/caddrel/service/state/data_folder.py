"""A data folder, opened: every store in it, with what is read from them, and the keys.

Who has this can change everything. Not here: what looks and changes nothing (`state.context`), and what goes on beside
requests (`runtime`).
"""

from __future__ import annotations

from dataclasses import dataclass, field

from caddrel.service.state.context import State
from caddrel.service.state.keys import Keys
from caddrel.service.state.settings import Settings
from caddrel.store.acceptances import AcceptanceStore
from caddrel.store.accounts import AccountStore
from caddrel.store.audit import AuditStore
from caddrel.store.causes import CauseStore
from caddrel.store.door_sessions import DoorSessionStore
from caddrel.store.draft_outcomes import DraftOutcomeStore
from caddrel.store.drafts import DraftStore
from caddrel.store.event_streams import EventStreamStore
from caddrel.store.feeds import FeedStore
from caddrel.store.held_changes import HeldChangeStore
from caddrel.store.imports import ImportStore
from caddrel.store.kept_by import KeptByStore
from caddrel.store.mappings import MappingStore
from caddrel.store.marks import MarkStore
from caddrel.store.outbox import OutboxStore
from caddrel.store.passwords import PasswordStore
from caddrel.store.proven import ProvenStore
from caddrel.store.reviews import ReviewStore
from caddrel.store.set_aside import SetAsideStore
from caddrel.store.sources import SourceStore
from caddrel.store.starter_codes import StarterCodeStore
from caddrel.store.told import ToldStore
from caddrel.store.unlisted import RefusedDeviceStore, UnlistedDevices
from caddrel.store.unlocks import UnlockStore


@dataclass(slots=True, kw_only=True, repr=False)
class DataFolder(State):
    """Everything that is kept."""

    causes: CauseStore
    accounts: AccountStore
    passwords: PasswordStore
    mappings: MappingStore
    imports: ImportStore
    door_sessions: DoorSessionStore
    held_changes: HeldChangeStore
    marks: MarkStore
    outbox: OutboxStore
    event_streams: EventStreamStore
    feeds: FeedStore
    told: ToldStore
    sources: SourceStore
    unlisted: UnlistedDevices
    refused_devices: RefusedDeviceStore
    kept_by: KeptByStore
    starter_codes: StarterCodeStore
    acceptances: AcceptanceStore
    audit: AuditStore
    drafts: DraftStore
    unlocks: UnlockStore
    set_aside: SetAsideStore
    reviews: ReviewStore
    proven: ProvenStore
    draft_outcomes: DraftOutcomeStore
    keys: Keys
    settings: Settings = field(default_factory=Settings)
