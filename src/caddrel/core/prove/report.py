"""What was proven as plain values, in the shape that every output has."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import asdict
from typing import Any

from caddrel.core.decide.decision import Decision
from caddrel.core.facts.values import to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.printer import print_item
from caddrel.core.prove.about import About, Case
from caddrel.core.prove.comparison import Change, kinds, ready
from caddrel.core.prove.guarantees import Counterexample, Proven, mended, prove, remedy
from caddrel.core.prove.safeguards import Checked
from caddrel.core.prove.solver import TooLate
from caddrel.core.prove.witness import Attempt
from caddrel.core.rulebook.edit.values import with_value
from caddrel.core.rulebook.model import Rulebook


def attempt_json(attempt: Attempt) -> dict[str, Any]:
    """Return the facts of an attempt, as `decide` reads them."""
    return {name: to_json(value) for name, value in sorted(attempt.reported.items())}


def remedy_json(
    rulebook: Rulebook, proven: Proven, inventory: Inventory | None, left: Callable[[], float]
) -> dict[str, Any]:
    """Return under `remedy` the policy that mends a guarantee that fails, proven to; nothing where there is none."""
    found, after = remedy(proven.guarantee), mended(rulebook, proven.guarantee)
    if proven.answer != "fails" or found is None or after is None:
        return {}
    path = ("policies", found[0])
    mends = prove(after, proven.guarantee, inventory, left).answer == "holds"
    return {"remedy": {"path": ".".join(path), "text": with_value("", path, found[1]), "mends": mends}}


def proven_json(proven: Proven, seconds: float) -> dict[str, Any]:
    """Return the answer to a guarantee."""
    found: dict[str, Any] = {
        "guarantee": proven.guarantee.id,
        "answer": proven.answer,
        "seconds": round(seconds, 3),
        "empty": proven.empty,
    }
    if proven.counterexample is not None:
        found["counterexample"] = _example(proven.counterexample)
    return found


def _example(example: Counterexample) -> dict[str, Any]:
    decision = example.explained.decision
    return {"facts": attempt_json(example.attempt), "outcome": decision.outcome, "deciding": _rules(decision)}


def about_json(found: About, also: Callable[[Case], dict[str, Any]]) -> dict[str, Any]:
    """Return what policies have to do with a person and an app.

    Parameters
    ----------
    also
        What else is told of a case.
    """

    def case(of: Case) -> dict[str, Any]:
        deciding = _rules(of.explained.decision)
        return {"facts": attempt_json(of.attempt), "outcome": of.outcome, "deciding": deciding, **also(of)}

    policies = [
        {
            "policy": part.policy.id,
            "title": part.policy.title or part.policy.id,
            "mode": part.policy.mode,
            "speaks": part.speaks,
            "decides": [case(each) for each in part.cases],
        }
        for part in found.parts
    ]
    return {"outcomes": [case(each) for each in found.outcomes], "policies": policies, "whole": found.whole}


def checked_json(checked: Checked) -> dict[str, Any]:
    """Return a safeguard with what came of it."""
    safeguard = checked.safeguard
    found: dict[str, Any] = {
        "safeguard": safeguard.name,
        "title": safeguard.title,
        "grade": safeguard.grade,
        "why": safeguard.why,
        "costs": safeguard.costs,
        "verdict": checked.verdict,
        "says": checked.says,
    }
    if checked.counterexample is not None:
        found["counterexample"] = _example(checked.counterexample)
    if checked.remedy is not None:
        found["remedy"] = asdict(checked.remedy)
    return found


def _rules(decision: Decision) -> list[dict[str, str]]:
    return [{"policy": ref.policy, "rule": ref.rule} for ref in decision.deciding]


def compared_json(
    before: Rulebook,
    after: Rulebook,
    inventory: Inventory | None,
    left: Callable[[], float],
    where: Iterable[tuple[str, str, Any]],
    limit: Callable[[Change], dict[str, Any]] = lambda change: {},
) -> dict[str, Any]:
    """Return two rulebooks compared by what they mean.

    Parameters
    ----------
    where
        Apps and audiences that each change is looked for in: ``apps`` or ``people``, a name, a condition.
    limit
        What else is told of a change.
    """
    places = list(where)
    changes: list[dict[str, Any]] = []
    exact = True
    comparison, ours, conditions = ready(before, after, inventory, left, [condition for *_, condition in places])
    try:
        for change in kinds(comparison, ours):
            told = {
                "from": change.before.outcome,
                "to": change.after.outcome,
                "outstanding": [[print_item(i) for i in side.outstanding] for side in (change.before, change.after)],
                "apps": [],
                "people": [],
                "because": {"before": _rules(change.before), "after": _rules(change.after)},
                "witness": {"facts": attempt_json(change.attempt)},
                **limit(change),
            }
            changes.append(told)
            for side, name, condition in places:
                if comparison.occurs(change, conditions[condition]):
                    told[side].append(name)
    except TooLate:
        exact = False
    definitions = list(otherwise_defined(before, after))
    return {
        "same": exact and not changes and not definitions,
        "exact": exact and comparison.space.exact,
        "changes": changes,
        "definitions": definitions,
    }


def otherwise_defined(before: Rulebook, after: Rulebook) -> Iterable[str]:
    """Yield what counts as different though no attempt shows it: signals, versions of notices, assumptions."""
    for name in sorted(before.signals.keys() & after.signals.keys()):
        one, other = before.signals[name], after.signals[name]
        if (one.kind, dict(one.settings)) != (other.kind, dict(other.settings)):
            yield f"signal {name}"
    for name in sorted(before.notices.keys() & after.notices.keys()):
        if before.notices[name].version != after.notices[name].version:
            yield f"notice {name}"
    assumed = (dict(before.settings.assume), dict(after.settings.assume))
    for fact in sorted(assumed[0].keys() | assumed[1].keys()):
        if assumed[0].get(fact) != assumed[1].get(fact):
            yield f"assumption {fact}"
