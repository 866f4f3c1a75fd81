"""A decision in one plain sentence, and what each policy had to do with it."""

from __future__ import annotations

from caddrel.core.decide.interpreter.interpreter import Explained, PolicySteps, RuleStep
from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN
from caddrel.core.language.nodes import AnyOf, Item, items_of
from caddrel.core.rulebook.model import Policy, Rulebook
from caddrel.core.words.attempts import app_words, doing_words, person_words
from caddrel.core.words.conditions import (
    BEFORE_POLICIES,
    because_words,
    before_policies_words,
    failed_checks,
    item_words,
)
from caddrel.core.words.pieces import Piece, Sentence, capital, joined, say

_SCOPE_PARTS = {
    "active": "it is not active at that moment",
    "people": "it is not for this person",
    "except_people": "this person is excepted",
    "apps": "it is not for this app",
    "except_apps": "this app is excepted",
    "operations": "it is not for this operation",
}
# What most policies have to say about most attempts.
_OUT_OF_SCOPE = {part: capital(say(words, ".")) for part, words in _SCOPE_PARTS.items()}
_OFF = say("It is off.")


def policy_title(policy: Policy) -> Piece:
    """Return a policy's title as a piece that can be followed."""
    return Piece(policy.title or policy.id, "policy", policy.id)


def decision_words(explained: Explained, person: str = "", app: str = "") -> Sentence:
    """Return one sentence that says the outcome and why.

    Parameters
    ----------
    person, app
        What they are called, where the caller knows better than the facts.
    """
    decision = explained.decision
    facts, rulebook = explained.facts, explained.rulebook
    who, doing = person_words(facts, person), doing_words(facts, app_words(facts, rulebook, app))
    start = {
        "allowed": say(who, " may ", doing),
        "challenged": say(who, " may ", doing, " after ", _items(decision.outstanding, rulebook)),
        "blocked": say(who, " may not ", doing),
    }[decision.outcome]
    doubt = "" if decision.certain else " Not certain: some facts that matter were not reported."
    return capital(say(start, _reason(explained), ".", doubt))


def _items(items: tuple[Item, ...], rulebook: Rulebook) -> Sentence:
    return joined((item_words(i, rulebook) for i in items), "and")


def _reason(explained: Explained) -> Sentence:
    decision = explained.decision
    if decision.reason in BEFORE_POLICIES:
        return say(f": {before_policies_words(decision.reason, explained.facts)}")
    if decision.reason == "closed":
        naming = " that names it" if explained.combination.strict_stance.own else ""
        return say(f": it is closed, and no policy{naming} surely lets this person in")
    if not decision.deciding:
        return say(": no policy objects")
    steps, step = _telling(explained)
    policy = policy_title(steps.policy)
    others = len({d.policy for d in decision.deciding}) - 1
    also = say(f" (and {others} more {'policies' if others > 1 else 'policy'})") if others else say("")
    if decision.outcome == "blocked":
        if decision.reason == "unmeetable":
            return say(": “", policy, "” requires what is not there: ", _in_the_way(explained), also)
        return say(": “", policy, "” blocks it, ", _because(explained, step), also)
    if decision.outcome == "challenged":
        return say(": “", policy, "” requires it", also)
    if step.rule.effect.formula is not None:
        return say(": everything “", policy, "” asks for is there", also)
    return say(": “", policy, "” allows it", also)


def _telling(explained: Explained) -> tuple[PolicySteps, RuleStep]:
    """Return the deciding rule that says most: the first that applies for certain, else the first."""
    refs = {(ref.policy, ref.rule) for ref in explained.decision.deciding}
    found = [(s, step) for s in explained.policies for step in s.rules if (s.policy.id, step.rule.id) in refs]
    sure = [(s, step) for s, step in found if s.scope is TRUE and step.truth is TRUE]
    return (sure or found)[0]


def _because(explained: Explained, step: RuleStep) -> Sentence:
    if step.verdict is None:
        return say("whatever the conditions")
    return say("because ", because_words(step.verdict, explained.judge))


def _in_the_way(explained: Explained) -> Sentence:
    judge = explained.judge
    found = []
    for item in explained.decision.in_the_way:
        words = item_words(item, explained.rulebook)
        if item.kind == "device passes":
            words = say(words, f" (not so: {', '.join(failed_checks(judge, item.name))})")
        found.append(words)
    return joined(found, "or" if _one_would_do(explained) else "and")


def _one_would_do(explained: Explained) -> bool:
    """Tell whether any one of the items in the way would be enough, as far as one rule's alternatives show."""
    refs = {(ref.policy, ref.rule) for ref in explained.decision.deciding}
    steps = [step for s in explained.policies for step in s.rules if (s.policy.id, step.rule.id) in refs]
    formulas = [step.rule.effect.formula for step in steps if step.rule.effect.formula is not None]
    if len(formulas) != 1 or not isinstance(formulas[0], AnyOf):
        return False
    lacking = set(explained.decision.in_the_way)
    return all(len(lacking.intersection(items_of(part))) <= 1 for part in formulas[0].parts)


def why_not_words(steps: PolicySteps, rulebook: Rulebook) -> Sentence:
    """Return what a policy had to do with the decision, in one short sentence."""
    if steps.policy.mode == "off":
        return _OFF
    if steps.scope is FALSE:
        # The last part that was judged: nothing after the first that is false is.
        return _OUT_OF_SCOPE[next(part.name for part in reversed(steps.parts) if part.truth is FALSE)]
    doubt = "Perhaps in scope" if steps.scope is UNKNOWN else "In scope"
    spoke = [step for step in steps.rules if step.truth is not FALSE]
    if not spoke:
        return say(f"{doubt}; no rule matched, so it has no opinion.")
    effects = {"allow": "allows", "block": "blocks", "abstain": "has no opinion", "require": "has requirements"}
    said = [
        f"rule {step.rule.id} "
        f"{'perhaps ' if UNKNOWN in {step.truth, steps.scope} else ''}{effects[step.rule.effect.kind]}"
        for step in spoke
    ]
    return say(f"{doubt}; {', '.join(said)}.")
