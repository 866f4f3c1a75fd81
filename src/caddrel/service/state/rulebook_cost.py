"""Measuring what a rulebook costs to decide under, and refusing what costs too much."""

from __future__ import annotations

import time
from collections import OrderedDict

from caddrel.core.decide.cost import MOST_SECONDS, MOST_STEPS, Cost, cost_diagnostic, cost_of
from caddrel.core.diagnostics import RulebookError
from caddrel.core.rulebook.model import Rulebook
from caddrel.wire.rulebooks import CostView

MOST_REMEMBERED = 32


class Costs:
    """What rulebooks cost, each measured once while it is at hand."""

    def __init__(self) -> None:
        self._known: OrderedDict[int, tuple[Rulebook, Cost]] = OrderedDict()

    def of(self, rulebook: Rulebook) -> Cost:
        """Return what a rulebook costs."""
        known = self._known.get(id(rulebook))
        if known is not None and known[0] is rulebook:
            return known[1]
        cost = cost_of(rulebook, time.thread_time)
        # Held with its rulebook, so that no other can come to stand in its place.
        self._known[id(rulebook)] = (rulebook, cost)
        while len(self._known) > MOST_REMEMBERED:
            self._known.popitem(last=False)
        return cost


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
