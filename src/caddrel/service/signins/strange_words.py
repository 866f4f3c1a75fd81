"""Words that were reported and are on no list, counted by fact and word."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Any

from caddrel.core.diagnostics import shorten
from caddrel.store.signins import SigninStore

LONGEST = 60
# Of the log so many different ones are told apart; the rest is counted together.
MOST_TOLD = 200
OTHERS = "others"


def strange_words(said: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """Yield fact and word for everything that was said and is on no list."""
    for fact, what in said.items():
        for word in what if isinstance(what, list) else [what]:
            yield fact, shorten(str(word), LONGEST)


class StrangeWords:
    """Counts them over the whole log; bundles of facts that were looked through once are not looked through again."""

    def __init__(self, signins: SigninStore) -> None:
        self._signins = signins
        self._after = 0
        self._bundles: dict[tuple[str, int], list[tuple[str, str]]] = {}

    def counted(self) -> Counter[tuple[str, str]]:
        """Return how many sign-ins said each, the most frequent told apart."""
        for kind, number, said in self._signins.not_understood(self._after):
            self._after = max(self._after, number)
            self._bundles[kind, number] = list(strange_words({fact: what for fact, (_, what) in said.items()}))
        found: Counter[tuple[str, str]] = Counter()
        for key, count in self._signins.naming(self._bundles).items():
            for fact, word in self._bundles[key]:
                told = (fact, word) if (fact, word) in found or len(found) < MOST_TOLD else (fact, OTHERS)
                found[told] += count
        return found
