"""The coverage grid: what sign-ins of each audience to each app can meet in a context, by all cases at once.

The person and the app stay open, and one diagram holds the outcome of every case; a cell is what is left of it for the
people of an audience and one app. People and apps are those of the inventory where there is one; a device may be any.
Not here: words and layout, and who asks (`service.tracing.coverage`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams, TooLong
from caddrel.core.cases.encoding import NOWHERE, OUTCOMES, RESULTS, Encoder, tellings
from caddrel.core.cases.known_addresses import KnownAddresses
from caddrel.core.cases.reads import Reads, reads
from caddrel.core.cases.settled_tests import SettledTests, given_for_sure
from caddrel.core.cases.space import Space
from caddrel.core.decide.decision import Decision, RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.language.nodes import Condition, FactTest, Operand, Or, tests_of
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Policy, Rule, Rulebook

EVERYONE = "everyone"
# So many ways to be may people, or apps, have as the rulebook tells them apart: with more there is no time for all.
MOST_WAYS = 4_000
_RESULTS = tuple(OUTCOMES)
# Results of cases that a rule decides are so much greater: behind all that the encoding knows.
_BY_RULE = NOWHERE + 1 - _RESULTS[0]
_TESTS = {
    "kind": ("person.kind", Op.IS), "group": ("person.groups", Op.HAS), "role": ("person.roles", Op.HAS),
}  # fmt: skip
_KINDS = {fact: kind for kind, (fact, _) in _TESTS.items()}


@dataclass(frozen=True, slots=True, order=True)
class Audience:
    """People whom a rulebook names together: everyone, those of a kind, a group, or a role."""

    kind: str
    name: str = ""

    @property
    def text(self) -> str:
        """Return how a selector writes it."""
        return f"{self.kind}:{self.name}" if self.name else self.kind

    def condition(self) -> Condition | None:
        """Return what holds of its people; None for everyone."""
        if self.kind == EVERYONE:
            return None
        fact, op = _TESTS[self.kind]
        return FactTest(fact, op, (Operand(self.name, value=self.name),))


@dataclass(frozen=True, slots=True)
class Cell:
    """What sign-ins of an audience to an app can meet.

    Attributes
    ----------
    possible
        The outcomes, the mildest first; empty where nobody is in the audience, or no case is in the context.
    by_stance
        The outcomes that the app's stance alone comes to in some case, where no rule of any policy decides.
    by_rules
        Those that a rule decides in some case.
    """

    possible: tuple[str, ...]
    by_stance: tuple[str, ...] = ()
    by_rules: tuple[str, ...] = ()

    @property
    def mildest(self) -> str:
        """Return the mildest outcome, empty where there is none."""
        return self.possible[0] if self.possible else ""

    @property
    def strictest(self) -> str:
        """Return the strictest outcome, empty where there is none."""
        return self.possible[-1] if self.possible else ""


@dataclass(frozen=True, slots=True)
class CellCase:
    """One outcome of a cell: a case that meets it, decided by the interpreter, and the rules that decide somewhere."""

    outcome: str
    facts: Facts
    decision: Decision
    deciding: tuple[RuleRef, ...]


def audiences(rulebook: Rulebook) -> list[Audience]:
    """Return everyone, and each kind, group and role that the rulebook names, in this order and by name."""
    found: set[Audience] = set()
    for condition in _conditions(rulebook):
        for test in tests_of(condition):
            if isinstance(test, FactTest) and test.fact in _KINDS:
                found.update(Audience(_KINDS[test.fact], str(operand.value)) for operand in test.operands)
    places = {kind: place for place, kind in enumerate(_TESTS)}
    return [Audience(EVERYONE), *sorted(found, key=lambda each: (places[each.kind], each.name))]


def _conditions(rulebook: Rulebook) -> Iterator[Condition]:
    yield from (selector.condition for selector in rulebook.settings.keyholders)
    for policy in rulebook.policies.values():
        scope = policy.scope
        for selector in (*scope.people, *scope.except_people):
            yield selector.condition
        yield from (rule.when for rule in policy.rules if rule.when is not None)


def apps_of(rulebook: Rulebook, inventory: Inventory | None) -> list[str]:
    """Return the apps of the inventory in order of id; without any those that the rulebook says something about."""
    known = inventory.apps if inventory is not None else {}
    return sorted(known) if known else sorted(rulebook.apps)


@dataclass(frozen=True, slots=True)
class Grid:
    """All cells of a rulebook in one context.

    Attributes
    ----------
    exact
        False where not all values of some fact were looked at: other outcomes are not excluded then.
    """

    rulebook: Rulebook
    audiences: Sequence[Audience]
    apps: Sequence[str]
    exact: bool
    _space: Space
    _outcome: int
    _inside: int
    _deciding: Callable[[], list[tuple[Policy, Rule, int]]]
    _of: Mapping[Audience, int]
    _to: Mapping[str, int]
    _at: Mapping[str, int]
    _known: dict[tuple[int, int], frozenset[int]]

    def cell(self, audience: Audience, app: str) -> Cell:
        """Return one cell."""
        found = self._space.diagrams.ends_where(self._of[audience], self._at[app], self._known)
        alone, ruled = ([r for r in _RESULTS if r + more in found] for more in (0, _BY_RULE))
        possible = sorted({*alone, *ruled})
        return Cell(*(tuple(OUTCOMES[result] for result in results) for results in (possible, alone, ruled)))

    def cases(self, audience: Audience, app: str) -> list[CellCase]:
        """Return what each outcome of a cell comes from, the mildest first."""
        d = self._space.diagrams
        here = self._here(audience, app)
        outcome = d.choose(here, self._outcome, NOWHERE)
        deciding = [
            (RuleRef(policy.id, rule.id), d.both(self._inside, where)) for policy, rule, where in self._deciding()
        ]
        found = []
        for result in sorted(d.ends(outcome) - {NOWHERE}):
            facts = self._space.case(d.path(outcome, result))
            decision = decide(self.rulebook, facts)
            if decision.outcome != OUTCOMES[result]:
                raise AssertionError(f"the grid says {OUTCOMES[result]}, the interpreter {decision.outcome}")
            there = [ref for ref, where in deciding if result in d.ends(d.choose(where, outcome, NOWHERE))]
            found.append(CellCase(OUTCOMES[result], facts, decision, tuple(there)))
        return found

    def _here(self, audience: Audience, app: str) -> int:
        return self._space.diagrams.both(self._to[app], self._of[audience])


def grid(
    rulebook: Rulebook,
    given: Facts,
    inventory: Inventory | None = None,
    context: Condition | None = None,
    late: Callable[[], bool] = lambda: False,
    known: KnownAddresses | None = None,
    only: Sequence[Audience] | None = None,
    read: Reads | None = None,
) -> Grid:
    """Return the coverage grid of a rulebook.

    Parameters
    ----------
    given
        What every sign-in has, completed without a person; with an app there is that column alone. It is not changed.
    context
        What holds of every sign-in; None where there is nothing.
    late
        Tells that time has run out.
    known
        What is known about addresses.
    only
        The audiences that are asked about; all that the rulebook names without it.
    read
        What `reads` says of the rulebook, where it is at hand; it is not changed.

    Raises
    ------
    TooLong
        When time or room has run out before all cases were found.
    ContradictoryFacts
        When facts were given that no case can have.
    """
    given = _of_nobody(given)
    people = _all_told(rulebook, given, inventory)
    app_given = given.values.get("app.id")
    whole = rulebook
    if app_given is not None:
        # Policies that are about other apps in every case say nothing in this column, and need not tell people apart.
        rulebook, read = _speaking(rulebook, given), None
    read = read.copy() if read is not None else reads(rulebook)
    columns = [app_given] if isinstance(app_given, str) else apps_of(rulebook, inventory)
    rows = audiences(whole) if only is None else only
    conditions = {row: row.condition() for row in rows}
    asked = [condition for condition in (context, *conditions.values()) if condition is not None]
    # What is asked of the cases beside the policies is to be told apart, too: audiences, apps and the context.
    to = {app: FactTest("app.id", Op.IS, (Operand(app, value=app),)) for app in columns}
    for condition in (*asked, *([Or(tuple(to.values()))] if to else [])):
        read.condition(rulebook, condition)
    d = Diagrams(RESULTS + len(_RESULTS), late)
    space = Space(rulebook, given, people, read, d, known, MOST_WAYS)
    encoder = Encoder(rulebook, space, read, d)
    space.narrow(tellings(rulebook, read, encoder))
    if any(len(variable.values) > MOST_WAYS for variable in space.variables):
        raise TooLong
    encoded = encoder.encode()
    outcome = encoded.outcome
    if context is not None:
        outcome = d.choose(encoder.condition(context), outcome, NOWHERE)
    inside = d.neither(FALSE) if context is None else encoder.condition(context)
    decides = d.both(inside, encoded.decides)
    of = {row: TRUE if condition is None else encoder.condition(condition) for row, condition in conditions.items()}
    columns_of = {app: encoder.condition(test) for app, test in to.items()}
    # What a rule decides and what the stance alone comes to are told apart by results of their own.
    marked = d.choose(decides, d.mapped(outcome, {result: result + _BY_RULE for result in _RESULTS}), outcome)
    at = {app: d.choose(here, marked, NOWHERE) for app, here in columns_of.items()}
    return Grid(whole, rows, columns, space.exact, space, outcome, inside, encoded.deciding, of, columns_of, at, {})


def _speaking(rulebook: Rulebook, given: Facts) -> Rulebook:
    """Return a rulebook without the policies whose scope is false by what is given alone."""
    settled = SettledTests(rulebook.catalogue, given_for_sure(given))
    policies = rulebook.policies.items()
    return replace(rulebook, policies={id: policy for id, policy in policies if not settled.never(policy.scope)})


def _of_nobody(given: Facts) -> Facts:
    """Return facts without what is assumed of a person or app: that is assumed where they say nothing of it."""
    assumed = [
        name
        for name, origin in given.origins.items()
        if origin is Origin.ASSUMED and name.partition(".")[0] in {"person", "app"}
    ]
    values = {name: value for name, value in given.values.items() if name not in assumed}
    origins = {name: origin for name, origin in given.origins.items() if name not in assumed}
    return given.changed(values, origins, given.coordinates)


def _all_told(rulebook: Rulebook, given: Facts, inventory: Inventory | None) -> Inventory | None:
    """Return the inventory without devices, with what is assumed of people and apps where it says nothing."""
    if inventory is None:
        return None
    catalogue = rulebook.catalogue

    def with_assumed(entry: Entry, kind: str) -> Entry:
        assumed: dict[str, Value] = {
            name: value
            for name, value in rulebook.settings.assume.items()
            if name.startswith(f"{kind}.") and name not in entry.facts and name not in given.values
        }
        # An attribute of its own wins over what is assumed, as when it is completed.
        own: Mapping[str, Any] = {f"{kind}.attributes.{key}": 1 for key in entry.attributes} if assumed else {}
        return replace(entry, facts={**entry.facts, **{n: v for n, v in assumed.items() if n not in own}})

    any_assumed = {name.partition(".")[0] for name in rulebook.settings.assume if name in catalogue}
    people = inventory.people.values()
    apps = inventory.apps.values()
    return Inventory(
        [with_assumed(each, "person") for each in people] if "person" in any_assumed else people,
        inventory.groups.values(),
        (),
        [with_assumed(each, "app") for each in apps] if "app" in any_assumed else apps,
        inventory.lists.values(),
    )
