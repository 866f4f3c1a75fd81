"""An attempt of a log: the groups of facts that it shares with others, and what is its own."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Protocol

from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.columnar.own_facts import Ages
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Methods, Signals, Value

# Facts of each group that every attempt is asked for.
TOLD: Mapping[str, tuple[str, ...]] = {
    "person": ("person.id",),
    "app": ("app.id",),
    "device": ("device.id",),
    "network": ("network.country", "network.city", "network.asn"),
    "attempt": ("auth.credentials", "client.name"),
    "signals": (),
}


@dataclass(slots=True, eq=False)
class Bundle:
    """The completed facts of one group, with the same as JSON.

    `since` are the moments that a device's ages count from, `assumed` the ages that the rulebook assumes where there
    are none; both in the order of `own.DEVICE_AGES`. `ends` are the moments at which memberships of the person end, and
    `spells` what the bundle is between them. `like` is a number that bundles have in common in which the rulebook sees
    no difference, 0 while nobody has asked. `told` are the values of `TOLD`, and the coordinates of a network: at hand
    without a look into all of them.
    """

    values: dict[str, Any]
    origins: dict[str, Origin]
    document: bytes
    facts: Facts
    told: tuple[Any, ...]
    since: tuple[datetime | None, datetime | None] = (None, None)
    assumed: tuple[float | None, float | None] = (None, None)
    ends: tuple[datetime, ...] = ()
    spells: dict[int, Bundle] = field(default_factory=dict)
    like: int = 0

    def parts(self) -> tuple[Any, ...]:
        """Return what it is made of: all but the address lists, which are the inventory's, and its spells."""
        facts = self.facts
        alone = (facts.app_listed, facts.app_title, facts.coordinates, facts.not_understood)
        return self.values, self.origins, self.document, alone, self.told, self.since, self.assumed

    @classmethod
    def of(cls, parts: tuple[Any, ...], lists: Mapping[str, Any]) -> Bundle:
        """Return what `parts` came from, with the inventory's address lists."""
        values, origins, document, (listed, title, coordinates, strange), *rest = parts
        facts = Facts(
            values, origins, app_listed=listed, app_title=title, lists=lists, coordinates=coordinates,
            not_understood=strange,
        )  # fmt: skip
        return cls(values, origins, document, facts, *rest)


class SignalResults(Protocol):
    """What the signals of many attempts come to, as `signals.evaluate` tells it."""

    @property
    def signals(self) -> Signals:
        """The value of the fact ``signals``."""

    @property
    def document(self) -> bytes:
        """The bundle of the signals, as JSON."""

    def noticed(self, values: Sequence[Any]) -> Mapping[str, Any]:
        """Return every signal by name, with what it was compared with, as JSON."""


class ComparedSignals(Mapping[str, Any]):
    """What each signal of an attempt was compared with, as JSON by its id; put together only where it is asked for.

    Attributes
    ----------
    results
        What attempts have in common for which each came out in the same way.
    own
        The values of each, in the order of their names.
    """

    __slots__ = ("_whole", "own", "results")

    def __init__(self, results: SignalResults, own: Sequence[Any]) -> None:
        self.results, self.own = results, own
        self._whole: Mapping[str, Any] | None = None

    def _all(self) -> Mapping[str, Any]:
        if self._whole is None:
            self._whole = self.results.noticed(self.own)
        return self._whole

    def __getitem__(self, signal: str) -> Any:
        return self._all()[signal]

    def __iter__(self) -> Iterator[str]:
        return iter(self._all())

    def __len__(self) -> int:
        return len(self.own)


class Bundled:
    """An attempt: what it has in common with others, and what is its own.

    Attributes
    ----------
    bundles
        One for each of `GROUPS`.
    own
        Facts of its own as JSON: name to origin and value.
    ages
        In seconds, in the order of `own.AGES`.
    methods
        Methods with their ages in seconds, None when none was reported with an age.
    default_age
        Seconds; the age of methods reported without one.
    kind
        The number of its kind, as `columnar.evaluator` gives it; 0 before.
    noticed
        What its signals come to, and what each was compared with, once they have been worked out.
    """

    __slots__ = ("_facts", "_lists", "ages", "at", "bundles", "default_age", "kind", "methods", "noticed", "own")

    def __init__(
        self,
        bundles: tuple[Bundle, ...],
        at: datetime,
        own: str,
        ages: Ages,
        methods: Methods | None,
        default_age: float | None,
        lists: Mapping[str, Any],
        kind: int = 0,
    ) -> None:
        self.bundles = bundles
        self.at = at
        self.own = own
        self.ages = ages
        self.methods = methods
        self.default_age = default_age
        self.kind = kind
        self.noticed: tuple[SignalResults, Sequence[Any]] | None = None
        self._lists = lists
        self._facts: Facts | None = None

    @property
    def signals(self) -> Any:
        """The value of the fact ``signals``, None when it is unknown."""
        return self.noticed[0].signals if self.noticed is not None else self.bundles[_SIGNALS].values.get("signals")

    @property
    def facts(self) -> Facts:
        """All facts together: most attempts are like others, and are decided without."""
        if self._facts is None:
            self._facts = self._whole()
        return self._facts

    def _whole(self) -> Facts:
        values: dict[str, Value] = {}
        origins: dict[str, Origin] = {}
        strange: dict[str, Any] = {}
        for bundle in self.bundles:
            values.update(bundle.values)
            origins.update(bundle.origins)
            strange.update(bundle.facts.not_understood)
        for name, (origin, value) in json.loads(self.own).items():
            values[name], origins[name] = value, _ORIGINS[origin]
        values["time.at"] = self.at
        if self.methods is not None:
            values["auth.methods"] = self.methods
        app, network = self.bundles[1].facts, self.bundles[3].facts
        facts = Facts(
            values, origins, self.default_age, False, app.app_listed, app.app_title, self._lists, network.coordinates,
            not_understood=strange,
        )  # fmt: skip
        if self.noticed is not None:
            told, compared = self.noticed
            values["signals"], facts.noticed = told.signals, told.noticed(compared)
            origins["signals"] = Origin.COMPUTED
        return facts


_PERSON, _DEVICE, _SIGNALS = map(GROUPS.index, ("person", "device", "signals"))


_ORIGINS = {origin.value: origin for origin in Origin}
