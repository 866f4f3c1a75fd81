"""When requirement items are met or attainable, and the smallest set that is still outstanding."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable

from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN, Truth, truth_of
from caddrel.core.facts.completion import Facts
from caddrel.core.language.nodes import ITEM_KINDS, AllOf, AnyOf, Formula, Item
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
                return UNKNOWN if self._methods is None else truth_of("password-changed" in self._methods)
            case kind:
                fact, wanted = _FACT_ITEMS[kind]
                value = self._values.get(fact)
                return UNKNOWN if value is None else truth_of(value == wanted)

    def _methods_meet(self, item: Item) -> Truth:
        if self._methods is None:
            return UNKNOWN
        if self._suffices(item, self._fresh(item, unaged=False)):
            return TRUE
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
                return frozenset({"auth.methods" if self._methods is None else "auth.age"})
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


def smallest(formulas: list[Formula], candidates: list[Item], met: Callable[[Item], bool]) -> tuple[Item, ...]:
    """Return the smallest set of candidates that makes all formulas hold; ties by item order.

    Sets are tried by size and, within a size, in order, so the first that fits is the answer.
    """
    search = _Search(formulas, candidates, met)
    for size in range(search.needed([]), len(search.items) + 1):
        found = search.find(0, [], size)
        if found is not None:
            return tuple(found)
    return tuple(search.items)


class _Search:
    """Looks for sets of one size; two bounds keep hostile formulas cheap.

    What is left must still be able to make all hold, and clauses without an item in common need one item each.
    """

    def __init__(self, formulas: list[Formula], candidates: list[Item], met: Callable[[Item], bool]) -> None:
        self.items = sorted(set(candidates), key=item_order)
        self.clauses = list(_clauses(formulas))
        self.families = [{(i.kind, i.name) for i in self._useful(clause)} for clause in self.clauses]
        self.met = met

    def _useful(self, formula: Formula) -> list[Item]:
        if isinstance(formula, Item):
            return [item for item in self.items if covers(item, formula)]
        return [item for part in formula.parts for item in self._useful(part)]

    def _holds(self, clause: Formula, chosen: list[Item]) -> bool:
        return formula_holds(clause, lambda item: self.met(item) or any(covers(c, item) for c in chosen))

    def needed(self, chosen: list[Item]) -> int:
        """Return a number of further items that there must at least be."""
        used: set[tuple[str, str]] = set()
        count = 0
        for clause, families in zip(self.clauses, self.families, strict=True):
            if not families & used and not self._holds(clause, chosen):
                used |= families
                count += 1
        return count

    def find(self, start: int, chosen: list[Item], left: int) -> list[Item] | None:
        """Return the first set that adds `left` items from `start` on and makes all hold."""
        if left == 0:
            return chosen if all(self._holds(clause, chosen) for clause in self.clauses) else None
        rest = [*chosen, *self.items[start:]]
        if self.needed(chosen) > left or not all(self._holds(clause, rest) for clause in self.clauses):
            return None
        for i in range(start, len(self.items) - left + 1):
            found = self.find(i + 1, [*chosen, self.items[i]], left - 1)
            if found is not None:
                return found
        return None


def _clauses(formulas: Iterable[Formula]) -> Iterable[Formula]:
    for formula in formulas:
        if isinstance(formula, AllOf):
            yield from _clauses(formula.parts)
        else:
            yield formula
