"""What a replay comes to: from which outcome to which, how often, for whom, and because of which rules.

Tallies of parts of a log can be put together, so that parts may be replayed apart.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import Flags, Rows
from caddrel.core.columnar.levels import Levels
from caddrel.core.decide.decision import RuleRef
from caddrel.core.replay.recorded import Coded
from caddrel.core.rulebook.model import OUTCOMES

Pair = tuple[str, str]
_ALL = slice(None)


@dataclass(frozen=True, slots=True)
class Side:
    """What attempts come to on one side.

    Attributes
    ----------
    outcomes
        By their places in `OUTCOMES`.
    deciding
        Gives the rules that decide some attempts, each with its rows among those that are asked about.
    certain
        None where that is not asked.
    """

    outcomes: Levels
    deciding: Callable[[Flags], Iterable[tuple[RuleRef, Rows]]]
    certain: Flags | None = None


@dataclass(frozen=True, slots=True)
class Attempts:
    """Whom and what attempts are of; `ids` gives the ids of some of them."""

    ids: Callable[[Rows], Sequence[str]]
    people: Coded
    devices: Coded
    moments: NDArray[np.int64]


@dataclass(slots=True)
class Counted:
    """How many attempts, of which people, with which devices."""

    count: int = 0
    people: set[str] = field(default_factory=set)
    devices: set[str] = field(default_factory=set)

    def add(self, other: Counted) -> None:
        """Take in what another part of the log comes to."""
        self.count += other.count
        self.people |= other.people
        self.devices |= other.devices


@dataclass(slots=True)
class Hit:
    """What changes for one person.

    Attributes
    ----------
    flows
        How often, by outcome before and after.
    last
        Microseconds since 1970, of the last attempt that changes.
    because
        How often a rule is the reason.
    """

    flows: dict[Pair, int] = field(default_factory=dict)
    last: int = 0
    devices: set[str] = field(default_factory=set)
    because: dict[RuleRef, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Changed:
    """An attempt with another outcome.

    Attributes
    ----------
    row
        Its place in the part of the log that was taken in.
    """

    row: int
    id: str
    person: str | None
    device: str | None
    before: str
    after: str
    because: tuple[RuleRef, ...]


class Tally:
    """What a replay has come to so far.

    Attributes
    ----------
    meaning
        How many recorded outcomes differ for the change of meaning alone.
    undetermined
        How many are not certain on the new side.
    """

    def __init__(self) -> None:
        self.attempts = Counted()
        self.changed = Counted()
        self.same = self.meaning = self.undetermined = 0
        self.flows: dict[Pair, Counted] = {}
        self.because: dict[tuple[Pair, RuleRef], Counted] = {}
        self.people: dict[str, Hit] = {}

    def count(self, attempts: Attempts, before: Side, after: Side) -> None:
        """Take in a part of a log; what changes for whom is not told one by one, nor kept."""
        self._count(attempts, before, after)
        self._because(attempts, before, after, None)

    def add(self, attempts: Attempts, before: Side, after: Side) -> Iterator[Changed]:
        """Take in a part of a log; yields the attempts that come out otherwise, in their order."""
        changed = self._count(attempts, before, after)
        because: dict[int, list[RuleRef]] = {}
        self._because(attempts, before, after, because)
        pairs = _pairs(before, after)
        for row, id in zip(changed, attempts.ids(changed), strict=True):
            yield self._hit(attempts, int(row), id, _pair(int(pairs[row])), tuple(because.get(int(row), ())))

    def _count(self, attempts: Attempts, before: Side, after: Side) -> Rows:
        """Count everything but the rules that decide; returns the rows that come out otherwise."""
        count = len(before.outcomes)
        self.attempts.add(Counted(count, attempts.people.among(_ALL), attempts.devices.among(_ALL)))
        differ = before.outcomes != after.outcomes
        self.same += int(count - differ.sum())
        if after.certain is not None:
            self.undetermined += int((~after.certain).sum())
        pairs = _pairs(before, after)
        for pair in np.flatnonzero(np.bincount(pairs)):
            self.flows.setdefault(_pair(int(pair)), Counted()).add(_counted(attempts, np.flatnonzero(pairs == pair)))
        changed = np.flatnonzero(differ)
        self.changed.add(_counted(attempts, changed))
        return changed

    def _because(self, attempts: Attempts, before: Side, after: Side, by_row: dict[int, list[RuleRef]] | None) -> None:
        """Count the rules that decide on the stricter side of what changed.

        Whoever is stopped is stopped by rules of the new side; whoever is let in was stopped by rules of the old one.

        Parameters
        ----------
        by_row
            Is told the rules of each row.
        """
        pairs = _pairs(before, after)
        for side, wanted in ((before, before.outcomes > after.outcomes), (after, after.outcomes > before.outcomes)):
            if not wanted.any():
                continue
            for ref, mine in side.deciding(wanted):
                for pair in np.flatnonzero(np.bincount(pairs[mine])):
                    counted = _counted(attempts, mine[pairs[mine] == pair])
                    self.because.setdefault((_pair(int(pair)), ref), Counted()).add(counted)
                if by_row is not None:
                    for row in mine:
                        by_row.setdefault(int(row), []).append(ref)

    def _hit(self, attempts: Attempts, row: int, id: str, pair: Pair, because: tuple[RuleRef, ...]) -> Changed:
        person, device = attempts.people.name(row), attempts.devices.name(row)
        if person is not None:
            hit = self.people.setdefault(person, Hit())
            hit.flows[pair] = hit.flows.get(pair, 0) + 1
            hit.last = max(hit.last, int(attempts.moments[row]))
            if device is not None:
                hit.devices.add(device)
            for ref in because:
                hit.because[ref] = hit.because.get(ref, 0) + 1
        return Changed(row, id, person, device, *pair, because)

    def merge(self, other: Tally) -> None:
        """Take in what another part of the log came to."""
        self.attempts.add(other.attempts)
        self.changed.add(other.changed)
        self.same += other.same
        self.meaning += other.meaning
        self.undetermined += other.undetermined
        for pair, counted in other.flows.items():
            self.flows.setdefault(pair, Counted()).add(counted)
        for key, counted in other.because.items():
            self.because.setdefault(key, Counted()).add(counted)
        for person, hit in other.people.items():
            mine = self.people.setdefault(person, Hit())
            for pair, count in hit.flows.items():
                mine.flows[pair] = mine.flows.get(pair, 0) + count
            for ref, count in hit.because.items():
                mine.because[ref] = mine.because.get(ref, 0) + count
            mine.last = max(mine.last, hit.last)
            mine.devices |= hit.devices


def _pairs(before: Side, after: Side) -> Levels:
    """Return for each row from which outcome to which, as one number."""
    return before.outcomes * np.uint8(len(OUTCOMES)) + after.outcomes


def _pair(number: int) -> Pair:
    return OUTCOMES[number // len(OUTCOMES)], OUTCOMES[number % len(OUTCOMES)]


def _counted(attempts: Attempts, rows: Rows) -> Counted:
    return Counted(len(rows), attempts.people.among(rows), attempts.devices.among(rows))


def tally_json(tally: Tally) -> dict[str, Any]:
    """Return a tally in the shape that every output follows: numbers of people and devices throughout."""
    return {
        "attempts": tally.attempts.count,
        "same": tally.same,
        "meaning": tally.meaning,
        "undetermined": tally.undetermined,
        "flows": [
            {"from": before, "to": after, **_numbers(counted)}
            for (before, after), counted in sorted(tally.flows.items())
        ],
        "because": [
            {"from": pair[0], "to": pair[1], "policy": ref.policy, "rule": ref.rule, **_few(counted)}
            for (pair, ref), counted in sorted(tally.because.items(), key=_most_first)
        ],
        "people": len(tally.attempts.people),
        "devices": len(tally.attempts.devices),
        "changed": _numbers(tally.changed),
    }


def _numbers(counted: Counted) -> dict[str, int]:
    return {"count": counted.count, "people": len(counted.people), "devices": len(counted.devices)}


def _few(counted: Counted) -> dict[str, int]:
    return {"count": counted.count, "people": len(counted.people)}


def _most_first(item: tuple[tuple[Pair, RuleRef], Counted]) -> tuple[int, Pair, str, str]:
    (pair, ref), counted = item
    return -counted.count, pair, ref.policy, ref.rule


def changed_json(changed: Changed) -> dict[str, Any]:
    """Return an attempt that comes out otherwise as a line of output."""
    return {
        "id": changed.id,
        "person": changed.person,
        "device": changed.device,
        "from": changed.before,
        "to": changed.after,
        "because": [{"policy": ref.policy, "rule": ref.rule} for ref in changed.because],
    }


def outcomes_of(words: Iterable[str]) -> Levels:
    """Return outcomes by their places in `OUTCOMES`."""
    places = {word: place for place, word in enumerate(OUTCOMES)}
    return np.fromiter((places[word] for word in words), np.uint8)
