"""What the service looks things up in: revisions, inventory, log and addresses, with what is read from them.

Who has this can look at everything and change nothing; a process of its own has one too.
Not here: what changes things, and what goes on beside requests (`runtime`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from caddrel.service.state.address_data import AddressData
from caddrel.service.state.caches import Caches
from caddrel.service.state.drafted import Drafted
from caddrel.service.state.inventory_cache import Inventories
from caddrel.service.state.limits import Limits
from caddrel.service.state.read_bundles import ReadBundles
from caddrel.service.state.rulebook_cache import Rulebooks
from caddrel.service.state.rulebook_cost import Costs
from caddrel.store.inventory import InventoryStore
from caddrel.store.revisions import RevisionStore
from caddrel.store.signins import SigninStore


@dataclass(slots=True, kw_only=True, repr=False)
class State:
    """What is looked things up in."""

    revisions: RevisionStore
    inventory: InventoryStore
    signins: SigninStore
    clock: Callable[[], datetime]
    folder: Path
    addresses: AddressData | None = None
    limits: Limits = field(default_factory=Limits)
    caches: Caches = field(default_factory=Caches)
    costs: Costs = field(init=False)
    drafted: Drafted = field(init=False)
    rulebooks: Rulebooks = field(init=False)
    inventories: Inventories = field(init=False)
    bundles: ReadBundles = field(init=False)

    def __post_init__(self) -> None:
        self.costs = Costs(self.caches)
        self.drafted = Drafted(self.caches)
        self.rulebooks = Rulebooks(self.revisions, self.caches)
        self.inventories = Inventories(self.inventory)
        self.bundles = ReadBundles(self.signins, self.caches)
