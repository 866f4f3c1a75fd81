"""What a rulebook is, once read: frozen values that every evaluator works from.

Not here: reading (`reader`), what conditions are (`language.nodes`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from datetime import date, datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

from caddrel.core.diagnostics import Span
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.types import Network, Value
from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import And, Condition

ALWAYS = And(())
MODES = ("off", "shadow", "enforced")
STANCES = ("open", "closed")
# For whom a guarantee is proven.
WHO = ("anyone", "inventory")
OUTCOMES = ("allowed", "challenged", "blocked")


SelectorKind = Literal["everyone", "group", "role", "person", "kind", "unit", "every-app", "app", "label", "where"]


@dataclass(frozen=True, slots=True)
class Selector:
    """One entry of a list of people or apps: its kind and id, and the condition it stands for."""

    text: str
    kind: SelectorKind
    id: str
    condition: Condition


@dataclass(frozen=True, slots=True)
class Settings:
    """What holds for the whole rulebook; `assume` gives facts that nobody reported a value."""

    stance: str = "open"
    keyholders: tuple[Selector, ...] = ()
    assume: Mapping[str, Value] = field(default_factory=dict)
    contact: str = ""


@dataclass(frozen=True, slots=True)
class AppEntry:
    """What the rulebook says about an app of the inventory."""

    id: str
    title: str = ""
    note: str = ""
    stance: str | None = None


@dataclass(frozen=True, slots=True)
class PlaceParts:
    """Parts of a place; it is in the place when any of them matches."""

    networks: tuple[Network, ...] = ()
    lists: tuple[str, ...] = ()
    countries: tuple[str, ...] = ()
    anonymisers: tuple[str, ...] = ()
    asns: tuple[int, ...] = ()
    places: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return any((self.networks, self.lists, self.countries, self.anonymisers, self.asns, self.places))


@dataclass(frozen=True, slots=True)
class Place:
    """A named set of networks, countries, anonymisers or autonomous systems."""

    id: str
    title: str
    note: str
    parts: PlaceParts
    without: PlaceParts = field(default_factory=PlaceParts)


@dataclass(frozen=True, slots=True)
class Check:
    """One line of a standard, with the fix its device's owner can follow."""

    id: str
    must: Condition
    title: str = ""
    fix: str = ""


@dataclass(frozen=True, slots=True)
class Standard:
    """A named checklist that a device must pass."""

    id: str
    title: str
    note: str
    checks: tuple[Check, ...]


@dataclass(frozen=True, slots=True)
class Window:
    """Minutes of a day; one whose end is not after its start runs past midnight."""

    start: int
    end: int

    @property
    def overnight(self) -> bool:
        """Whether it ends on the next day."""
        return self.end <= self.start

    def __str__(self) -> str:
        return "-".join(f"{m // 60:02}:{m % 60:02}" for m in (self.start, self.end))


@dataclass(frozen=True, slots=True)
class Schedule:
    """Weekly hours in one zone; `week` has seven days, Monday first."""

    id: str
    title: str
    note: str
    zone: ZoneInfo
    week: tuple[tuple[Window, ...], ...]
    closed: frozenset[date] = frozenset()
    open: Mapping[date, tuple[Window, ...]] = field(default_factory=dict)

    def windows(self, day: date) -> tuple[Window, ...]:
        """Return the windows that start on a date."""
        if day in self.open:
            return self.open[day]
        return () if day in self.closed else self.week[day.weekday()]

    def is_open(self, local: datetime) -> bool:
        """Tell whether a local moment lies in a window; wall-clock, start in, end out.

        Windows belong to the date they start on, so yesterday's may still be open.
        """
        minute = local.hour * 60 + local.minute
        for window in self.windows(local.date()):
            if minute >= window.start and (window.overnight or minute < window.end):
                return True
        yesterday = local.date() - timedelta(days=1)
        return any(window.overnight and minute < window.end for window in self.windows(yesterday))


@dataclass(frozen=True, slots=True)
class Proof:
    """Combinations of RFC 8176 methods; one whole combination is enough."""

    id: str
    title: str
    note: str
    any_of: tuple[frozenset[str], ...]


@dataclass(frozen=True, slots=True)
class Notice:
    """A text that a person must have accepted, with its version."""

    id: str
    title: str
    note: str
    version: int
    text: str


@dataclass(frozen=True, slots=True)
class Signal:
    """Something noticed by comparing an attempt with the person's recent ones."""

    id: str
    title: str
    note: str
    kind: str
    settings: Mapping[str, Value]


@dataclass(frozen=True, slots=True)
class PasswordStandard:
    """What a candidate password must be, and when guessing locks out."""

    id: str
    title: str
    note: str
    people: tuple[Selector, ...]
    apps: tuple[Selector, ...]
    must: Mapping[str, Value]
    lock: Mapping[str, Value]


@dataclass(frozen=True, slots=True)
class Keep:
    """How long it lasts before asking again; seconds, None where no limit is set."""

    session_at_most: int | None = None
    idle_at_most: int | None = None
    end_with_browser: bool | None = None


@dataclass(frozen=True, slots=True)
class Rule:
    """`when` a condition holds, `then` an effect; without `when` it always holds."""

    id: str
    index: int
    when: Condition | None
    effect: Effect
    title: str = ""
    note: str = ""
    tell: str = ""
    link: str = ""
    keep: Keep | None = None


@dataclass(frozen=True, slots=True)
class ActiveWindow:
    """From (inclusive) and until (exclusive) when a policy is active."""

    start: datetime | None
    end: datetime | None


@dataclass(frozen=True, slots=True)
class Scope:
    """Whose sign-ins, to what, doing what, when."""

    people: tuple[Selector, ...]
    except_people: tuple[Selector, ...]
    apps: tuple[Selector, ...]
    except_apps: tuple[Selector, ...]
    operations: tuple[str, ...]
    active: ActiveWindow | None = None

    @property
    def naming(self) -> tuple[Selector, ...]:
        """The selectors that name apps: what opens an app that is closed by its own line."""
        return tuple([selector for selector in self.apps if selector.kind != "every-app"])


@dataclass(frozen=True, slots=True)
class Policy:
    """A scope and an ordered list of rules."""

    id: str
    title: str
    note: str
    why: str
    owner: str
    mode: str
    labels: tuple[str, ...]
    contact: str
    scope: Scope
    rules: tuple[Rule, ...]


@dataclass(frozen=True, slots=True)
class Guarantee:
    """A statement about all possible attempts; `bound` is ``at_least`` or ``at_most``."""

    id: str
    title: str
    note: str
    scope: Scope
    when: Condition | None
    who: str
    bound: str
    effect: Effect | None
    outcome: str
    with_shadow: bool = False


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """An attempt kept with the outcome it must give."""

    id: str
    title: str
    note: str
    attempt: Mapping[str, Value]
    expect: tuple[str, ...]
    expect_open: tuple[str, ...] = ()

    @property
    def expected(self) -> str:
        """What must come of it, in words: ``allowed or challenged``."""
        return " or ".join(self.expect or self.expect_open)


@dataclass(frozen=True, slots=True)
class AcceptedFinding:
    """A doubtful thing that was looked at and stands.

    Attributes
    ----------
    object
        The path of what it is about, such as ``policies.abroad``; it counts for whatever is within.
    until
        The last day on which it stands; None for always.
    """

    index: int
    code: str
    object: str
    because: str
    until: date | None = None

    @property
    def path(self) -> str:
        """Where it stands in the document."""
        return f"accepted[{self.index}]"


@dataclass(frozen=True, slots=True)
class Rulebook:
    """Everything an administrator wrote; sections map ids to objects in document order."""

    settings: Settings
    catalogue: Catalogue
    apps: Mapping[str, AppEntry]
    places: Mapping[str, Place]
    standards: Mapping[str, Standard]
    schedules: Mapping[str, Schedule]
    proofs: Mapping[str, Proof]
    notices: Mapping[str, Notice]
    signals: Mapping[str, Signal]
    password_standards: Mapping[str, PasswordStandard]
    policies: Mapping[str, Policy]
    guarantees: Mapping[str, Guarantee]
    rehearsals: Mapping[str, Rehearsal]
    accepted: tuple[AcceptedFinding, ...] = ()
    spans: Mapping[str, Span] = field(default_factory=dict)

    def stance_of(self, app: str) -> str:
        """Return the stance of an app by its id."""
        entry = self.apps.get(app)
        return (entry.stance if entry else None) or self.settings.stance

    def differs_in_policies_alone(self, other: Rulebook) -> bool:
        """Tell whether two rulebooks have all but their policies in common, and what decides nothing.

        Whatever else a rulebook has, now or one day, is taken to decide.
        """
        same = {each.name for each in fields(Rulebook)} - {"policies", *_DECIDES_NOTHING}
        return all(getattr(self, name) == getattr(other, name) for name in same)


# Statements about decisions, and where things stand in the files.
_DECIDES_NOTHING = ("guarantees", "rehearsals", "accepted", "spans")
