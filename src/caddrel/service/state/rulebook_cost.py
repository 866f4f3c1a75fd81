"""Measuring what a rulebook costs to decide under, and refusing what costs too much."""

from __future__ import annotations

import time

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.cost import MOST_SECONDS, MOST_STEPS, Cost, cost_diagnostic, cost_of
from caddrel.core.diagnostics import RulebookError
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.state.caches import ByObject, Caches
from caddrel.wire.rulebooks import CostView

# Of those compiled the last alone are wanted again, and they are large.
MOST_REMEMBERED, MOST_COMPILED = 32, 2


class Costs:
    """What rulebooks cost, each measured once while it is at hand."""

    def __init__(self, caches: Caches) -> None:
        self._known: ByObject[Rulebook, Cost] = ByObject(caches.make("costs", MOST_REMEMBERED))
        self._compiled: ByObject[Rulebook, CompiledRulebook] = ByObject(caches.make("costs-compiled", MOST_COMPILED))

    def of(self, rulebook: Rulebook) -> Cost:
        """Return what a rulebook costs."""
        return self._known.once(rulebook, lambda one: cost_of(one, time.thread_time, self._made(one)))

    def compiled(self, rulebook: Rulebook) -> CompiledRulebook:
        """Return a rulebook compiled: once for what it costs and whom it locks out."""
        # Measured first: by what decisions before remember, those that are measured would have less to do.
        self.of(rulebook)
        return self._made(rulebook)

    def _made(self, rulebook: Rulebook) -> CompiledRulebook:
        return self._compiled.once(rulebook, CompiledRulebook)


def cost_view(costs: Costs, rulebook: Rulebook) -> CostView:
    """Return what a rulebook costs as it travels."""
    cost = costs.of(rulebook)
    milliseconds = None if cost.seconds is None else round(cost.seconds * 1000, 2)
    return CostView(cost.steps, milliseconds, MOST_STEPS, int(MOST_SECONDS * 1000), cost.fits)


def check_cost(costs: Costs, rulebook: Rulebook) -> None:
    """Refuse a rulebook under which a decision would cost too much.

    Raises
    ------
    RulebookError
        Saying by how much.
    """
    cost = costs.of(rulebook)
    if not cost.fits:
        raise RulebookError([cost_diagnostic(cost)])
