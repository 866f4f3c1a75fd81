"""When requirement items are met or attainable, and a smallest set that is still outstanding."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from functools import reduce
from itertools import combinations
from operator import and_, or_
from typing import NamedTuple

from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN, Truth, truth_of
from caddrel.core.facts.completion import Facts
from caddrel.core.facts.types import PartlyRead
from caddrel.core.language.nodes import ITEM_KINDS, AllOf, AnyOf, Formula, Item, items_of
from caddrel.core.rulebook.model import Rulebook

CLASSES = {
    "knowledge": frozenset({"pwd", "pin", "kba"}),
    "possession": frozenset({"otp", "sms", "tel", "swk", "hwk", "pop", "sc", "starter-code"}),
    "inherence": frozenset({"face", "fpt", "iris", "retina", "vbm"}),
}
YIELDS = {
    "password": ("pwd",),
    "authenticator-app": ("otp",),
    "text-message": ("sms",),
    "push": ("swk", "mca"),
    "security-key": ("hwk", "pop"),
    "passkey": ("swk", "pop", "user", "fpt"),
    "certificate": ("sc",),
    "starter-code": ("starter-code",),
}
_FACT_ITEMS = {
    "managed device": ("device.managed", True),
    "company device": ("device.owner", "company"),
    "vetted client": ("client.vetted", True),
    "protected client": ("client.protected", True),
}
_ALWAYS_ATTAINABLE = ("notice", "new password")


def item_order(item: Item) -> tuple[int, str, float]:
    """Return the place of an item among others: table order, name, shortest limit first."""
    return ITEM_KINDS.index(item.kind), item.name, float("inf") if item.within is None else item.within


def is_mfa(methods: Iterable[str]) -> bool:
    """Tell whether methods amount to MFA: ``mfa`` itself, or methods of two classes."""
    held = methods if isinstance(methods, set | frozenset | dict) else set(methods)
    if "mfa" in held:
        return True
    classes = 0
    for members in CLASSES.values():
        if not members.isdisjoint(held):
            if classes:
                return True
            classes = 1
    return False


class Requirements:
    """Judges requirement items for one attempt.

    Parameters
    ----------
    standard
        Gives the truth of a device standard.
    """

    def __init__(self, rulebook: Rulebook, facts: Facts, standard: Callable[[str], Truth]) -> None:
        self._rulebook = rulebook
        self._values = facts.values
        self._default_age = facts.default_age
        self._standard = standard
        factors = facts.values.get("person.factors")
        self.factors: frozenset[str] | None = factors if isinstance(factors, frozenset) else None
        methods = facts.values.get("auth.methods")
        self._methods = methods if isinstance(methods, dict) else None
        # Beside them others were reported that nobody understands: each could be any.
        self._others = isinstance(methods, PartlyRead)
        self._met: dict[Item, Truth] = {}

    def met(self, item: Item) -> Truth:
        """Return whether an item is met; unknown when its facts are."""
        if item not in self._met:
            self._met[item] = self._judge(item)
        return self._met[item]

    def state(self, item: Item) -> int:
        """Return all that combining asks of an item: 0 met, 1 not met, 2 unknown; 3 and 4 when also attainable."""
        met = self._judge(item)
        if met is TRUE:
            return 0
        return (2 if met is UNKNOWN else 1) + (2 if self.attainable(item) else 0)

    def _judge(self, item: Item) -> Truth:
        match item.kind:
            case "mfa" | "proof":
                return self._methods_meet(item)
            case "device passes":
                return self._standard(item.name)
            case "notice":
                notices = self._values.get("auth.notices")
                return truth_of(item.name in notices) if isinstance(notices, frozenset) else UNKNOWN
            case "new password":
                if self._methods is not None and "password-changed" in self._methods:
                    return TRUE
                return UNKNOWN if self._methods is None or self._others else FALSE
            case kind:
                fact, wanted = _FACT_ITEMS[kind]
                value = self._values.get(fact)
                return UNKNOWN if value is None else truth_of(value == wanted)

    def _methods_meet(self, item: Item) -> Truth:
        if self._methods is None:
            return UNKNOWN
        if self._suffices(item, self._fresh(item, unaged=False)):
            return TRUE
        if self._others:
            return UNKNOWN
        if item.within is None:
            return FALSE
        return UNKNOWN if self._suffices(item, self._fresh(item, unaged=True)) else FALSE

    def _fresh(self, item: Item, unaged: bool) -> Collection[str]:
        """Return the methods that count; with `unaged` also those whose age is unknown."""
        if item.within is None:
            return self._methods or {}
        fresh = set()
        for name, own in (self._methods or {}).items():
            age = self._default_age if own is None else own
            if (age is None and unaged) or (age is not None and age <= item.within):
                fresh.add(name)
        return fresh

    def _suffices(self, item: Item, methods: Collection[str]) -> bool:
        if item.kind == "mfa":
            return is_mfa(methods)
        return any(combination.issubset(methods) for combination in self._rulebook.proofs[item.name].any_of)

    def attainable(self, item: Item, factors: frozenset[str] | None = None) -> bool:
        """Tell whether the person can meet an item during the sign-in.

        Unknown factors count as able to; `factors` stands for them when given.
        """
        if item.kind in _ALWAYS_ATTAINABLE:
            return True
        if item.kind not in {"mfa", "proof"}:
            return False
        held = self.factors if self.factors is not None else factors
        if held is None:
            return True
        yielded = {method for factor in held for method in YIELDS.get(factor, ())}
        return self._suffices(item, yielded.union(self._fresh(item, unaged=False)))

    def unknown_facts(self, item: Item) -> frozenset[str]:
        """Return the facts that an unknown item lacks; a standard's own are told by its judge."""
        match item.kind:
            case "mfa" | "proof":
                if self._methods is None:
                    return frozenset({"auth.methods"})
                unaged = item.within is not None and self._suffices(item, self._fresh(item, unaged=True))
                found = {"auth.methods"} if self._others else set()
                return frozenset(found | ({"auth.age"} if unaged else set()))
            case "new password":
                return frozenset({"auth.methods"})
            case "notice":
                return frozenset({"auth.notices"})
            case kind if kind in _FACT_ITEMS:
                return frozenset({_FACT_ITEMS[kind][0]})
            case _:
                return frozenset()


def formula_holds(formula: Formula, counts: Callable[[Item], bool]) -> bool:
    """Tell whether a formula holds when just the items that `counts` accepts are met."""
    match formula:
        case Item():
            return counts(formula)
        case AllOf(parts=parts):
            return all(formula_holds(p, counts) for p in parts)
        case AnyOf(parts=parts):
            return any(formula_holds(p, counts) for p in parts)


def covers(attained: Item, wanted: Item) -> bool:
    """Tell whether attaining one item meets another: the same, with a limit at least as short."""
    if (attained.kind, attained.name) != (wanted.kind, wanted.name):
        return False
    if attained.within is None or wanted.within is None:
        return wanted.within is None
    return attained.within <= wanted.within


# Up to so many candidates the smallest set is searched for in full: a table of all their sets has 4096 entries.
MOST_SEARCHED = 12


class Outstanding(NamedTuple):
    """Items that together make all formulas hold; `smallest` unless the search for them was cut."""

    items: tuple[Item, ...]
    smallest: bool


def outstanding(formulas: Iterable[Formula], candidates: Iterable[Item], met: Callable[[Item], bool]) -> Outstanding:
    """Return a smallest set of candidates that makes all formulas hold; ties by item order.

    With more than `MOST_SEARCHED` candidates a small one, in time that grows with the length of the formulas alone.

    Parameters
    ----------
    formulas
        Each as often as it is required; with all candidates met, all hold.
    """
    items = sorted(set(candidates), key=item_order)
    needed = list(formulas)
    if len(items) > MOST_SEARCHED:
        return Outstanding(_greedy(needed, items, met), False)
    holding = _holding_sets(needed, items, met)
    for size in range(len(items) + 1):
        for chosen in combinations(range(len(items)), size):
            if holding >> sum(1 << i for i in chosen) & 1:
                return Outstanding(tuple(items[i] for i in chosen), True)
    return Outstanding(tuple(items), True)


def _holding_sets(formulas: Iterable[Formula], items: Sequence[Item], met: Callable[[Item], bool]) -> int:
    """Return the sets of items with which all formulas hold, a bit for each: its number has a bit for each item."""
    everything = (1 << (1 << len(items))) - 1
    # The sets that hold item i: blocks of 2**i bits, every other one.
    having = [everything // ((1 << (1 << i)) + 1) << (1 << i) for i in range(len(items))]
    known: dict[Item, int] = {}

    def of_item(item: Item) -> int:
        if item not in known:
            sets = everything if met(item) else 0
            for i, each in enumerate(items):
                if covers(each, item):
                    sets |= having[i]
            known[item] = sets
        return known[item]

    def of_formula(formula: Formula) -> int:
        match formula:
            case Item():
                return of_item(formula)
            case AllOf(parts=parts):
                return reduce(and_, map(of_formula, parts), everything)
            case AnyOf(parts=parts):
                return reduce(or_, map(of_formula, parts), 0)

    return reduce(and_, map(of_formula, dict.fromkeys(formulas)), everything)


def _greedy(formulas: Sequence[Formula], items: Sequence[Item], met: Callable[[Item], bool]) -> tuple[Item, ...]:
    """Return a set that makes all formulas hold: each time the item after which most do, then without what is spare.

    Of an item only the formulas are looked at that have it, or one that it covers.
    """
    family: dict[tuple[str, str], list[int]] = {}
    for number, formula in enumerate(formulas):
        for key in dict.fromkeys((item.kind, item.name) for item in items_of(formula)):
            family.setdefault(key, []).append(number)
    chosen: dict[Item, None] = {}

    def holds(number: int, without: Item | None = None, also: Item | None = None) -> bool:
        def counts(item: Item) -> bool:
            if met(item) or (also is not None and covers(also, item)):
                return True
            kin = chosen_kin.get((item.kind, item.name), ())
            return any(each != without and covers(each, item) for each in kin)

        return formula_holds(formulas[number], counts)

    chosen_kin: dict[tuple[str, str], list[Item]] = {}
    open_ = {number for number in range(len(formulas)) if not holds(number)}
    gains: dict[Item, int] = {}
    stale = set(items)
    while open_:
        for item in stale:
            touched = family.get((item.kind, item.name), ())
            gains[item] = sum(number in open_ and holds(number, also=item) for number in touched)
        best = max((item for item in items if item not in chosen), key=lambda item: gains[item], default=None)
        if best is None:
            break
        chosen[best] = None
        chosen_kin.setdefault((best.kind, best.name), []).append(best)
        touched = [number for number in family.get((best.kind, best.name), ()) if number in open_]
        # What was taken changes the worth of those alone that stand in a formula with it.
        near = {(item.kind, item.name) for number in touched for item in items_of(formulas[number])}
        stale = {item for item in items if (item.kind, item.name) in near and item not in chosen}
        open_.difference_update([number for number in touched if holds(number)])
    for item in reversed(list(chosen)):
        touched = family.get((item.kind, item.name), ())
        if all(holds(number, without=item) for number in touched):
            del chosen[item]
            chosen_kin[item.kind, item.name].remove(item)
    return tuple(sorted(chosen, key=item_order))
