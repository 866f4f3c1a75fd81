"""The syntax tree of conditions and formulas: a closed union of frozen nodes.

Two trees are equal when they say the same in the same shape; where they stood does not count.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal, get_args

from caddrel.core.diagnostics import Extent
from caddrel.core.facts.types import Value
from caddrel.core.language.operators import Op

NOWHERE = Extent(0, 0)


@dataclass(frozen=True, slots=True)
class Operand:
    """A value as written; `value` is what the checker read it as."""

    text: str
    extent: Extent = field(default=NOWHERE, compare=False)
    value: Value | None = field(default=None, compare=False)


@dataclass(frozen=True, slots=True)
class And:
    """All parts hold."""

    parts: tuple[Condition, ...]
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Or:
    """At least one part holds."""

    parts: tuple[Condition, ...]
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Not:
    """The part does not hold."""

    part: Condition
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Surely:
    """The part holds for certain; never unknown."""

    part: Condition
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class FactTest:
    """A test of one fact."""

    fact: str
    op: Op
    operands: tuple[Operand, ...] = ()
    extent: Extent = field(default=NOWHERE, compare=False)
    fact_extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class FromPlace:
    """The attempt's network is in one of the places; `listed` when written as a list."""

    places: tuple[Operand, ...]
    listed: bool = False
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Passes:
    """The device passes a standard."""

    standard: Operand
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class During:
    """The moment lies in a schedule."""

    schedule: Operand
    extent: Extent = field(default=NOWHERE, compare=False)


Test = FactTest | FromPlace | Passes | During
Condition = And | Or | Not | Surely | Test


ItemKind = Literal[
    "mfa",
    "proof",
    "device passes",
    "managed device",
    "company device",
    "vetted client",
    "protected client",
    "notice",
    "new password",
]
# In the order that items are told in.
ITEM_KINDS: tuple[ItemKind, ...] = get_args(ItemKind)


@dataclass(frozen=True, slots=True)
class Item:
    """One thing that `require` asks for.

    `kind` is the wording before the name (``mfa``, ``proof``, ``device passes`` …), `within` a limit in seconds.
    """

    kind: ItemKind
    name: str = ""
    within: int | None = None
    extent: Extent = field(default=NOWHERE, compare=False)
    name_extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class AllOf:
    """Every part of a formula must be met."""

    parts: tuple[Formula, ...]
    extent: Extent = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class AnyOf:
    """One part of a formula is enough."""

    parts: tuple[Formula, ...]
    extent: Extent = field(default=NOWHERE, compare=False)


Formula = Item | AllOf | AnyOf

# Kinds of item in the order in which ties between them are settled.
NAMED_ITEMS: dict[ItemKind, str] = {"proof": "proof", "device passes": "standard", "notice": "notice"}
TIMED_ITEMS: tuple[ItemKind, ...] = ("mfa", "proof")


def items_of(formula: Formula) -> Iterator[Item]:
    """Yield the items of a formula in the order written."""
    if isinstance(formula, Item):
        yield formula
    else:
        for part in formula.parts:
            yield from items_of(part)


def tests_of(condition: Condition) -> Iterator[Test]:
    """Yield the tests of a condition in the order written."""
    if isinstance(condition, And | Or):
        for part in condition.parts:
            yield from tests_of(part)
    elif isinstance(condition, Not | Surely):
        yield from tests_of(condition.part)
    else:
        yield condition
