"""What somebody needs who would be stopped, or asked for more: proofs, fixes of their device, factors to enrol.

Not here: whether the policies on enrolment let them (`remedies`).
"""

from __future__ import annotations

from dataclasses import dataclass

from caddrel.core.decide.interpreter.interpreter import explain, standards_named
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import Item
from caddrel.core.remedies.factors import ways
from caddrel.core.rulebook.model import Rulebook


@dataclass(frozen=True, slots=True)
class Needs:
    """What an attempt lacks.

    Attributes
    ----------
    asked
        Proofs and notices that would be asked for, which the person can give.
    missing
        Requirements that cannot be met at the door.
    enrol
        Of missing proofs, sets of factors any of which would have to be enrolled.
    fixes
        Of checks of device standards that are not passed, what to do, each once.
    """

    asked: tuple[Item, ...]
    missing: tuple[Item, ...]
    enrol: tuple[tuple[str, ...], ...]
    fixes: tuple[str, ...]


def needs(rulebook: Rulebook, facts: Facts) -> Needs:
    """Return what an attempt lacks under a rulebook; nothing when it is let in."""
    explained = explain(rulebook, facts)
    decision = explained.decision
    named = [item.name for item in decision.in_the_way if item.kind == "device passes"]
    deciding = {(ref.policy, ref.rule) for ref in decision.deciding}
    if decision.outcome != "allowed":
        for steps in explained.policies:
            for step in steps.rules:
                if (steps.policy.id, step.rule.id) in deciding:
                    named += standards_named(step.rule, rulebook)
    fixes = []
    for name in dict.fromkeys(named):
        verdict = explained.judge.standard(name)
        for check, judged in zip(verdict.standard.checks, verdict.checks, strict=True):
            if judged.truth is not TRUE and check.fix:
                fixes.append(check.fix)
    enrol: list[tuple[str, ...]] = []
    for item in decision.in_the_way:
        found = ways(item, rulebook, facts) if item.kind in {"mfa", "proof"} else None
        if found is not None and not found.held:
            enrol += found.enrolling
    return Needs(decision.outstanding, decision.in_the_way, tuple(dict.fromkeys(enrol)), tuple(dict.fromkeys(fixes)))
