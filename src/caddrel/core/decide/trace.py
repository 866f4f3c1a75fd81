"""A trace as data: enough, by itself, to recompute the outcome by hand.

Not here: wording and layout, which belong to the edge.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from caddrel.core.decide.interpreter.interpreter import Explained, PolicySteps, RuleStep, ScopePart
from caddrel.core.decide.interpreter.judge import Judge, PartVerdict, Verdict
from caddrel.core.decide.requirements import formula_holds, item_order
from caddrel.core.decide.truth import FALSE, TRUE
from caddrel.core.facts.values import show, to_json
from caddrel.core.language.nodes import And, During, FactTest, FromPlace, Item, Not, Or, Passes, Surely, items_of
from caddrel.core.language.printer import print_condition, print_effect, print_formula, print_item
from caddrel.core.rulebook.model import Selector

Selectors = dict[tuple[str, str], dict[str, str]]


def trace_json(explained: Explained) -> dict[str, Any]:
    """Return the trace of a decision.

    Keys: `facts` (value, wording and origin of every known fact), `not_understood` (what was said of facts and is on no
    list), `policies` (each with scope, rules reached and
    effects), `standards`, `places` and `schedules` (those that were asked for), `signals` (those worked out from the
    person's history), `requirements` and `combined`.
    """
    judge = explained.judge
    return {
        "facts": _facts(explained),
        "not_understood": _not_understood(explained),
        "policies": list(_policies(explained)),
        "standards": {name: _standard(judge, name) for name in sorted(judge.standards)},
        "places": {name: _place(judge, name) for name in sorted(judge.places)},
        "schedules": {name: _schedule(judge, name) for name in sorted(judge.schedules)},
        "signals": _signals(explained),
        "requirements": _requirements(explained),
        "combined": _combined(explained),
    }


def _facts(explained: Explained) -> dict[str, Any]:
    facts, catalogue = explained.facts, explained.rulebook.catalogue
    return {
        name: {
            "value": to_json(value),
            "shown": show(value, catalogue[name]),
            "origin": facts.origins[name].value,
        }
        for name, value in sorted(facts.values.items())
        if name in catalogue
    }


def _not_understood(explained: Explained) -> dict[str, Any]:
    facts, catalogue = explained.facts, explained.rulebook.catalogue
    return {
        name: {"said": said, "origin": facts.origins[name].value}
        for name, said in sorted(facts.not_understood.items())
        if name in catalogue
    }


def _policies(explained: Explained) -> Iterator[dict[str, Any]]:
    # Many policies name the same selectors, and each was judged once.
    selectors: Selectors = {}
    steps_of, traces = explained.others.steps, explained.others.traces
    for steps in explained.policies:
        id = steps.policy.id
        if steps_of.get(id) is not steps:
            yield _policy(explained.judge, steps, selectors)
            continue
        if id not in traces:
            traces[id] = _policy(explained.judge, steps, {})
        yield traces[id]


def _policy(judge: Judge, steps: PolicySteps, selectors: Selectors) -> dict[str, Any]:
    policy = steps.policy
    # The parts of a scope are kept up to the first that is false.
    failed = steps.parts[-1].name if steps.scope is FALSE else None
    scope = {
        "truth": steps.scope.word,
        "failed": failed,
        "parts": [_scope_part(steps, part, selectors) for part in steps.parts],
    }
    if steps.scope is FALSE:
        return {
            "policy": policy.id,
            "title": policy.title,
            "mode": policy.mode,
            "scope": scope,
            "rules": [],
            "not_reached": [rule.id for rule in policy.rules],
            "effects": [{"rule": None, "effect": "abstain"}],
        }
    return {
        "policy": policy.id,
        "title": policy.title,
        "mode": policy.mode,
        "scope": scope,
        "rules": [_rule(judge, step) for step in steps.rules],
        "not_reached": [rule.id for rule in policy.rules[len(steps.rules) :]],
        "names_app": steps.says.named.word,
        "effects": [
            *({"rule": rule.id, "effect": print_effect(rule.effect)} for rule in steps.says.rules),
            *([{"rule": None, "effect": "abstain"}] if steps.says.silent else []),
        ],
    }


def _scope_part(steps: PolicySteps, part: ScopePart, selectors: Selectors) -> dict[str, Any]:
    if part.chosen:
        listed = [
            selectors.get((selector.kind, selector.text)) or _selector(selector, verdict, selectors)
            for selector, verdict in part.chosen
        ]
        return {"part": part.name, "truth": part.truth.word, "selectors": listed}
    shown: list[str] = []
    if part.name == "operations":
        shown = list(steps.policy.scope.operations)
    elif part.name == "active" and steps.policy.scope.active is not None:
        window = steps.policy.scope.active
        shown = [f"{word} {at.isoformat()}" for word, at in (("from", window.start), ("until", window.end)) if at]
    return {"part": part.name, "truth": part.truth.word, "selectors": shown}


def _selector(selector: Selector, verdict: Verdict, selectors: Selectors) -> dict[str, str]:
    made = selectors[selector.kind, selector.text] = {"text": selector.text, "truth": verdict.truth.word}
    return made


def _rule(judge: Judge, step: RuleStep) -> dict[str, Any]:
    return {
        "rule": step.rule.id,
        "title": step.rule.title,
        "truth": step.truth.word,
        "when": _tree(judge, step.verdict) if step.verdict is not None else None,
        "effect": print_effect(step.rule.effect),
    }


_KINDS: dict[type, str] = {And: "all", Or: "any", Not: "not", Surely: "surely"}


def _tree(judge: Judge, verdict: Verdict) -> dict[str, Any]:
    node = verdict.node
    tree: dict[str, Any] = {
        "kind": _KINDS.get(type(node), "test"),
        "truth": verdict.truth.word,
        "text": print_condition(node) if not (isinstance(node, And) and not node.parts) else "always",
        "span": [node.extent.start, node.extent.end],
    }
    match node:
        case FactTest(fact=fact):
            value = judge.values.get(fact)
            tree["fact"] = fact
            if fact == "signals":
                tree["signals"] = [operand.text for operand in node.operands]
            if value is not None:
                tree["value"] = show(value, judge.rulebook.catalogue[fact])
                tree["origin"] = judge.facts.origins[fact].value
        case FromPlace(places=places):
            tree["places"] = [p.text for p in places]
        case Passes(standard=standard):
            tree["standard"] = standard.text
        case During(schedule=schedule):
            tree["schedule"] = schedule.text
        case And() | Or() | Not() | Surely():
            tree["parts"] = [_tree(judge, part) for part in verdict.parts]
    return tree


def _standard(judge: Judge, name: str) -> dict[str, Any]:
    verdict = judge.standards[name]
    return {
        "title": verdict.standard.title,
        "truth": verdict.truth.word,
        "checks": [
            {
                "check": check.id,
                "title": check.title,
                "truth": judged.truth.word,
                "fix": check.fix,
                "must": _tree(judge, judged),
            }
            for check, judged in zip(verdict.standard.checks, verdict.checks, strict=True)
        ],
    }


def _place(judge: Judge, name: str) -> dict[str, Any]:
    verdict = judge.places[name]

    def part(found: PartVerdict) -> dict[str, Any]:
        return {"part": found.part, "shown": found.shown, "truth": found.truth.word}

    return {
        "title": verdict.place.title,
        "truth": verdict.truth.word,
        "parts": [part(p) for p in verdict.parts],
        "without": [part(p) for p in verdict.without],
    }


def _schedule(judge: Judge, name: str) -> dict[str, Any]:
    verdict = judge.schedules[name]
    local = verdict.local
    windows = verdict.schedule.windows(local.date()) if local is not None else ()
    return {
        "title": verdict.schedule.title,
        "truth": verdict.truth.word,
        "zone": verdict.schedule.zone.key,
        "local": local.strftime("%a %Y-%m-%d %H:%M") if local is not None else None,
        "windows": [str(window) for window in windows],
    }


def _signals(explained: Explained) -> dict[str, Any]:
    signals = explained.rulebook.signals
    return {
        name: {"title": signals[name].title, "truth": why["truth"], "why": dict(why)}
        for name, why in explained.facts.noticed.items()
        if name in signals
    }


def _requirements(explained: Explained) -> dict[str, Any]:
    requirements = explained.requirements
    formulas: list[dict[str, Any]] = []
    items: set[Item] = set()

    def met(item: Item) -> bool:
        return requirements.met(item) is TRUE

    def reachable(item: Item) -> bool:
        return met(item) or requirements.attainable(item)

    for says in explained.combination.enforced:
        for rule in says.rules:
            formula = rule.effect.formula
            if formula is not None:
                items.update(items_of(formula))
                formulas.append(
                    {
                        "policy": says.policy.id,
                        "rule": rule.id,
                        "formula": print_formula(formula),
                        "met": formula_holds(formula, met),
                        "attainable": formula_holds(formula, reachable),
                    }
                )
    return {
        "formulas": formulas,
        "items": [
            {
                "item": print_item(item),
                "kind": item.kind,
                "name": item.name,
                "met": requirements.met(item).word,
                "attainable": requirements.attainable(item),
            }
            for item in sorted(items, key=item_order)
        ],
    }


def _combined(explained: Explained) -> dict[str, Any]:
    combination = explained.combination
    mild = combination.mildly()
    return {
        "before": combination.before,
        "stance": combination.strict_stance.word,
        "mildest_stance": combination.mild_stance.word,
        "own_line": combination.strict_stance.own,
        "strict": {"outcome": combination.strict.outcome, "reason": combination.strict.reason},
        "mild": {"outcome": mild.outcome, "reason": mild.reason},
        "block": [
            {"policy": s.policy.id, "rule": r.id}
            for s in combination.enforced
            for r in s.rules
            if r.effect.kind == "block"
        ],
        "let_in": [s.policy.id for s in combination.enforced if combination.lets_in(s)],
    }
