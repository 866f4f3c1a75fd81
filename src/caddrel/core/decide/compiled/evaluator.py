"""The compiled evaluator: a generated function for each policy, and an index that skips those that cannot apply.

Decisions that do not depend on anything missing are remembered by what they follow from.
Not here: traces; the interpreter makes those. Neither imports the other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from caddrel.core.decide import truth
from caddrel.core.decide.combine import Combination, Says
from caddrel.core.decide.compiled.expressions import Names, possible, sure
from caddrel.core.decide.compiled.parts import LISTS, Memo, Parts, Values, build
from caddrel.core.decide.compiled.unknowns import Unknowns
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.requirements import Requirements
from caddrel.core.facts.completion import Facts
from caddrel.core.language.nodes import (
    And,
    Condition,
    FactTest,
    Formula,
    Item,
    Not,
    Operand,
    Or,
    Passes,
    items_of,
    tests_of,
)
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import ALWAYS, Policy, Rule, Rulebook, Scope

MOST_REMEMBERED = 20_000
# What an index entry is made for; scopes are first asked with nothing else known.
INDEXED = ("operation", "app.id", "app.labels", "person.groups", "person.roles", "person.kind", "person.unit")
_TRUTH = {1: truth.FALSE, 2: truth.UNKNOWN, 3: truth.TRUE}
Walk = Callable[[Values, Memo, bool], Says | None]
Asked = Callable[[Values, Memo], int]
FALSE, UNKNOWN = 1, 2


class CompiledRulebook:
    """A rulebook made ready for deciding many attempts.

    Parameters
    ----------
    rulebook
        The rulebook as read.
    revision
        The number that its decisions carry.
    """

    def __init__(self, rulebook: Rulebook, revision: int | None = None) -> None:
        self.rulebook = rulebook
        self.revision = revision
        self._parts = Parts(rulebook)
        self._unknowns = Unknowns(rulebook, self._parts)
        counting = [p for _, p in sorted(rulebook.policies.items()) if p.mode != "off"]
        self._policies = _compiled(counting, self._parts)
        self._live: dict[tuple[Any, ...], _Live] = {}
        self._items: dict[tuple[Says, ...], tuple[Item, ...]] = {}
        self._remembered: dict[tuple[Any, ...], Decision] = {}

    def decide(self, facts: Facts) -> Decision:
        """Return the decision on an attempt whose facts are completed."""
        v = facts.values
        get = v.get
        key = tuple([get(name) for name in INDEXED])
        live = self._live.get(key)
        if live is None:
            live = self._index(key)
        m: Memo = {LISTS: facts.lists}
        spoken = tuple([says for walk, unknown in live.settled if (says := walk(v, m, unknown)) is not None])
        if live.asked:
            spoken += tuple(
                [
                    says
                    for scope, walk in live.asked
                    if (state := scope(v, m)) != FALSE and (says := walk(v, m, state == UNKNOWN)) is not None
                ]
            )
        items = self._items.get(spoken)
        if items is None:
            items = self._note_items(spoken)
        if not items:
            known: tuple[Any, ...] = (
                spoken,
                key[1],
                key[0],
                facts.live and not facts.app_listed,
                facts.app_title,
            )
            found = self._remembered.get(known)
            return found if found is not None else self._combine(facts, spoken, m, known, None)
        requirements = Requirements(self.rulebook, facts, lambda name: _TRUTH[self._parts.standard(v, m, name)])
        states = tuple([requirements.state(item) for item in items])
        bare = None
        if requirements.factors is None:
            bare = tuple([requirements.attainable(i, frozenset()) for i in items])
        known = (
            spoken, key[1], key[0], facts.live and not facts.app_listed, facts.app_title, states, bare
        )  # fmt: skip
        found = self._remembered.get(known)
        return found if found is not None else self._combine(facts, spoken, m, known, requirements)

    def _index(self, key: tuple[Any, ...]) -> _Live:
        """Return the policies whose scope is not surely false by the indexed facts alone."""
        known = {name: value for name, value in zip(INDEXED, key, strict=True) if value is not None}
        live = _Live()
        for policy in self._policies:
            state = policy.scope(known, {LISTS: {}})
            if state == FALSE:
                continue
            if policy.by_index:
                live.settled.append((policy.walk, state == UNKNOWN))
            else:
                live.asked.append((policy.scope, policy.walk))
        if len(self._live) >= MOST_REMEMBERED:
            self._live.clear()
        self._live[key] = live
        return live

    def _note_items(self, spoken: tuple[Says, ...]) -> tuple[Item, ...]:
        formulas = (r.effect.formula for says in spoken for r in says.rules if r.effect.formula is not None)
        items = tuple(dict.fromkeys(item for formula in formulas for item in items_of(formula)))
        if len(self._items) >= MOST_REMEMBERED:
            self._items.clear()
        self._items[spoken] = items
        return items

    def _combine(
        self, facts: Facts, spoken: tuple[Says, ...], m: Memo, known: tuple[Any, ...], ready: Requirements | None
    ) -> Decision:
        """Return the decision by the shared combination, remembered when nothing missing could change it."""
        v = facts.values
        requirements = ready or Requirements(
            self.rulebook, facts, lambda name: _TRUTH[self._parts.standard(v, m, name)]
        )
        quiet = [says.policy.id for says in spoken]
        # Policies that only abstain say nothing that counts, but each shadow policy is listed.
        silent = [p.silent for p in self._policies if p.policy.id not in quiet]
        combination = Combination(self.rulebook, facts, requirements, [*spoken, *silent])
        fixes = _Fixes(self.rulebook, self._parts, v, m)

        def unknown_of(says: Says) -> Iterable[str]:
            return self._unknowns.of_policy(says.policy, requirements, v, m)

        decision = combination.decision(unknown_of, fixes.of_rule)
        if self.revision is not None:
            decision = replace(decision, revision=self.revision)
        personal = fixes.asked or (bool(decision.tell) and _quotes_reference(spoken))
        if decision.certain and not personal:
            if len(self._remembered) >= MOST_REMEMBERED:
                self._remembered.clear()
            self._remembered[known] = decision
        return decision


def _quotes_reference(spoken: tuple[Says, ...]) -> bool:
    return any("{reference}" in rule.tell for says in spoken for rule in says.rules)


class _Fixes:
    """Gives the fixes of failed checks; `asked` tells whether a decision has any of them in it."""

    def __init__(self, rulebook: Rulebook, parts: Parts, v: Values, m: Memo) -> None:
        self._rulebook, self._parts, self._v, self._m = rulebook, parts, v, m
        self.asked = False

    def of_rule(self, rule: Rule) -> str:
        """Return the fixes of the checks that are not true in the standards that a rule names."""
        self.asked = True
        named = {t.standard.text for t in tests_of(rule.when or ALWAYS) if isinstance(t, Passes)}
        formula: Formula | None = rule.effect.formula
        if formula is not None:
            named |= {item.name for item in items_of(formula) if item.kind == "device passes"}
        fixes: list[str] = []
        for name, standard in self._rulebook.standards.items():
            if name in named:
                failing = self._parts.failing(self._v, self._m, name)
                fixes.extend(standard.checks[i].fix for i in failing if standard.checks[i].fix)
        return " ".join(dict.fromkeys(fixes))


class _Live:
    """The policies that may speak for one set of indexed facts.

    `settled` have a scope that those facts decide, with whether it is unknown; the scope of `asked` needs more facts.
    """

    def __init__(self) -> None:
        self.settled: list[tuple[Walk, bool]] = []
        self.asked: list[tuple[Asked, Walk]] = []


class _Compiled:
    """One policy: its scope's state, and a walk of its rules that gives what it says, None for merely abstaining."""

    def __init__(self, policy: Policy) -> None:
        self.policy = policy
        self.silent = Says(policy, truth.UNKNOWN, (), True)
        self._made: dict[tuple[int, bool, bool], Says] = {}
        self.by_index = False
        self.scope: Asked = lambda _v, _m: UNKNOWN
        self.walk: Walk = lambda _v, _m, _u: None

    def source(self, number: int, names: Names) -> list[str]:
        """Return the lines of the two functions; `b` has a bit for each rule whose effect is possible."""
        names.begin()
        scope = scope_condition(self.policy.scope)
        may, must = possible(scope, names), sure(scope, names)
        self.by_index = set(names.facts) <= set(INDEXED)
        reading = [f"    {line}" for line in names.reading()]
        lines = [f"def scope_{number}(v, m):", "    get = v.get", *reading]
        lines.append(f"    return 3 if {must} else 2 if {may} else 1")
        names.begin()
        lines += [f"def walk_{number}(v, m, u):", "    get = v.get", "    b = 0"]
        for i, rule in enumerate(self.policy.rules):
            bit = 1 << i
            if rule.when is None:
                lines.append(
                    f"    return {self._alone(number, i, names)} if not (b or u) else says_{number}(b | {bit}, u, u)"
                )
                return lines
            may, must = possible(rule.when, names), sure(rule.when, names)
            lines += [f"    {line}" for line in names.reading()]
            lines.append(f"    if {may}:")
            alone = self._alone(number, i, names)
            lines.append(f"        if {must}: return {alone} if not (b or u) else says_{number}(b | {bit}, u, u)")
            lines.append(f"        b |= {bit}")
        lines.append(f"    return says_{number}(b, u, True) if b else None")
        return lines

    def _alone(self, number: int, rule: int, names: Names) -> str:
        """Return the name of what the policy says when just this rule speaks, for certain: the usual case."""
        name = f"alone_{number}_{rule}"
        names.values[name] = self.says(1 << rule, False, False)
        return name

    def says(self, bits: int, unknown_scope: bool, silent: bool) -> Says:
        """Return what the policy says when just these rules' effects are possible; the same object every time."""
        key = (bits, unknown_scope, silent)
        found = self._made.get(key)
        if found is None:
            rules = tuple(rule for i, rule in enumerate(self.policy.rules) if bits >> i & 1)
            scope = truth.UNKNOWN if unknown_scope else truth.TRUE
            found = self._made[key] = Says(self.policy, scope, rules, silent)
        return found


def _compiled(policies: list[Policy], parts: Parts) -> list[_Compiled]:
    """Return the policies with their functions, all generated and compiled in one go."""
    names = parts.names()
    found = [_Compiled(policy) for policy in policies]
    lines: list[str] = []
    for number, policy in enumerate(found):
        names.values[f"says_{number}"] = policy.says
        lines += policy.source(number, names)
    space = build("\n".join(lines), names)
    for number, policy in enumerate(found):
        policy.scope, policy.walk = space[f"scope_{number}"], space[f"walk_{number}"]
    return found


def scope_condition(scope: Scope) -> Condition:
    """Return a scope as the condition that it is."""
    parts: list[Condition] = []
    if scope.active is not None:
        for op, at in ((Op.AT_LEAST, scope.active.start), (Op.BELOW, scope.active.end)):
            if at is not None:
                parts.append(FactTest("time.at", op, (Operand(at.isoformat(), value=at),)))
    for selectors, positive in (
        (scope.people, True),
        (scope.except_people, False),
        (scope.apps, True),
        (scope.except_apps, False),
    ):
        any_of = Or(tuple(s.condition for s in selectors))
        parts.append(any_of if positive else Not(any_of))
    operations = tuple(Operand(o, value=o) for o in scope.operations)
    parts.append(FactTest("operation", Op.ONE_OF, operations))
    return And(tuple(parts))
