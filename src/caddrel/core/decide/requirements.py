"""When requirement items are met or attainable, and a smallest set that is still outstanding."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from functools import reduce
from itertools import combinations
from operator import and_, or_
from typing import NamedTuple

from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN, Truth, truth_of
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import PartlyRead, Value
from caddrel.core.language.nodes import ITEM_KINDS, AllOf, AnyOf, Formula, Item, ItemKind, items_of
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
FACT_ITEMS: dict[ItemKind, tuple[str, Value]] = {
    "managed device": ("device.managed", True),
    "company device": ("device.owner", "company"),
    "vetted client": ("client.vetted", True),
    "protected client": ("client.protected", True),
}


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
            case "managed device" | "company device" | "vetted client" | "protected client" as kind:
                fact, wanted = FACT_ITEMS[kind]
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
        match item.kind:
            case "notice" | "new password":
                return True
            case "device passes" | "managed device" | "company device" | "vetted client" | "protected client":
                return False
            case "mfa" | "proof":
                return self._can_prove(item, factors)

    def _can_prove(self, item: Item, factors: frozenset[str] | None) -> bool:
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
            case "managed device" | "company device" | "vetted client" | "protected client" as kind:
                return frozenset({FACT_ITEMS[kind][0]})
            case "device passes":
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
    """Return a set that makes all formulas hold: each time the item after which most do, then without what is spare."""
    search = _Greedy(formulas, items, met)
    while search.take_best():
        pass
    return search.without_spare()


class _Greedy:
    """Takes items in turn.

    Of each formula it knows the items any one of which would make it hold, as a number with a bit for each: an item
    that was taken changes those formulas alone that have it, or one that it covers.
    """

    def __init__(self, formulas: Sequence[Formula], items: Sequence[Item], met: Callable[[Item], bool]) -> None:
        self._formulas, self._items, self._met = formulas, items, met
        self._everything = (1 << len(items)) - 1
        self._chosen: list[int] = []
        self._family: dict[tuple[str, str], list[int]] = {}
        for number, formula in enumerate(formulas):
            for key in dict.fromkeys((item.kind, item.name) for item in items_of(formula)):
                self._family.setdefault(key, []).append(number)
        kin: dict[tuple[str, str], list[int]] = {}
        for i, item in enumerate(items):
            kin.setdefault((item.kind, item.name), []).append(i)
        self._kin = kin
        self._gains = [0] * len(items)
        self._enough: dict[int, int] = {}
        for number in range(len(formulas)):
            self._look(number)

    def _look(self, number: int) -> None:
        """Find out which items would make a formula hold; one that holds already is done with."""
        before, now = self._enough.pop(number, 0), self._sets(self._formulas[number], self._chosen)
        holds = now == self._everything and formula_holds(self._formulas[number], self._counts(self._chosen))
        for i in _bits(before):
            self._gains[i] -= 1
        if not holds:
            self._enough[number] = now
            for i in _bits(now):
                self._gains[i] += 1

    def _counts(self, chosen: Iterable[int]) -> Callable[[Item], bool]:
        held = [self._items[i] for i in chosen]
        return lambda item: self._met(item) or any(covers(each, item) for each in held)

    def _sets(self, formula: Formula, chosen: Sequence[int]) -> int:
        match formula:
            case Item():
                own = self._kin.get((formula.kind, formula.name), ())
                if self._met(formula) or any(i in chosen and covers(self._items[i], formula) for i in own):
                    return self._everything
                return sum(1 << i for i in own if covers(self._items[i], formula))
            case AllOf(parts=parts):
                return reduce(and_, (self._sets(part, chosen) for part in parts), self._everything)
            case AnyOf(parts=parts):
                return reduce(or_, (self._sets(part, chosen) for part in parts), 0)

    def take_best(self) -> bool:
        """Take the item after which most formulas hold, of equal ones the first; tell whether there was one to take."""
        left = [i for i in range(len(self._items)) if i not in self._chosen]
        if not self._enough or not left:
            return False
        best = max(left, key=self._gains.__getitem__)
        self._chosen.append(best)
        item = self._items[best]
        for number in self._family.get((item.kind, item.name), ()):
            if number in self._enough:
                self._look(number)
        return True

    def without_spare(self) -> tuple[Item, ...]:
        """Return what was taken without what is not needed, looked for from the last taken on."""
        kept = list(self._chosen)
        for i in reversed(self._chosen):
            rest = [each for each in kept if each != i]
            item = self._items[i]
            touched = self._family.get((item.kind, item.name), ())
            counts = self._counts(rest)
            if all(formula_holds(self._formulas[number], counts) for number in touched):
                kept = rest
        return tuple(self._items[i] for i in sorted(kept))


def _bits(number: int) -> Iterable[int]:
    while number:
        lowest = number & -number
        yield lowest.bit_length() - 1
        number ^= lowest
