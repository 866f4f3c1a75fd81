"""Causes: blocks and challenges of the log that have the same deciding policy, rule and facts."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.columnar.fact_groups import GROUPS, group_of
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.decisive import decisive
from caddrel.core.decide.interpreter.judge import Judge, Verdict
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import show
from caddrel.core.language.nodes import During, FactTest, FromPlace, Passes, items_of, tests_of
from caddrel.core.language.printer import print_condition, print_item
from caddrel.core.rulebook.model import Rule, Rulebook
from caddrel.core.words.conditions import BEFORE_POLICIES, app_title, because_words, item_words
from caddrel.core.words.pieces import Sentence, joined, pieces_json, say

MOST_REMEMBERED = 10_000
# Values that many attempts share; of others only the test is kept, or every attempt would be a cause of its own.
_SHARED = (FactType.FLAG, FactType.WORD, FactType.LEVEL)


@dataclass(frozen=True, slots=True)
class Cause:
    """What led to a block or challenge.

    Attributes
    ----------
    key
        The same for the same policy, rule and facts, in any revision.
    document
        As JSON: outcome, reason, policy, rule; `tests` (text, truth and, where attempts share it, the value), `checks`
        of standards that fail, `places` that it did not come from, `items` that were outstanding or in the way;
        `because`, the same in words.
    """

    key: str
    document: dict[str, Any]


def cause_of(rulebook: Rulebook, facts: Facts, decision: Decision) -> Cause | None:
    """Return the cause of a block or challenge, by the first deciding rule; None for what was allowed."""
    if decision.outcome == "allowed":
        return None
    found: dict[str, Any] = {"outcome": decision.outcome, "reason": decision.reason, "policy": None, "rule": None}
    found |= {"tests": [], "checks": [], "places": [], "items": []}
    judge = Judge(rulebook, facts)
    app = facts.values.get("app.id")
    closed = say(app_title(rulebook, str(app)), " is closed") if app is not None else say("the app may be closed")
    own = app is not None and (entry := rulebook.apps.get(str(app))) is not None and entry.stance == "closed"
    because: Sentence = say(closed, f", and no policy{' that names it' if own else ''} surely lets the person in")
    if decision.reason in BEFORE_POLICIES:
        # The same for whoever it is and whatever the app: told apart from what policies block.
        because = say(BEFORE_POLICIES[decision.reason])
    elif decision.deciding:
        first = decision.deciding[0]
        rule = next(r for r in rulebook.policies[first.policy].rules if r.id == first.rule)
        found |= {"policy": first.policy, "rule": first.rule}
        because = _because(found, judge, rule, decision)
    else:
        found["app"] = app
    key = hashlib.sha256(json.dumps(found, sort_keys=True, ensure_ascii=False).encode()).hexdigest()[:16]
    return Cause(key, {**found, "because": pieces_json(because)})


def _because(found: dict[str, Any], judge: Judge, rule: Rule, decision: Decision) -> Sentence:
    if decision.reason == "effect":
        if rule.when is None:
            return say("whatever the conditions")
        verdict = judge.judge(rule.when)
        for test, as_true in decisive(verdict):
            found["tests"].append(_test(test, judge))
            found["checks"].extend(_checks(test, judge))
            if isinstance(test.node, FromPlace) and not as_true:
                found["places"].extend(place.text for place in test.node.places)
        return because_words(verdict, judge)
    items = decision.outstanding if decision.outcome == "challenged" else decision.in_the_way
    words = []
    for item in items:
        found["items"].append(print_item(item))
        words.append(item_words(item, judge.rulebook))
        if item.kind == "device passes":
            found["checks"].extend(_failing(item.name, judge))
    needed = joined(words, "and")
    return say("what is asked for: " if decision.outcome == "challenged" else "required, and not there: ", needed)


def _test(verdict: Verdict, judge: Judge) -> dict[str, Any]:
    node = verdict.node
    made: dict[str, Any] = {"text": print_condition(node), "truth": verdict.truth.word}
    if isinstance(node, FactTest):
        made["fact"] = node.fact
        value = judge.values.get(node.fact)
        spec = judge.rulebook.catalogue[node.fact]
        if value is not None and spec.type in _SHARED:
            made["value"] = show(value, spec)
    return made


def _checks(verdict: Verdict, judge: Judge) -> Iterator[dict[str, str]]:
    if isinstance(verdict.node, Passes) and verdict.truth is not TRUE:
        yield from _failing(verdict.node.standard.text, judge)


def _failing(standard: str, judge: Judge) -> Iterator[dict[str, str]]:
    verdict = judge.standard(standard)
    for check, judged in zip(verdict.standard.checks, verdict.checks, strict=True):
        if judged.truth is not TRUE:
            yield {"standard": standard, "check": check.id, "truth": judged.truth.word}


class Causes:
    """Causes of many records: those whose decision and deciding facts are the same are worked out once."""

    def __init__(self) -> None:
        self._groups: dict[tuple[int, str, str], frozenset[str]] = {}
        self._made: dict[Any, tuple[Any, Cause | None]] = {}

    def of(self, rulebook: Rulebook, bundled: Bundled, decision: Decision) -> Cause | None:
        """Return the cause of a block or challenge."""
        groups = self._looked_at(rulebook, decision)
        if "" in groups:
            return cause_of(rulebook, bundled.facts, decision)
        told = [bundled.bundles[i] for i, group in enumerate(GROUPS) if group in groups]
        signals = bundled.signals
        key = (id(rulebook), id(decision), signals, getattr(signals, "open", None), *map(id, told))
        # What the key names is held, so that nothing else can come to stand in the same place.
        return self._once(key, (rulebook, decision, told), lambda: cause_of(rulebook, bundled.facts, decision))

    def of_live(self, rulebook: Rulebook, facts: Facts, bundles: Sequence[bytes], decision: Decision) -> Cause | None:
        """Return the cause of a block or challenge of an attempt by itself.

        Parameters
        ----------
        bundles
            The groups of its facts as JSON: all that a cause says of a group is in them.
        """
        if decision.outcome == "allowed":
            return None
        groups = self._looked_at(rulebook, decision)
        if "" in groups:
            return cause_of(rulebook, facts, decision)
        told = [bundle for group, bundle in zip(GROUPS, bundles, strict=True) if group in groups]
        key = (id(rulebook), id(decision), *told)
        return self._once(key, (rulebook, decision), lambda: cause_of(rulebook, facts, decision))

    def _once(self, key: Any, held: Any, make: Callable[[], Cause | None]) -> Cause | None:
        found = self._made.get(key)
        if found is None:
            if len(self._made) > MOST_REMEMBERED:
                self._made.clear()
            found = self._made[key] = (held, make())
        return found[1]

    def _looked_at(self, rulebook: Rulebook, decision: Decision) -> frozenset[str]:
        """Return the groups of facts that a cause hangs on."""
        groups = frozenset({"app"})
        if decision.deciding:
            first = decision.deciding[0]
            name = (id(rulebook), first.policy, first.rule)
            if name not in self._groups:
                rule = next(r for r in rulebook.policies[first.policy].rules if r.id == first.rule)
                self._groups[name] = groups | {group_of(fact) for fact in _facts_of(rule, rulebook)}
            groups = self._groups[name]
        return groups


def _facts_of(rule: Rule, rulebook: Rulebook) -> Iterator[str]:
    """Yield the facts that a rule and its requirement look at."""
    conditions = [rule.when] if rule.when is not None else []
    if rule.effect.formula is not None:
        named = [item.name for item in items_of(rule.effect.formula) if item.kind == "device passes"]
        conditions += [check.must for name in named for check in rulebook.standards[name].checks]
    while conditions:
        for test in tests_of(conditions.pop()):
            match test:
                case FactTest(fact=fact):
                    yield fact
                case FromPlace():
                    yield "network.ip"
                case Passes(standard=standard):
                    conditions += [check.must for check in rulebook.standards[standard.text].checks]
                case During():
                    yield "time.at"
