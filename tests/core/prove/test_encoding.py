"""What the solver is told of a rulebook is what the interpreter says, attempt by attempt."""

from __future__ import annotations

from typing import Any

from hypothesis import HealthCheck, assume, given, settings
from tests.core.prove.solved import PLENTY, encoded, fixed
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.prove.encoding import OUTCOMES
from caddrel.core.prove.solver import Solver
from caddrel.core.prove.witness import attempt_of, explained
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

slow = settings(
    max_examples=60, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much], deadline=None
)
SETTLED = {"auth.credentials", "auth.locked_out"}


@given(rulebooks(), attempts())
@slow
def test_an_attempt_comes_to_what_the_interpreter_says(text: str, attempt: dict[str, Any]) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    try:
        reported = read_facts(attempt, rulebook.catalogue)
    except AttemptRefused:
        assume(False)
        return
    reported = {name: value for name, value in reported.items() if name not in SETTLED}
    facts = complete(reported, rulebook.catalogue, rulebook.settings.assume)
    space, _, outcome = encoded(rulebook)
    solver = Solver(space, lambda: PLENTY)
    held = fixed(space, facts)
    # What no device can be is no attempt that is spoken of.
    assume(solver.find(*held) is not None)
    expected = decide(rulebook, facts).outcome
    possible = [each for each in OUTCOMES if solver.find(*held, outcome.of(each)) is not None]
    assert possible == [expected]


@given(rulebooks())
@slow
def test_what_is_found_is_an_attempt_that_comes_to_it(text: str) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    space, _, outcome = encoded(rulebook)
    solver = Solver(space, lambda: PLENTY)
    for known in (True, space.know_all()):
        for each in OUTCOMES:
            model = solver.find(outcome.of(each), known)
            if model is not None:
                attempt = attempt_of(space, model)
                assert explained(rulebook, attempt, None).decision.outcome == each, attempt
