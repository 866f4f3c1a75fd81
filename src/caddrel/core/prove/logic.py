"""Formulas for the solver, put together so that what is settled already takes no part in them."""

from __future__ import annotations

import ctypes
from collections.abc import Iterable, Sequence
from typing import Any

import z3
from z3 import z3core

# A formula: True or False where it is settled, else one of the solver's (`z3.BoolRef`), which has no types.
Logic = Any
# In a first pass, which only asks: neither true nor false, so that nothing is passed over; whatever has it is it.
SOME: Logic = z3.Bool("?")
_TRUTHS = z3.BoolSort()


def variable(name: str) -> z3.BoolRef:
    """Return the variable of a name."""
    # Straight to the solver, as all that is made by the thousand.
    context = z3.main_ctx()
    symbol = z3core.Z3_mk_string_symbol(context.ref(), name)
    return z3.BoolRef(z3core.Z3_mk_const(context.ref(), symbol, _TRUTHS.ast), context)


def all_of(parts: Iterable[Logic]) -> Logic:
    """Return the formula that holds where all parts do."""
    kept: list[Any] = []
    # All of them are made, also behind one that settles it: in a first pass each tells what it asks.
    for part in list(parts):
        if part is False:
            return False
        if part is SOME:
            return SOME
        if part is not True:
            kept.append(part)
    return _joined(z3core.Z3_mk_and, kept) if len(kept) > 1 else kept[0] if kept else True


def any_of(parts: Iterable[Logic]) -> Logic:
    """Return the formula that holds where one part does."""
    kept: list[Any] = []
    for part in list(parts):
        if part is True:
            return True
        if part is SOME:
            return SOME
        if part is not False:
            kept.append(part)
    return _joined(z3core.Z3_mk_or, kept) if len(kept) > 1 else kept[0] if kept else False


def _joined(make: Any, parts: list[Any]) -> Logic:
    # Straight to the solver: to look whether each part is a formula takes longer than all else, and they are.
    context = z3.main_ctx()
    return z3.BoolRef(make(context.ref(), len(parts), (z3.Ast * len(parts))(*[part.ast for part in parts])), context)


def just_one(parts: Sequence[z3.BoolRef]) -> z3.BoolRef:
    """Return the formula that holds where just one of several parts does."""
    context, many = z3.main_ctx(), len(parts)
    nodes, ones = (z3.Ast * many)(*[part.ast for part in parts]), (ctypes.c_int * many)(*[1] * many)
    return z3.BoolRef(z3core.Z3_mk_pbeq(context.ref(), many, nodes, ones, 1), context)


def is_true_in(model: Any, part: Logic) -> bool:
    """Tell whether a formula holds in a model; what the model leaves open does not."""
    if isinstance(part, bool):
        return part
    context = z3.main_ctx().ref()
    found = (z3.Ast * 1)()
    if not z3core.Z3_model_eval(context, model.model, part.ast, True, found):
        raise ValueError(f"{part} has no value in a model")
    return bool(z3core.Z3_get_bool_value(context, found[0]) == z3.Z3_L_TRUE)


def none_of(part: Logic) -> Logic:
    """Return the formula that holds where a part does not."""
    if isinstance(part, bool):
        return not part
    if part is SOME:
        return SOME
    context = z3.main_ctx()
    return z3.BoolRef(z3core.Z3_mk_not(context.ref(), part.ast), context)


def implies(one: Logic, other: Logic) -> Logic:
    """Return the formula that holds where the first does not, or the second does."""
    return any_of((none_of(one), other))


def differ(one: Logic, other: Logic) -> Logic:
    """Return the formula that holds where just one of two does."""
    if isinstance(one, bool):
        return none_of(other) if one else other
    if isinstance(other, bool):
        return none_of(one) if other else one
    if one is SOME or other is SOME:
        return SOME
    return False if one.eq(other) else z3.Xor(one, other)


def stated(part: Logic) -> z3.BoolRef:
    """Return a formula as the solver takes it."""
    return z3.BoolVal(part) if isinstance(part, bool) else part
