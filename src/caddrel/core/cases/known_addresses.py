"""What is known about addresses, where one is chosen among them.

Not here: looking one up (`facts.facts.AddressData`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from caddrel.core.facts.facts import AddressData
from caddrel.core.facts.types import Address


@dataclass(frozen=True, slots=True)
class KnownAddresses:
    """What is known about addresses, for who chooses among them.

    Attributes
    ----------
    look_up
        Tells what is known about one.
    edges
        The first address of each network that is known, and the first behind it.
    whole
        False when those are not all.
    """

    look_up: AddressData
    edges: Sequence[Address] = ()
    whole: bool = True
