"""Which facts an unknown result depends on; asked only of decisions that are undetermined."""

from __future__ import annotations

from collections.abc import Iterable

from caddrel.core.decide import truth
from caddrel.core.decide.compiled.named_parts import FALSE, TRUE, UNKNOWN, Memo, Parts, State, Values
from caddrel.core.decide.requirements import Requirements
from caddrel.core.language.nodes import And, Condition, During, FactTest, FromPlace, Not, Or, Passes, Surely, items_of
from caddrel.core.rulebook.model import PlaceParts, Policy, Rulebook

_STATES, _LACKED = "states by node", "facts lacked by node"
_NONE: set[str] = set()
NETWORK = {"countries": "network.country", "anonymisers": "network.anonymiser", "asns": "network.asn"}


class Unknowns:
    """Finds the facts behind unknown conditions, places and standards of a rulebook."""

    def __init__(self, rulebook: Rulebook, parts: Parts) -> None:
        self._rulebook = rulebook
        self._parts = parts
        # Tests of facts: those that are equal share one; and by the nodes of the rulebook, which it holds.
        self._made: dict[FactTest, State] = {}
        self._tests: dict[int, State] = {}

    def state(self, node: Condition, v: Values, m: Memo) -> int:
        """Return the state of a node of the rulebook: 1 false, 2 unknown, 3 true; asked once for an attempt.

        Only tests of facts are generated, each once however many policies hold it: to generate every condition would
        take the first decision that asks longer than to decide.
        """
        states = m.get(_STATES)
        if states is None:
            states = m[_STATES] = {}
        # By the node itself, which the rulebook holds: to compare trees takes longer than to ask them.
        state: int | None = states.get(id(node))
        if state is None:
            state = states[id(node)] = self._asked(node, v, m)
        return state

    def _asked(self, node: Condition, v: Values, m: Memo) -> int:
        match node:
            case FactTest():
                found = self._tests.get(id(node))
                if found is None:
                    found = self._made.get(node) or self._made.setdefault(node, self._parts.compiled(node))
                    self._tests[id(node)] = found
                return found(v, m)
            case FromPlace(places=places):
                return max([self._parts.place(v, m, p.text) for p in places], default=FALSE)
            case Passes(standard=standard):
                return self._parts.standard(v, m, standard.text)
            case During(schedule=schedule):
                return self._parts.schedule(v, m, schedule.text)
            case And(parts=parts):
                return min([self.state(p, v, m) for p in parts], default=TRUE)
            case Or(parts=parts):
                return max([self.state(p, v, m) for p in parts], default=FALSE)
            case Not(part=part):
                return TRUE + FALSE - self.state(part, v, m)
            case Surely(part=part):
                return TRUE if self.state(part, v, m) == TRUE else FALSE

    def of_condition(self, node: Condition, v: Values, m: Memo) -> set[str]:
        """Return the facts of the unknown tests that an unknown condition depends on; for reading alone."""
        if self.state(node, v, m) != UNKNOWN:
            return _NONE
        lacked = m.get(_LACKED)
        if lacked is None:
            lacked = m[_LACKED] = {}
        facts: set[str] | None = lacked.get(id(node))
        if facts is None:
            facts = lacked[id(node)] = self._lacked(node, v, m)
        return facts

    def _lacked(self, node: Condition, v: Values, m: Memo) -> set[str]:
        match node:
            case FactTest(fact=fact):
                return {fact}
            case FromPlace(places=places):
                return _union(self.of_place(p.text, v, m) for p in places)
            case Passes(standard=standard):
                return self.of_standard(standard.text, v, m)
            case During():
                return {"time.at"}
            case And(parts=parts) | Or(parts=parts):
                return _union(self.of_condition(p, v, m) for p in parts)
            case Not(part=part) | Surely(part=part):
                return self.of_condition(part, v, m)

    def of_standard(self, name: str, v: Values, m: Memo) -> set[str]:
        """Return the facts that an unknown standard lacks."""
        if self._parts.standard(v, m, name) != UNKNOWN:
            return set()
        return _union(self.of_condition(check.must, v, m) for check in self._rulebook.standards[name].checks)

    def of_place(self, name: str, v: Values, m: Memo) -> set[str]:
        """Return the facts that an unknown place lacks."""
        key = ("unknown of place", name)
        if key not in m:
            m[key] = set()
            if self._parts.place(v, m, name) == UNKNOWN:
                place = self._rulebook.places[name]
                m[key] = self._of_half(place.parts, v, m) | self._of_half(place.without, v, m)
        found: set[str] = m[key]
        return found

    def _of_half(self, parts: PlaceParts, v: Values, m: Memo) -> set[str]:
        """Return the facts of the unknown parts, nothing when one of the parts settles the half."""
        states = list(self._part_states(parts, v, m))
        if any(state == TRUE for state, _ in states):
            return set()
        return _union(facts for state, facts in states if state == UNKNOWN)

    def _part_states(self, parts: PlaceParts, v: Values, m: Memo) -> Iterable[tuple[int, set[str]]]:
        for name in ("networks", "countries", "anonymisers", "asns"):
            listed = getattr(parts, name)
            if listed:
                only = PlaceParts(**{name: listed})
                yield self._parts.any_part(only)(v, m), {NETWORK.get(name, "network.ip")}
        for name in parts.lists:
            yield self._parts.any_part(PlaceParts(lists=(name,)))(v, m), {"network.ip"}
        for name in parts.places:
            yield self._parts.place(v, m, name), self.of_place(name, v, m)

    def of_policy(self, policy: Policy, requirements: Requirements, v: Values, m: Memo, naming: bool) -> set[str]:
        """Return the facts that a policy's unknown scope, conditions and required items lack.

        Parameters
        ----------
        naming
            Whether those are wanted too that its unknown naming selectors lack.
        """
        scope, found = self._of_scope(policy, v, m)
        if scope == FALSE:
            return set()
        if naming:
            selectors = policy.scope.naming
            if max((self.state(s.condition, v, m) for s in selectors), default=FALSE) == UNKNOWN:
                found |= _union(self.of_condition(s.condition, v, m) for s in selectors)
        for rule in policy.rules:
            state = TRUE if rule.when is None else self.state(rule.when, v, m)
            if state == UNKNOWN and rule.when is not None:
                found |= self.of_condition(rule.when, v, m)
            if state != FALSE and rule.effect.formula is not None:
                for item in items_of(rule.effect.formula):
                    if requirements.met(item) is truth.UNKNOWN:
                        standard = item.kind == "device passes"
                        found |= self.of_standard(item.name, v, m) if standard else requirements.unknown_facts(item)
            if state == TRUE:
                break
        return found

    def _of_scope(self, policy: Policy, v: Values, m: Memo) -> tuple[int, set[str]]:
        scope = policy.scope
        worst, found = TRUE, set()
        if scope.active is not None:
            state = UNKNOWN if v.get("time.at") is None else (TRUE if _active(policy, v) else FALSE)
            worst = min(worst, state)
            found |= {"time.at"} if state == UNKNOWN else set()
        for name in ("people", "except_people", "apps", "except_apps"):
            selectors = getattr(scope, name)
            state = max([self.state(s.condition, v, m) for s in selectors], default=FALSE)
            if state == UNKNOWN:
                found |= _union(self.of_condition(s.condition, v, m) for s in selectors)
            worst = min(worst, 4 - state if name.startswith("except") else state)
        operation = v.get("operation")
        worst = min(worst, UNKNOWN if operation is None else TRUE if operation in scope.operations else FALSE)
        return worst, found | ({"operation"} if operation is None else set())


def _active(policy: Policy, v: Values) -> bool:
    window, at = policy.scope.active, v["time.at"]
    return window is None or ((window.start is None or at >= window.start) and (window.end is None or at < window.end))


def _union(sets: Iterable[set[str]]) -> set[str]:
    return set().union(*sets)
