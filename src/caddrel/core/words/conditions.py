"""Conditions, requirements and scopes in plain English."""

from __future__ import annotations

from caddrel.core.decide.decisive import decisive
from caddrel.core.decide.interpreter.judge import Judge, Verdict
from caddrel.core.decide.truth import TRUE, UNKNOWN
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import FactType
from caddrel.core.language.nodes import (
    AllOf,
    And,
    AnyOf,
    Condition,
    During,
    FactTest,
    Formula,
    FromPlace,
    Item,
    Not,
    Operand,
    Or,
    Passes,
    Surely,
)
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.pieces import Piece, Sentence, duration_words, joined, say

# Why somebody is stopped before any policy is asked, as the end of a sentence.
BEFORE_POLICIES = {
    "credentials": "the credentials were wrong, so no policy was asked",
    "locked-out": "there were too many wrong passwords, so no policy was asked",
}
_LEFT = "whoever has left is let in nowhere, so no policy was asked"


def before_policies_words(reason: str, facts: Facts) -> str:
    """Return why an attempt was stopped before any policy, as the end of a sentence."""
    if reason == "credentials" and facts.origins.get("auth.credentials") is Origin.INVENTORY:
        return _LEFT
    return BEFORE_POLICIES[reason]


# How a sentence names each fact; flags have what they say instead, and its negation.
SUBJECTS = {
    "person.id": "the person",
    "person.kind": "the account's kind",
    "person.home": "the guest's organisation",
    "person.unit": "the person's unit",
    "person.risk": "the account's risk",
    "app.id": "the app",
    "operation": "the operation",
    "enrolling.factor": "the factor being enrolled",
    "enrolling.owner": "the owner of the device being enrolled",
    "enrolling.depth": "the depth of the enrolment",
    "network.ip": "the address",
    "network.country": "the country",
    "network.city": "the city",
    "network.asn": "the autonomous system",
    "network.anonymiser": "the anonymiser",
    "device.id": "the device",
    "device.serial": "the device's serial number",
    "device.owner": "the device's owner",
    "device.platform": "the platform",
    "device.os_version": "the OS version",
    "device.state_age": "the age of the device's last report",
    "device.listed_for": "the time since the device was listed",
    "client.kind": "the client's kind",
    "client.name": "the client",
    "client.version": "the client's version",
    "flow": "the flow",
    "risk.attempt": "the attempt's risk",
    "time.at": "the moment",
    "auth.credentials": "the credentials",
    "auth.age": "the age of the sign-in methods",
}
FLAGS = {
    "device.listed": ("the device is in the inventory", "the device is not in the inventory"),
    "device.managed": ("the device is managed", "the device is not managed"),
    "device.encrypted": ("the device is encrypted", "the device is not encrypted"),
    "device.screen_lock": ("the device locks its screen", "the device does not lock its screen"),
    "device.tampered": ("the device has been tampered with", "the device has not been tampered with"),
    "device.vetted": ("the device is vetted", "the device is not vetted"),
    "client.vetted": ("the client is vetted", "the client is not vetted"),
    "client.protected": (
        "the client keeps company data apart",
        "the client does not keep company data apart",
    ),
    "auth.locked_out": ("the person is locked out", "the person is not locked out"),
}
# What sets are called as a whole.
_WHOLE = {
    "person.groups": "the person's groups",
    "person.roles": "the person's roles",
    "person.factors": "the person's factors",
    "app.labels": "the app's labels",
    "signals": "the signals",
    "auth.methods": "the methods of the session",
    "auth.notices": "the notices that were accepted",
}
# Sets: how membership is said, with and without the negation.
SETS = {
    "person.groups": ("the person is in", "the person is not in", "group"),
    "person.roles": ("the person has the role", "the person does not have the role", "role"),
    "person.factors": ("the person has enrolled", "the person has not enrolled", ""),
    "app.labels": ("the app is labelled", "the app is not labelled", "label"),
    "signals": ("", "", "signal"),
    "auth.methods": ("the session used", "the session did not use", ""),
    "auth.notices": ("the person has accepted", "the person has not accepted", "notice"),
}


def subject_of(fact: str) -> str:
    """Return what a sentence calls a fact: of attributes whose they are, ``the person's clearance``."""
    group, found, name = fact.partition(".attributes.")
    return SUBJECTS.get(fact) or (f"the {group}'s {name}" if found else fact)


def part_name(rulebook: Rulebook, section: str, kind: str, name: str) -> Piece:
    """Return the name of a part as a piece that can be followed."""
    part = getattr(rulebook, section).get(name)
    return Piece((part.title if part else "") or name, kind, name)


def condition_words(node: Condition, rulebook: Rulebook, negated: bool = False) -> Sentence:
    """Return a condition as a clause: ``the device is not managed and …``."""
    match node:
        case And(parts=parts) | Or(parts=parts):
            if not parts:
                return say("always")
            together = isinstance(node, And) != negated
            clauses = [_bracketed(p, rulebook, negated) for p in parts]
            return joined(clauses, "and" if together else "or")
        case Not(part=part):
            return condition_words(part, rulebook, not negated)
        case Surely(part=part):
            sure = "it is not certain that " if negated else "it is certain that "
            return say(sure, condition_words(part, rulebook))
        case FactTest():
            return _fact_words(node, rulebook, negated)
        case FromPlace(places=places):
            names = joined((say(part_name(rulebook, "places", "place", p.text)) for p in places), "or")
            return say("the attempt does not come from " if negated else "the attempt comes from ", names)
        case Passes(standard=standard):
            verb = "the device does not pass " if negated else "the device passes "
            return say(verb, part_name(rulebook, "standards", "standard", standard.text))
        case During(schedule=schedule):
            return say(
                "it is outside " if negated else "it is during ",
                part_name(rulebook, "schedules", "schedule", schedule.text),
            )


def _bracketed(node: Condition, rulebook: Rulebook, negated: bool) -> Sentence:
    words = condition_words(node, rulebook, negated)
    return say("(", words, ")") if isinstance(node, And | Or) and len(node.parts) > 1 else words


def _fact_words(test: FactTest, rulebook: Rulebook, negated: bool) -> Sentence:
    row = OPERATORS[test.op]
    op = row.positive or test.op
    no = negated != (row.positive is not None)
    subject = subject_of(test.fact)
    if test.op in {Op.KNOWN, Op.UNKNOWN}:
        return say(_known_words(test.fact, "not " if no else ""))
    if test.op is Op.FLAG:
        yes_no = FLAGS.get(test.fact, (f"{subject} is yes", f"{subject} is no"))
        return say(yes_no[no])
    values = [_value(test.fact, operand, rulebook) for operand in test.operands]
    if test.fact in SETS or rulebook.catalogue[test.fact].type is FactType.NAMES:
        yes, negative, _ = SETS.get(test.fact, (f"{subject} has", f"{subject} does not have", ""))
        # "Not in a or b" is neither of them; "not in all of a and b" may be one.
        every = op is Op.HAS_ALL
        if test.fact == "signals":
            return _signals(values, every, no)
        return say(
            f"{negative if no else yes} {'all of ' if every and no else ''}", joined(values, "and" if every else "or")
        )
    return _comparison(test, op, no, values)


def _known_words(fact: str, no: str) -> str:
    if fact in FLAGS:
        return f"it is {no}known whether {FLAGS[fact][0]}"
    if fact in _WHOLE:
        return f"{_WHOLE[fact]} are {no}known"
    return f"{subject_of(fact)} is {no}known"


def _signals(values: list[Sentence], every: bool, no: bool) -> Sentence:
    if len(values) == 1:
        return say("the signal ", values[0], " did not fire" if no else " fired")
    if no:
        return say("not all of the signals " if every else "none of the signals ", joined(values, "and"), " fired")
    return say("the signals " if every else "one of the signals ", joined(values, "and"), " fired")


def _comparison(test: FactTest, op: Op, no: bool, values: list[Sentence]) -> Sentence:
    special = _special(test, op, no)
    if special:
        return say(special)
    subject = subject_of(test.fact)
    if op is Op.ONE_OF:
        return say(f"{subject} is {'not ' if no else ''}", joined(values, "or"))
    verb = op.value
    if no:
        verb = verb.replace("is", "is not", 1) if verb.startswith("is") else f"does not {_bare(verb)}"
    return say(f"{subject} {verb} ", *values)


def _bare(verb: str) -> str:
    first, _, rest = verb.partition(" ")
    return f"{first.removesuffix('s')} {rest}".strip()


def _special(test: FactTest, op: Op, no: bool) -> str:
    """Return the usual wording of tests that read badly when put together from their words."""
    value = test.operands[0].text if len(test.operands) == 1 and op is Op.IS else ""
    if test.fact == "device.owner" and value in {"company", "personal"}:
        whose = "the company's" if value == "company" else "the person's own"
        return f"the device is {'not ' if no else ''}{whose}"
    if test.fact == "network.anonymiser" and value == "none":
        return "the origin is hidden" if no else "the origin is not hidden"
    if test.fact == "auth.credentials" and value:
        right = (value == "right") != no
        return f"the credentials were {'right' if right else 'wrong'}"
    if test.fact == "person.kind" and value:
        return f"the person is {'not ' if no else ''}{'an' if value[0] in 'aeiou' else 'a'} {value}"
    return ""


def _value(fact: str, operand: Operand, rulebook: Rulebook) -> Sentence:
    kind = SETS[fact][2] if fact in SETS else ""
    if fact == "auth.notices":
        return say(part_name(rulebook, "notices", "notice", operand.text))
    if fact == "signals":
        return say(part_name(rulebook, "signals", "signal", operand.text))
    if fact == "app.id":
        return say(Piece(app_title(rulebook, operand.text), "app", operand.text))
    if kind:
        return say(Piece(operand.text, kind, operand.text))
    return say(operand.text)


def app_title(rulebook: Rulebook, name: str) -> str:
    """Return what an app is called."""
    entry = rulebook.apps.get(name)
    return (entry.title if entry else "") or name


def item_words(item: Item, rulebook: Rulebook) -> Sentence:
    """Return one requirement: ``MFA within the last 12 hours``."""
    asked = _asked(item, rulebook)
    return say(asked, f" within the last {duration_words(item.within)}") if item.within is not None else asked


def _asked(item: Item, rulebook: Rulebook) -> Sentence:
    match item.kind:
        case "proof":
            return say("the proof ", part_name(rulebook, "proofs", "proof", item.name))
        case "device passes":
            return say("a device that passes ", part_name(rulebook, "standards", "standard", item.name))
        case "notice":
            return say("accepting the notice ", part_name(rulebook, "notices", "notice", item.name))
        case "mfa":
            return say("MFA")
        case "managed device":
            return say("a managed device")
        case "company device":
            return say("a company device")
        case "vetted client":
            return say("a vetted client")
        case "protected client":
            return say("a client that keeps company data apart")
        case "new password":
            return say("a new password")


def formula_words(formula: Formula, rulebook: Rulebook) -> Sentence:
    """Return a requirement formula in words."""
    match formula:
        case Item():
            return item_words(formula, rulebook)
        case AllOf(parts=parts):
            return joined((_formula_part(p, rulebook) for p in parts), "and")
        case AnyOf(parts=parts):
            return joined((_formula_part(p, rulebook) for p in parts), "or")


def _formula_part(formula: Formula, rulebook: Rulebook) -> Sentence:
    words = formula_words(formula, rulebook)
    return words if isinstance(formula, Item) else say("(", words, ")")


def because_words(verdict: Verdict, judge: Judge) -> Sentence:
    """Return why a condition holds: just the tests that made it so, the unknown ones named as unknown."""
    return joined((_test_words(test, judge, as_true) for test, as_true in decisive(verdict)), "and")


def _test_words(test: Verdict, judge: Judge, as_true: bool) -> Sentence:
    node = test.node
    if test.truth is UNKNOWN:
        return say("it is not known whether ", condition_words(node, judge.rulebook))
    clause = condition_words(node, judge.rulebook, negated=not as_true)
    if isinstance(node, Passes) and not as_true:
        clause = say(clause, f" (not so: {', '.join(failed_checks(judge, node.standard.text))})")
    return clause


def failed_checks(judge: Judge, name: str) -> list[str]:
    """Return the titles of a standard's checks that do not hold for certain, in document order."""
    verdict = judge.standard(name)
    judged = zip(verdict.standard.checks, verdict.checks, strict=True)
    return [check.title or check.id for check, held in judged if held.truth is not TRUE]
