"""Requirements for a batch of attempts: met, and attainable during the sign-in.

A reading of section 5 of its own. Not here: which formulas a decision asks for (`columnar.rulebook`).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from typing import Any, assert_never

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import BIT, Batch, Bits, Flags, Rows, different_of
from caddrel.core.columnar.conditions import Conditions
from caddrel.core.columnar.group_tables import GroupTables
from caddrel.core.columnar.levels import FALSE, TRUE, UNKNOWN, Levels
from caddrel.core.columnar.methods_within import MethodsWithin
from caddrel.core.language.nodes import AllOf, AnyOf, Formula, Item
from caddrel.core.rulebook.model import Rulebook


def _mask(*names: str) -> np.uint32:
    return np.uint32(sum(BIT[name] for name in names))


_CLASSES = (
    _mask("pwd", "pin", "kba"),
    _mask("otp", "sms", "tel", "swk", "hwk", "pop", "sc", "starter-code"),
    _mask("face", "fpt", "iris", "retina", "vbm"),
)
_MFA = _mask("mfa")
_YIELDED = {
    "password": _mask("pwd"),
    "authenticator-app": _mask("otp"),
    "text-message": _mask("sms"),
    "push": _mask("swk", "mca"),
    "security-key": _mask("hwk", "pop"),
    "passkey": _mask("swk", "pop", "user", "fpt"),
    "certificate": _mask("sc"),
    "starter-code": _mask("starter-code"),
}
_FACTS = {
    "managed device": ("device", "device.managed", True),
    "company device": ("device", "device.owner", "company"),
    "vetted client": ("attempt", "client.vetted", True),
    "protected client": ("attempt", "client.protected", True),
}


Bits8 = NDArray[np.uint8]
# The ways in which a formula may hold, a bit each: with what is met; with what can be met too; the same as if unknown
# factors were none. And in the mild reading, in which what is not known counts as met.
MET, REACHED, REACHED_WITHOUT, MET_MILDLY, REACHED_MILDLY = (np.uint8(1 << place) for place in range(5))
MILD_WAYS = MET_MILDLY | REACHED_MILDLY
EVERY_WAY = np.uint8(0xFF)


def factors(tables: GroupTables) -> tuple[Flags, Bits]:
    """Return for each person whether the factors are known, and what methods they yield, a bit each."""
    held, places = tables.facts["person"].column("person.factors")
    known = [isinstance(each, frozenset) for each in held]
    yields = [
        np.bitwise_or.reduce([_YIELDED.get(factor, np.uint32(0)) for factor in each] or [np.uint32(0)])
        if isinstance(each, frozenset)
        else np.uint32(0)
        for each in held
    ]
    return np.array(known, np.bool_)[places], np.array(yields, np.uint32)[places]


def fact_asked(item: Item, tables: GroupTables) -> tuple[str, Levels] | None:
    """Return the group of the one fact that an item asks for, and its truth for each entry; None of any other item."""
    if item.kind == "notice":
        return "attempt", _levels(tables, "attempt", "auth.notices", lambda held: item.name in held)
    if item.kind in _FACTS:
        group, fact, wanted = _FACTS[item.kind]
        return group, _levels(tables, group, fact, lambda value: value == wanted)
    return None


def _levels(tables: GroupTables, group: str, fact: str, holds: Callable[[Any], bool]) -> Levels:
    return tables.facts[group].of(fact, lambda value: UNKNOWN if value is None else TRUE if holds(value) else FALSE)


class RequirementItems:
    """Items of one rulebook, asked of one batch; each is worked out once, for all rows."""

    def __init__(self, rulebook: Rulebook, batch: Batch, tables: GroupTables, conditions: Conditions) -> None:
        self._rulebook, self._batch, self._tables, self._conditions = rulebook, batch, tables, conditions
        self._ways: dict[Formula, Bits8] = {}
        self._within = MethodsWithin(batch.methods)
        # Which methods count is of few kinds: by their limit the different ones, and which of them each row has.
        self._kinds: dict[tuple[str, int | None], tuple[Bits, Rows]] = {}
        known, yielded = factors(tables)
        codes = batch.codes["person"]
        self.factors_known: Flags = known[codes]
        self._yielded: Bits = yielded[codes]

    def ways(self, formula: Formula) -> Bits8:
        """Return the ways in which a formula holds, for every row."""
        found = self._ways.get(formula)
        if found is None:
            found = self._ways[formula] = self._hold(formula)
        return found

    def _hold(self, formula: Formula) -> Bits8:
        match formula:
            case Item():
                return self._of_item(formula)
            case AllOf(parts=parts):
                return reduce(np.bitwise_and, [self.ways(part) for part in parts])
            case AnyOf(parts=parts):
                return reduce(np.bitwise_or, [self.ways(part) for part in parts])
            case _:
                assert_never(formula)

    def _of_item(self, item: Item) -> Bits8:
        level = self._judge(item)
        met, perhaps = level == TRUE, level != FALSE
        can, without = self._reach(item)
        found: Bits8 = (
            met * MET
            | (met | can) * REACHED
            | (met | without) * REACHED_WITHOUT
            | perhaps * MET_MILDLY
            | (perhaps | can) * REACHED_MILDLY
        )
        return found

    def _judge(self, item: Item) -> Levels:
        batch = self._batch
        match item.kind:
            case "mfa" | "proof":
                return self._methods(item)
            case "device passes":
                return self._conditions.standard(item.name)
            case "new password":
                methods = batch.methods
                done = methods.known & (methods.used & np.uint32(BIT["password-changed"]) != 0)
                open_ = ~methods.known | methods.partly
                return np.where(done, np.uint8(TRUE), np.where(open_, np.uint8(UNKNOWN), np.uint8(FALSE)))
            case "notice" | "managed device" | "company device" | "vetted client" | "protected client":
                asked = fact_asked(item, self._tables)
                assert asked is not None
                group, levels = asked
                return levels[batch.codes[group]]
            case _:
                assert_never(item.kind)

    def _methods(self, item: Item) -> Levels:
        methods = self._batch.methods
        met = methods.known & self._enough(item, "fresh")
        # What was reported and nobody understands may do; so may what was used nobody knows when.
        open_ = ~methods.known | methods.partly | self._enough(item, "perhaps")
        return np.where(met, np.uint8(TRUE), np.where(open_, np.uint8(UNKNOWN), np.uint8(FALSE)))

    def _enough(self, item: Item, which: str) -> Flags:
        """Return for every row whether methods are enough: those that count, that may, or that can be given too."""
        key = which, item.within
        kinds = self._kinds.get(key)
        if kinds is None:
            kinds = self._kinds[key] = self._kinds_of(item.within, which)
        different, codes = kinds
        return self._test(item)(different.astype(np.uint32))[codes]

    def _kinds_of(self, within: int | None, which: str) -> tuple[Bits, Rows]:
        fresh, perhaps = self._within.counting(within)
        if which == "given":
            return different_of(fresh | self._yielded)
        if which == "perhaps" and perhaps is fresh and ("fresh", within) in self._kinds:
            return self._kinds["fresh", within]
        return different_of(fresh if which == "fresh" else perhaps)

    def _test(self, item: Item) -> Callable[[Bits], Flags]:
        if item.kind == "mfa":

            def two(held: Bits) -> Flags:
                classes = [(held & each != 0).astype(np.uint8) for each in _CLASSES]
                found: Flags = (held & _MFA != 0) | (np.sum(classes, axis=0) >= 2)
                return found

            return two
        combinations = [_mask(*each) for each in self._rulebook.proofs[item.name].any_of]

        def any_of(held: Bits) -> Flags:
            found = np.zeros(len(held), np.bool_)
            for wanted in combinations:
                found |= held & wanted == wanted
            return found

        return any_of

    def _reach(self, item: Item) -> tuple[Flags, Flags]:
        count = self._batch.count
        match item.kind:
            case "notice" | "new password":
                always = np.ones(count, np.bool_)
                return always, always
            case "device passes" | "managed device" | "company device" | "vetted client" | "protected client":
                never = np.zeros(count, np.bool_)
                return never, never
            case "mfa" | "proof":
                # Of unknown factors none are held here: nothing was yielded by them.
                without = self._enough(item, "given")
                return without | ~self.factors_known, without
            case _:
                assert_never(item.kind)
