"""Bundles of facts of the log, read: a replay asks for the same ones as the replay before it, under any rulebook.

What a bundle holds never changes, and its number is never given to another: what was read of it once is good for as
long as this process has the database open. How a text is read hangs on the attributes that a rulebook declares, and on
nothing else of it: what it assumes is put in afterwards.
Not here: reading one (`store.bundle_reader`), and what counts under a rulebook (`core.replay.facts`).
"""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.facts import Facts
from caddrel.service.state.caches import Cache, Caches
from caddrel.store.bundle_reader import BundleReader
from caddrel.store.signins import SigninStore

# Different declarations of attributes, as a rulebook and a draft of it have; and bundles, a kilobyte or two each.
MOST_CATALOGUES, MOST_BUNDLES = 2, 50_000


class ReadBundles:
    """Reads bundles of a log; those that were asked for last are at hand, for all who ask."""

    def __init__(self, signins: SigninStore, caches: Caches) -> None:
        self._signins = signins
        # A reader remembers values that bundles have in common.
        self._readers: Cache[frozenset[FactSpec], BundleReader] = caches.make("bundle-readers", MOST_CATALOGUES)
        # By the reader too: what it read counts for no other. It is held with them, so that none comes in its place.
        self._read: Cache[tuple[BundleReader, int], Facts] = caches.make("bundles", MOST_BUNDLES)

    def facts(self, catalogue: Catalogue, numbers: Sequence[int]) -> list[Facts]:
        """Return what bundles hold, by their numbers; whoever has it changes nothing in it."""
        attributes = frozenset(catalogue.attributes.values())
        reader = self._readers.once(attributes, lambda: BundleReader(catalogue))
        found: dict[int, Facts] = {}
        for number in numbers:
            facts = self._read.get((reader, number))
            if facts is not None:
                found[number] = facts
        missing = [number for number in numbers if number not in found]
        for number, text in self._signins.bundle_texts(missing).items() if missing else ():
            found[number] = self._read[reader, number] = reader.read(text)
        return [found[number] for number in numbers]
