"""Enrolling, rehearsed: what can come of it, and whether only a starter code gets past.

Not here: the steps to a first device (`tracing.first_device`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from caddrel.core.cases.answer import Answer, all_cases
from caddrel.core.cases.reads import Reads
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.cases import cases_words
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.pieces import Sentence
from caddrel.service.state.context import State
from caddrel.service.state.titles import title_of
from caddrel.service.tracing.cases import known_addresses
from caddrel.service.tracing.completion import completed_now


@dataclass(frozen=True, slots=True)
class Tried:
    """What can come of an attempt; `why` is the sentence on what is known alone."""

    answer: Answer
    decision: Decision
    sentence: Sentence
    why: Sentence
    code: bool

    @property
    def closed(self) -> bool:
        """Whether nobody gets past it that way."""
        return self.answer.exact and self.answer.possible == ("blocked",)


def tried(
    state: State,
    rulebook: Rulebook,
    inventory: Inventory,
    facts: Facts,
    read: Reads,
    late: Callable[[], bool],
    changes: Mapping[str, Value] | None = None,
) -> Tried:
    """Return what can come of an attempt with other facts given; where nobody gets past it, with a starter code.

    Parameters
    ----------
    facts
        As completed: what was reported of them is taken, and completed anew.
    """
    given = {name: value for name, value in facts.values.items() if facts.origins[name] is Origin.REPORTED}
    given |= changes or {}
    plain = _tried(state, rulebook, inventory, given, read, late, False)
    if not plain.closed or given.get("operation") in {None, "sign-in"}:
        return plain
    held = given.get("person.factors", facts.values.get("person.factors"))
    coded: dict[str, Value] = {"auth.methods": {"pwd": 0.0, "starter-code": 0.0}}
    if isinstance(held, frozenset):
        coded["person.factors"] = held | {"starter-code"}
    code = _tried(state, rulebook, inventory, {**given, **coded}, read, late, True)
    return plain if code.closed else code


def _tried(
    state: State,
    rulebook: Rulebook,
    inventory: Inventory,
    given: Mapping[str, Value],
    read: Reads,
    late: Callable[[], bool],
    code: bool,
) -> Tried:
    facts = completed_now(state, rulebook, inventory, given)
    answer = all_cases(rulebook, facts, inventory, late, known_addresses(state), read)
    explained = explain(rulebook, facts)
    person = title_of(inventory, "people", facts.values.get("person.id"))
    said = cases_words(answer, rulebook, facts, person)
    return Tried(answer, explained.decision, said, decision_words(explained, person), code)
