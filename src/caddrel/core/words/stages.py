"""The policies in the order of a sign-in: before the credentials, enrolment, the app, the session.

Not here: a decision in one sentence (`words.decisions`).
"""

from __future__ import annotations

from dataclasses import dataclass

from caddrel.core.cases.reads import Reads
from caddrel.core.decide.interpreter.interpreter import Explained, PolicySteps, RuleStep
from caddrel.core.decide.truth import FALSE, UNKNOWN
from caddrel.core.rulebook.model import Keep, Rule
from caddrel.core.words.conditions import before_policies_words
from caddrel.core.words.pieces import Sentence, capital, duration_words, joined, say
from caddrel.core.words.policies import rule_words

STAGES = {
    "credentials": "Before the credentials",
    "enrolment": "Enrolment and registration",
    "app": "The app",
    "session": "Session limits",
}
# What somebody shows only once they have begun to prove who they are.
_PROOFS = frozenset({"auth.methods", "auth.age", "auth.notices", "auth.credentials", "person.factors"})


@dataclass(frozen=True, slots=True)
class Part:
    """What a rule of a policy has to do with an attempt.

    Attributes
    ----------
    policy, rule
        Empty where it is not a policy that says so.
    perhaps
        Whether it is open if the rule speaks at all.
    """

    policy: str
    title: str
    rule: str
    mode: str
    says: Sentence
    perhaps: bool = False
    decides: bool = False


def stages(explained: Explained) -> dict[str, list[Part]]:
    """Return what the policies have to say, by stage, in document order; those that are silent are left out."""
    found: dict[str, list[Part]] = {stage: [] for stage in STAGES}
    found["credentials"].extend(_credentials(explained))
    found["app"].extend(_stance(explained))
    order = list(explained.rulebook.policies)
    for steps in sorted(explained.policies, key=lambda each: order.index(each.policy.id)):
        if steps.policy.mode == "off" or steps.scope is FALSE:
            continue
        for step in steps.rules:
            if step.truth is FALSE:
                continue
            if step.rule.effect.kind != "abstain":
                found[_stage(explained, step.rule)].append(_part(explained, steps, step, _effect(explained, step.rule)))
            if step.rule.keep is not None:
                found["session"].append(_part(explained, steps, step, keep_words(step.rule.keep)))
    return found


def _effect(explained: Explained, rule: Rule) -> Sentence:
    return capital(rule_words(rule, explained.rulebook))


def _stage(explained: Explained, rule: Rule) -> str:
    read = Reads()
    if rule.when is not None:
        read.condition(explained.rulebook, rule.when)
    if rule.effect.kind == "block" and _PROOFS.isdisjoint(read.facts):
        return "credentials"
    return "app" if explained.facts.values.get("operation") in {None, "sign-in"} else "enrolment"


def _part(explained: Explained, steps: PolicySteps, step: RuleStep, says: Sentence) -> Part:
    policy = steps.policy
    decides = any(ref.policy == policy.id and ref.rule == step.rule.id for ref in explained.decision.deciding)
    perhaps = UNKNOWN in {steps.scope, step.truth}
    return Part(policy.id, policy.title or policy.id, step.rule.id, policy.mode, says, perhaps, decides)


def _credentials(explained: Explained) -> list[Part]:
    reason = explained.combination.before
    return (
        [_own(f"{before_policies_words(reason, explained.facts)}: blocked before any policy.", decides=True)]
        if reason
        else []
    )


def _stance(explained: Explained) -> list[Part]:
    stance = explained.combination.strict_stance
    if not stance.closed:
        return []
    who = "a policy that names it" if stance.own else "a policy"
    return [_own(f"It is closed: {who} must let the person in.", decides=explained.decision.reason == "closed")]


def _own(text: str, decides: bool) -> Part:
    return Part("", "", "", "enforced", capital(say(text)), decides=decides)


def keep_words(keep: Keep) -> Sentence:
    """Return session limits in words: ``At most 8 hours; ends after 30 minutes of doing nothing``."""
    said = []
    if keep.session_at_most is not None:
        said.append(say(f"the session lasts {_length(keep.session_at_most)} at most"))
    if keep.idle_at_most is not None:
        said.append(say(f"ends after {_length(keep.idle_at_most)} of doing nothing"))
    if keep.end_with_browser:
        said.append(say("ends with the browser"))
    return capital(say(joined(said, "and"), ".")) if said else say("No limit.")


def _length(seconds: int) -> str:
    words = duration_words(seconds)
    return words if words[:1].isdigit() else f"one {words}"
