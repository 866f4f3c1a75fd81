"""Which tests made a condition come out as it did."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.decide.interpreter.judge import Verdict
from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN
from caddrel.core.language.nodes import And, During, FactTest, FromPlace, Not, Or, Passes, Surely


def decisive(verdict: Verdict, wanted_true: bool = True) -> Iterator[tuple[Verdict, bool]]:
    """Yield the tests that made a condition so, each with whether it speaks as true; where none did, the unknown ones.

    Parameters
    ----------
    wanted_true
        Whether to tell why it is true, or why it is false.
    """
    match verdict.node:
        case And() | Or():
            wanted = TRUE if wanted_true else FALSE
            parts = [p for p in verdict.parts if p.truth is wanted] or [p for p in verdict.parts if p.truth is UNKNOWN]
            if isinstance(verdict.node, And) == wanted_true:
                parts = list(verdict.parts)
            for part in parts:
                yield from decisive(part, wanted_true)
        case Not():
            yield from decisive(verdict.parts[0], not wanted_true)
        case Surely() if verdict.truth is TRUE:
            yield from decisive(verdict.parts[0], wanted_true)
        case Surely() | FactTest() | FromPlace() | Passes() | During():
            yield verdict, wanted_true
