"""The compiled evaluator: a generated function for each policy, and an index that skips those that cannot apply.

Decisions that do not depend on anything missing are remembered by what they follow from.
Not here: traces; the interpreter makes those. Neither imports the other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from caddrel.core.decide import truth
from caddrel.core.decide.combine import Combination, Says, before_policies
from caddrel.core.decide.compiled.expressions import Names, possible, settle_first, sure, sure_when_possible
from caddrel.core.decide.compiled.named_parts import FALSE, LISTS, UNKNOWN, Memo, Parts, Values, build
from caddrel.core.decide.compiled.scopes import any_selector, by_index, indexed, scope_condition, scope_state
from caddrel.core.decide.compiled.unknowns import Unknowns
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.requirements import Requirements
from caddrel.core.facts.facts import TO_COME, Facts
from caddrel.core.facts.types import PartlyRead
from caddrel.core.language.nodes import (
    Formula,
    Or,
    Passes,
    items_of,
    tests_of,
)
from caddrel.core.rulebook.model import ALWAYS, Policy, Rule, Rulebook

MOST_REMEMBERED = 20_000
# Facts of the index that are the same for everybody.
_OF_APP = ("operation", "app.id", "app.labels")
_TRUTH = {each.level: each for each in truth.Truth}
Walk = Callable[[Values, Memo], int]
Asked = Callable[[Values, Memo], int]


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
        self.parts = Parts(rulebook)
        self._unknowns = Unknowns(rulebook, self.parts)
        counting = [p for _, p in sorted(rulebook.policies.items()) if p.mode != "off"]
        self._policies = _compiled(counting, self.parts)
        self._indexed = indexed(policy.scope for policy in counting)
        self._key = _reading(self._indexed)
        self._of_app: dict[tuple[Any, ...], list[_Compiled]] = {}
        self._live: dict[tuple[Any, ...], _Live] = {}
        self._heard: dict[tuple[Says, ...], _Heard] = {}
        self._count = 0
        # Only where an app is closed by its own line does it matter which policies name it.
        self._naming = any(entry.stance == "closed" for entry in rulebook.apps.values())
        self._silent = [policy.silent for policy in self._policies]

    def decide(self, facts: Facts) -> Decision:
        """Return the decision on an attempt whose facts are completed."""
        v = facts.values
        get = v.get
        if get("auth.credentials") == "wrong" or get("auth.locked_out"):
            before = self._before(facts)
            if before is not None:
                return before
        key = self._key(get)
        live = self._live.get(key) or self._index(key)
        m: Memo = {LISTS: facts.lists}
        to_come = facts.reference == TO_COME
        bits = tuple([walk(v, m) for walk in live.walks])
        if live.asked:
            bits += tuple([_asked(scope, walk, naming, v, m) for scope, walk, naming in live.asked])
        heard = live.heard.get(bits) or self._hear(live, bits)
        known: tuple[Any, ...]
        requirements = None
        methods: Any = get("auth.methods")
        if heard.plain and (methods is not None or not heard.items):
            used = (frozenset(methods), isinstance(methods, PartlyRead)) if heard.items else None
            known = (
                key[0], key[1], facts.live and not facts.app_listed, facts.app_title, to_come, used,
                get("person.factors"),
            )  # fmt: skip
        else:
            requirements = self._requirements(facts, m)
            states = tuple([requirements.state(item) for item in heard.items])
            bare = None
            if requirements.factors is None:
                bare = tuple([requirements.attainable(i, frozenset()) for i in heard.items])
            known = (key[0], key[1], facts.live and not facts.app_listed, facts.app_title, to_come, states, bare)
        found = heard.remembered.get(known)
        return found if found is not None else self._combine(facts, live, heard, m, known, requirements)

    def considered(self, facts: Facts) -> frozenset[str]:
        """Return the policies that the index does not leave out for an attempt, by id."""
        key = self._key(facts.values.get)
        live = self._live.get(key) or self._index(key)
        return live.considered

    def outcome(self, facts: Facts) -> str:
        """Return the outcome alone, for who tries many attempts and shows none of them."""
        v = facts.values
        if before_policies(v) is not None:
            return "blocked"
        key = self._key(v.get)
        live = self._live.get(key) or self._index(key)
        m: Memo = {LISTS: facts.lists}
        bits = tuple([walk(v, m) for walk in live.walks])
        bits += tuple([_asked(scope, walk, naming, v, m) for scope, walk, naming in live.asked])
        heard = live.heard.get(bits) or self._hear(live, bits)
        requirements = self._requirements(facts, m)
        # Beside what the policies say, only the stance and the items that they require tell.
        states = tuple([requirements.state(item) for item in heard.items])
        known = (key[0], key[1], facts.live and not facts.app_listed, states)
        found = heard.outcomes.get(known)
        if found is None:
            # Policies that only abstain do not change it, so they need not be listed.
            found = heard.outcomes[known] = Combination(self.rulebook, facts, requirements, heard.spoken).strict.outcome
            self._grow()
        return found

    def _before(self, facts: Facts) -> Decision | None:
        """Return the decision on an attempt that is blocked before any policy is asked, None for any other."""
        if before_policies(facts.values) is None:
            return None
        combination = Combination(self.rulebook, facts, self._requirements(facts, {LISTS: facts.lists}), self._silent)
        decision = combination.decision(lambda _says, _naming: (), lambda _rule: "")
        return decision if self.revision is None else replace(decision, revision=self.revision)

    def _requirements(self, facts: Facts, m: Memo) -> Requirements:
        return Requirements(self.rulebook, facts, lambda name: _TRUTH[self.parts.standard(facts.values, m, name)])

    def _index(self, key: tuple[Any, ...]) -> _Live:
        """Return the policies whose scope is not false by the indexed facts, whatever all others are."""
        known = {name: value for name, value in zip(self._indexed, key, strict=True) if value is not None}
        live = _Live()
        asked = []
        for policy in self._about(known):
            state = policy.by_indexed(known, {LISTS: {}})
            if state == FALSE:
                continue
            selectors = policy.policy.scope.naming
            named = any_selector(selectors, known) if self._naming else UNKNOWN
            if policy.by_index:
                live.walks.append(policy.walk)
                live.policies.append((policy, state == UNKNOWN, named))
            else:
                # What the index settles of naming stays so; else it is asked with the scope.
                live.asked.append((policy.scope, policy.walk, policy.naming if self._naming else None))
                asked.append((policy, False, named))
        live.policies += asked
        live.considered = frozenset(policy.policy.id for policy, *_ in live.policies)
        self._live[key] = live
        self._grow()
        return live

    def _about(self, known: dict[str, Any]) -> list[_Compiled]:
        """Return the policies that are not silent on an app and operation whoever asks; asked once for everybody.

        With the person not known, a scope is false only where it is false for everybody (see `scopes.scope_state`).
        """
        key = tuple([known.get(name) for name in _OF_APP])
        found = self._of_app.get(key)
        if found is None:
            some = {name: known[name] for name in _OF_APP if name in known}
            found = [policy for policy in self._policies if policy.by_indexed(some, {LISTS: {}}) != FALSE]
            self._of_app[key] = found
            self._grow()
        return found

    def _grow(self) -> None:
        """Count one thing more that is remembered; when there are too many, begin anew."""
        self._count += 1
        if self._count > MOST_REMEMBERED:
            self._count = 0
            self._of_app.clear()
            self._live.clear()
            self._heard.clear()

    def _hear(self, live: _Live, bits: tuple[int, ...]) -> _Heard:
        """Return what the policies say whose walks gave these bits."""
        spoken = []
        for i, ((policy, unknown, named), said) in enumerate(zip(live.policies, bits, strict=True)):
            if not said:
                continue
            if i >= len(live.walks):
                spoken.append(policy.says(said >> 3, bool(said & 1), said >> 1 & 3))
            else:
                spoken.append(policy.says(said, unknown, named))
        key = tuple(spoken)
        heard = self._heard.get(key)
        if heard is None:
            heard = self._heard[key] = _Heard(key)
            self._grow()
        live.heard[bits] = heard
        self._grow()
        return heard

    def _combine(
        self, facts: Facts, live: _Live, heard: _Heard, m: Memo, known: tuple[Any, ...], ready: Requirements | None
    ) -> Decision:
        """Return the decision by the shared combination, remembered when nothing missing could change it."""
        v = facts.values
        spoken = heard.spoken
        requirements = ready or self._requirements(facts, m)
        quiet = {says.policy.id for says in spoken}
        # Policies that only abstain say nothing that counts, but each shadow policy is listed.
        silent = [p.silent for p in self._policies if p.policy.id not in quiet]
        combination = Combination(self.rulebook, facts, requirements, [*spoken, *silent])
        fixes = _Fixes(self.rulebook, self.parts, v, m)

        def unknown_of(says: Says, naming: bool) -> Iterable[str]:
            if says.policy.id not in live.considered:
                # Its scope is false whatever the facts are that nobody knows, so it lacks none of them.
                return ()
            return self._unknowns.of_policy(says.policy, requirements, v, m, naming)

        decision = combination.decision(unknown_of, fixes.of_rule)
        if self.revision is not None:
            decision = replace(decision, revision=self.revision)
        # An import leaves the reference to be put in later, by a mark that is the same for all.
        own = facts.reference != TO_COME and bool(decision.tell) and _quotes_reference(spoken)
        personal = fixes.asked or own
        if decision.certain and not personal:
            heard.remembered[known] = decision
            self._grow()
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


def _reading(facts: tuple[str, ...]) -> Callable[[Callable[[str], Any]], tuple[Any, ...]]:
    """Return a function that reads some facts at once; written out, since every decision begins with it."""
    source = f"def key(get): return ({', '.join(f'get({name!r})' for name in facts)})"
    space: dict[str, Any] = {}
    exec(compile(source, "<generated>", "exec"), space)  # noqa: S102 - names of the catalogue's own
    key: Callable[[Callable[[str], Any]], tuple[Any, ...]] = space["key"]
    return key


class _Live:
    """The policies that may speak for one set of indexed facts.

    Attributes
    ----------
    walks
        Of the policies whose scope those facts settle.
    asked
        Scope, walk and naming of those whose scope needs more facts; no naming where it does not matter.
    policies
        All of them in that order, with whether the scope is unknown, and whether they name the app.
    considered
        The ids of all of them.
    heard
        What they say, by the bits that their walks gave.
    """

    __slots__ = ("asked", "considered", "heard", "policies", "walks")

    def __init__(self) -> None:
        self.walks: list[Walk] = []
        self.asked: list[tuple[Asked, Walk, Asked | None]] = []
        self.policies: list[tuple[_Compiled, bool, int]] = []
        self.considered: frozenset[str] = frozenset()
        self.heard: dict[tuple[int, ...], _Heard] = {}


class _Heard:
    """What policies say together, the items they require, and the decisions and bare outcomes that came of it.

    `plain` tells that the items depend on methods and factors alone, and on no ages.
    """

    __slots__ = ("items", "outcomes", "plain", "remembered", "spoken")

    def __init__(self, spoken: tuple[Says, ...]) -> None:
        self.spoken = spoken
        formulas = (r.effect.formula for says in spoken for r in says.rules if r.effect.formula is not None)
        self.items = tuple(dict.fromkeys(item for formula in formulas for item in items_of(formula)))
        self.plain = all(item.kind in _PLAIN and item.within is None for item in self.items)
        self.remembered: dict[tuple[Any, ...], Decision] = {}
        self.outcomes: dict[tuple[Any, ...], str] = {}


_PLAIN = ("mfa", "proof", "new password")


def _asked(scope: Asked, walk: Walk, naming: Asked | None, v: Values, m: Memo) -> int:
    """Return the bits of a policy whose scope had to be asked, shifted by two of naming and one of an unknown scope."""
    state = scope(v, m)
    if state == FALSE or not (said := walk(v, m)):
        return 0
    return said << 3 | (UNKNOWN if naming is None else naming(v, m)) << 1 | (state == UNKNOWN)


def _not_made(_v: Values, _m: Memo) -> int:
    raise AssertionError("asked before its code is made")


class _Compiled:
    """One policy: its scope's state, and a walk of its rules.

    The walk gives a bit for each rule whose effect is possible, and the next one when it may also walk off the end; 0
    when the policy merely abstains.
    """

    def __init__(self, policy: Policy) -> None:
        self.policy = policy
        self.silent = Says(policy, truth.UNKNOWN, (), True)
        self._made: dict[tuple[int, bool, int], Says] = {}
        self.by_index = by_index(policy.scope)
        self.by_indexed: Asked = scope_state(policy.scope)
        self.scope: Asked = _not_made
        self.naming: Asked = _not_made
        self.walk: Walk = _not_made

    def source(self, names: Names) -> list[str]:
        """Return the lines of the walk, and of the scope when the index alone cannot tell its state."""
        lines: list[str] = []
        if not self.by_index:
            names.begin()
            scope = scope_condition(self.policy.scope)
            lines += ["def scope(v, m):", "    get = v.get", f"    if not {possible(scope, names)}: return 1"]
            lines.append(f"    return 3 if {sure(scope, names)} else 2")
            names.begin()
            naming = Or(tuple(selector.condition for selector in self.policy.scope.naming))
            lines += ["def naming(v, m):", "    get = v.get"]
            lines.append(f"    if not {possible(naming, names)}: return 1")
            lines.append(f"    return 3 if {sure(naming, names)} else 2")
        names.begin()
        lines += ["def walk(v, m):", "    get = v.get"]
        for i, rule in enumerate(self.policy.rules):
            bit = 1 << i
            so_far = "b | " if i else ""
            if rule.when is None:
                lines.append(f"    return {so_far}{bit}")
                return lines
            lines.append(f"    if {possible(rule.when, names)}:")
            settle_first(rule.when, names)
            lines.append(f"        if {sure_when_possible(rule.when, names)}: return {so_far}{bit}")
            lines.append(f"        b {'|=' if i else '='} {bit}")
            if not i:
                lines.append("    else: b = 0")
        lines.append(f"    return b and b | {1 << len(self.policy.rules)}")
        return lines

    def says(self, bits: int, unknown_scope: bool, named: int) -> Says:
        """Return what the policy says when just these rules' effects are possible; the same object every time."""
        key = (bits, unknown_scope, named)
        found = self._made.get(key)
        if found is None:
            rules = tuple(rule for i, rule in enumerate(self.policy.rules) if bits >> i & 1)
            scope = truth.UNKNOWN if unknown_scope else truth.TRUE
            silent = unknown_scope or bool(bits >> len(self.policy.rules))
            found = self._made[key] = Says(self.policy, scope, rules, silent, _TRUTH[named])
        return found


def _compiled(policies: list[Policy], parts: Parts) -> list[_Compiled]:
    """Return the policies with their functions, each generated by itself: many are of the same form."""
    found = [_Compiled(policy) for policy in policies]
    for policy in found:
        names = parts.names()
        space = build("\n".join(policy.source(names)), names)
        policy.walk = space["walk"]
        if not policy.by_index:
            policy.scope, policy.naming = space["scope"], space["naming"]
    return found
