"""Bundles of facts of the log, read: a replay asks for the same ones as the replay before it, under any rulebook.

What a bundle holds never changes, and its number is never given to another: what was read of it once is good for as
long as this process has the database open. How a text is read hangs on the attributes that a rulebook declares, and on
nothing else of it: what it assumes is put in afterwards.
Not here: reading one (`store.bundle_reader`), and what counts under a rulebook (`core.replay.facts`).
"""

from __future__ import annotations

import threading
from collections.abc import Sequence

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.facts import Facts
from caddrel.service.state.caches import Cache, Caches
from caddrel.store.bundle_reader import BundleReader
from caddrel.store.signins import SigninStore

# Different declarations of attributes, as a rulebook and a draft of it have; and bundles of each, a kilobyte or two.
MOST_CATALOGUES, MOST_BUNDLES = 2, 50_000


class _Read:
    """What was read under one catalogue."""

    def __init__(self, catalogue: Catalogue) -> None:
        self.reader = BundleReader(catalogue)
        self.facts: dict[int, Facts] = {}
        # Held while it is read: readers remember too.
        self.reading = threading.Lock()


class ReadBundles:
    """Reads bundles of a log, each once for all who ask while few enough are asked for."""

    def __init__(self, signins: SigninStore, caches: Caches) -> None:
        self._signins = signins
        self._read: Cache[frozenset[FactSpec], _Read] = caches.make("bundles", MOST_CATALOGUES)

    def facts(self, catalogue: Catalogue, numbers: Sequence[int]) -> list[Facts]:
        """Return what bundles hold, by their numbers; whoever has it changes nothing in it."""
        read = self._read.once(frozenset(catalogue.attributes.values()), lambda: _Read(catalogue))
        with read.reading:
            missing = [number for number in numbers if number not in read.facts]
            if missing:
                if len(read.facts) + len(missing) > MOST_BUNDLES:
                    read.facts.clear()
                    missing = list(numbers)
                texts = self._signins.bundle_texts(missing)
                read.facts.update((number, read.reader.read(texts[number])) for number in missing)
            return [read.facts[number] for number in numbers]
