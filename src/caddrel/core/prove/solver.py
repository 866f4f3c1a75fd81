"""Asking the solver: one question after another about the same attempts."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import z3
from z3 import z3core

from caddrel.core.prove.logic import Logic, stated
from caddrel.core.prove.space import Space


class TooLate(Exception):
    """Time has run out before there was an answer."""


class Solver:
    """Finds attempts.

    Parameters
    ----------
    left
        Tells how many seconds are left.
    """

    def __init__(self, space: Space, left: Callable[[], float]) -> None:
        self._solver = z3.SolverFor("QF_FD")
        self._add(space.rules)
        self._added = len(space.rules)
        self._space = space
        self.left = left
        self._limit = 0.0

    def find(self, *wanted: Logic) -> Any:
        """Return a model in which all that is wanted holds, None where there is none.

        Raises
        ------
        TooLate
            When it cannot be told in time.
        MemoryError
            When there is not enough.
        """
        return self._asked(wanted, self._solver.model)

    def has(self, *wanted: Logic) -> bool:
        """Tell whether there is a model in which all that is wanted holds; which one takes longer to tell.

        Raises
        ------
        TooLate, MemoryError
            As `find` does.
        """
        return self._asked(wanted, lambda: True) is not None

    def _add(self, parts: Iterable[z3.BoolRef]) -> None:
        # Straight to the solver: to look what each part is takes longer than to take it in.
        context, solver = z3.main_ctx().ref(), self._solver.solver
        for part in parts:
            z3core.Z3_solver_assert(context, solver, part.ast)

    def _asked(self, wanted: Sequence[Logic], found: Callable[[], Any]) -> Any:
        if any(each is False for each in wanted):
            return None
        # Lists that are not at hand are made when they are first asked for.
        if len(self._space.rules) > self._added:
            self._add(self._space.rules[self._added :])
            self._added = len(self._space.rules)
        left = self.left()
        if left <= 0:
            raise TooLate
        if not left <= self._limit <= 2 * left:
            # To say it anew each time takes a while; so nothing goes on for more than twice as long as it may.
            self._limit = left
            self._solver.set("timeout", max(1, int(left * 1000)))
        self._solver.push()
        try:
            return self._answer(wanted, found)
        except z3.Z3Exception as error:
            if "memory" in str(error):
                raise MemoryError from error
            raise
        finally:
            self._solver.pop()

    def _answer(self, wanted: Sequence[Logic], found: Callable[[], Any]) -> Any:
        self._add([stated(each) for each in wanted if each is not True])
        answer = self._solver.check()
        if answer == z3.sat:
            return found()
        if answer == z3.unknown:
            raise TooLate
        return None
