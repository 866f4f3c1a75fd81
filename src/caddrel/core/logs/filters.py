"""The log filter: a condition over all facts, and over what a record says beside them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import replace
from itertools import islice

from caddrel.core.diagnostics import Diagnostic, Span, shorten
from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.checker import Scope, check_condition
from caddrel.core.language.nodes import Condition, FactTest, Operand, tests_of
from caddrel.core.language.parser import parse_condition
from caddrel.core.meant import meant
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.rulebook.read.fields import NAMED

_T = FactType
# What a record says beside its facts.
RECORD_FACTS: Mapping[str, FactSpec] = {
    spec.name: spec
    for spec in (
        FactSpec("at", _T.MOMENT, "When it was: `time.at`."),
        FactSpec("outcome", _T.WORD, "What Caddrel decided.", OUTCOMES),
        FactSpec(
            "reason", _T.WORD, "Why it was blocked.", ("credentials", "locked-out", "effect", "closed", "unmeetable")
        ),
        FactSpec("certain", _T.FLAG, "Could missing facts not have changed it?"),
        FactSpec("policy", _T.NAME, "The policy that decided, the first of several."),
        FactSpec("rule", _T.NAME, "Its rule."),
        FactSpec("recorded", _T.NAME, "The outcome that the other system recorded."),
        FactSpec("shadow", _T.WORD, "The outcome with all shadow policies enforced.", OUTCOMES),
    )
}
# So many names of one filter are looked for elsewhere, each of which takes time; what comes after counts as known.
MOST_NAMES = 10
# Each is judged for everything that the log has seen of a fact.
MOST_TESTS = 100
_SECTIONS = ("places", "standards", "schedules", "proofs", "notices", "signals")


class FilterRefused(ValueError):
    """A filter that cannot be read; `problems` has every finding with its place in the text."""

    def __init__(self, problems: list[Diagnostic]) -> None:
        self.problems = problems
        super().__init__("; ".join(p.message for p in problems))


def for_log(rulebook: Rulebook) -> Rulebook:
    """Return the rulebook with the record's own facts among its attributes, so that conditions may test them."""
    catalogue = Catalogue({**rulebook.catalogue.attributes, **RECORD_FACTS})
    return replace(rulebook, catalogue=catalogue)


def read_filter(text: str, rulebook: Rulebook) -> Condition:
    """Return the condition of a filter; parts are those of the rulebook.

    Parameters
    ----------
    rulebook
        As `for_log` gives it.

    Raises
    ------
    FilterRefused
        Naming everything that is wrong, each at its place.
    """
    tree, problems = parse_condition(text)
    if tree is not None:
        scope = Scope(rulebook.catalogue, {section: tuple(getattr(rulebook, section)) for section in _SECTIONS})
        tree, problems = check_condition(tree, scope)
    if tree is None or any(p.severity == "error" for p in problems):
        raise FilterRefused([_placed(problem, text) for problem in problems])
    if sum(1 for _ in tests_of(tree)) > MOST_TESTS:
        said = f"a filter makes at most {MOST_TESTS} tests"
        raise FilterRefused(
            [_placed(Diagnostic("too-costly", said, "ask for several values in one: `is one of`"), text)]
        )
    return tree


def inventory_names(inventory: Inventory) -> dict[str, tuple[str, Collection[str]]]:
    """Return, by fact, what its values are names of and those that the inventory knows."""
    there = inventory.names()
    return {fact: (kind, there[kind]) for fact, kind in NAMED.items()}


def unknown_names(
    condition: Condition,
    text: str,
    named: Mapping[str, tuple[str, Collection[str]]],
    elsewhere: Callable[[FactTest, Operand], bool],
    otherwise: str,
) -> list[Diagnostic]:
    """Return a finding, at its place, for each name in a filter that nothing is called.

    A name of nothing finds nothing, and that looks like good news.

    Parameters
    ----------
    named
        By fact, what its values are names of, and those that there are; where there are none nothing is said.
    elsewhere
        Whether a name is known for something all the same.
    otherwise
        What is said of a name that is like no other.
    """
    strange = islice(_strange(condition, named), MOST_NAMES)
    return [
        _placed(
            Diagnostic(
                "unknown-word", f"there is no {kind} `{shorten(operand.text)}`",
                meant(operand.text, known, otherwise), extent=operand.extent,
            ),
            text,
        )
        for test, operand, kind, known in strange
        if not elsewhere(test, operand)
    ]  # fmt: skip


def _strange(
    condition: Condition, named: Mapping[str, tuple[str, Collection[str]]]
) -> Iterator[tuple[FactTest, Operand, str, Collection[str]]]:
    """Yield names that are not among those that there are, each once, with what they are names of."""
    seen: set[tuple[str, str]] = set()
    for test in tests_of(condition):
        if not isinstance(test, FactTest):
            continue
        kind, known = named.get(test.fact, ("", ()))
        for operand in test.operands if known else ():
            if operand.text not in known and (test.fact, operand.text) not in seen:
                seen.add((test.fact, operand.text))
                yield test, operand, kind, known


def _placed(problem: Diagnostic, text: str) -> Diagnostic:
    extent = problem.extent
    start, end = (extent.start, extent.end) if extent else (0, len(text))

    def at(offset: int) -> tuple[int, int]:
        before = text[:offset]
        return before.count("\n") + 1, offset - (before.rfind("\n") + 1) + 1

    return problem.within(Span("where", *at(start), *at(end)), "where")
