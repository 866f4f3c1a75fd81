"""A policy as one plain sentence."""

from __future__ import annotations

from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import AllOf, And, AnyOf, FactTest, Operand
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Policy, Rule, Rulebook, Scope, Selector
from caddrel.core.words.conditions import app_title, condition_words, formula_words
from caddrel.core.words.pieces import Piece, Sentence, capital, joined, say

_OPERATIONS = {
    "sign-in": "opening",
    "enrol-device": "enrolling a device for",
    "enrol-factor": "enrolling a factor for",
    "change-password": "changing a password for",
    "register-account": "registering an account for",
}


def selector_words(selector: Selector, rulebook: Rulebook) -> Sentence:
    """Return one selector of people or apps in words."""
    match selector.kind:
        case "everyone":
            return say("everyone")
        case "every-app":
            return say("any app")
        case "group":
            return say("the group ", Piece(selector.id, "group", selector.id))
        case "role":
            return say("those with the role ", Piece(selector.id, "role", selector.id))
        case "person":
            return say(Piece(selector.id, "person", selector.id))
        case "kind":
            return say("service accounts" if selector.id == "service" else f"{selector.id}s")
        case "unit":
            return say(f"the unit {selector.id}")
        case "app":
            return say(Piece(app_title(rulebook, selector.id), "app", selector.id))
        case "label":
            return say("apps labelled ", Piece(selector.id, "label", selector.id))
        case "where":
            return say("those of whom ", condition_words(selector.condition, rulebook))


def app_selector_words(selector: Selector, rulebook: Rulebook) -> Sentence:
    """Return which apps a selector is of; a condition is about apps here: ``apps not labelled public``."""
    if selector.kind != "where":
        return selector_words(selector, rulebook)
    match selector.condition:
        case FactTest(fact="app.labels", op=Op.HAS | Op.HAS_ANY, operands=labels):
            return say("apps labelled ", joined(map(_label, labels), "or"))
        case FactTest(fact="app.labels", op=Op.HAS_ALL, operands=labels):
            return say("apps labelled ", joined(map(_label, labels), "and"))
        case FactTest(fact="app.labels", op=Op.HAS_NONE, operands=labels):
            return say("apps not labelled ", joined(map(_label, labels), "or"))
        case _:
            return say("any app when ", condition_words(selector.condition, rulebook))


def _label(label: Operand) -> Sentence:
    return say(Piece(label.text, "label", label.text))


def scope_words(scope: Scope, rulebook: Rulebook) -> Sentence:
    """Return whose sign-ins, to what: ``everyone except the group keyholders, opening Manifest``."""

    def listed(selectors: tuple[Selector, ...]) -> Sentence:
        return joined((selector_words(s, rulebook) for s in selectors), "and") if selectors else say("nobody")

    people = listed(scope.people)
    if scope.except_people:
        people = say(people, " except ", listed(scope.except_people))
    apps = joined((app_selector_words(s, rulebook) for s in scope.apps), "or") if scope.apps else say("no app")
    if scope.except_apps:
        apps = say(apps, " except ", joined((app_selector_words(s, rulebook) for s in scope.except_apps), "and"))
    doing = (
        joined((say(_OPERATIONS[o]) for o in scope.operations), "or") if scope.operations else say("doing nothing with")
    )
    return say(people, ", ", doing, " ", apps)


def effect_words(effect: Effect, rulebook: Rulebook) -> Sentence:
    """Return what a rule does in words."""
    if effect.formula is not None:
        return say("needs ", formula_words(effect.formula, rulebook))
    return say({"allow": "allowed", "block": "blocked", "abstain": "no opinion"}[effect.kind])


def rule_words(rule: Rule, rulebook: Rulebook) -> Sentence:
    """Return a rule in words: ``blocked when the device is not the company's``."""
    effect = effect_words(rule.effect, rulebook)
    if rule.when is None:
        return effect
    mixed = isinstance(rule.effect.formula, AllOf | AnyOf) and isinstance(rule.when, And)
    return say(effect, ", when " if mixed else " when ", condition_words(rule.when, rulebook))


def policy_words(policy: Policy, rulebook: Rulebook) -> Sentence:
    """Return a policy as one sentence, rules in order."""
    parts: list[str | Sentence] = [scope_words(policy.scope, rulebook), ": "]
    for i, rule in enumerate(policy.rules):
        if i:
            parts.append("; otherwise " if rule.when is None else "; else ")
        parts.append(rule_words(rule, rulebook))
    if not policy.rules:
        parts.append("no opinion")
    elif policy.rules[-1].when is not None:
        parts.append("; else no opinion")
    return capital(say(*parts, "."))
