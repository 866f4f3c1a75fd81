"""What was proven, in plain sentences: counterexamples as stories, changes of meaning, rules that do nothing."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from caddrel.core.decide.interpreter.interpreter import Explained
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show
from caddrel.core.prove.comparison import Change
from caddrel.core.prove.dead_rules import Idle, taken_out
from caddrel.core.prove.witness import Attempt
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.attempts import app_words, doing_words, person_words
from caddrel.core.words.cases import label_words
from caddrel.core.words.pieces import Sentence, capital, joined, say

_SETTLED = ("auth.credentials", "auth.locked_out")
_ABOUT = ("person.id", "app.id", "operation")
UNTIL_NOW, WITHOUT_IT = "until now", "without it"
_AT = {UNTIL_NOW: "today", WITHOUT_IT: WITHOUT_IT}
_COULD = {"allowed": "could ", "challenged": "would be asked for more to ", "blocked": "could not "}


def story_words(found: Explained, attempt: Attempt, person: str = "", app: str = "") -> Sentence:
    """Return an attempt and its outcome as one sentence.

    Parameters
    ----------
    person, app
        What they are called, where the caller knows.
    """
    facts, rulebook = found.facts, found.rulebook
    who = person_words(facts, person) if "person.id" in attempt.reported else _somebody(attempt.reported)
    doing = doing_words(facts, app_words(facts, rulebook, app))
    circumstances = list(_circumstances(attempt, rulebook))
    if not circumstances:
        return capital(say(who, " ", _COULD[found.decision.outcome], doing, ", whatever else is the case."))
    return capital(say(who, " ", _COULD[found.decision.outcome], doing, ", if ", joined(circumstances, " and "), "."))


def _somebody(reported: Mapping[str, Value]) -> Sentence:
    kind = reported.get("person.kind")
    return say("somebody") if kind is None else say(f"{'an' if kind == 'employee' else 'a'} {kind}")


def _circumstances(attempt: Attempt, rulebook: Rulebook) -> Iterable[Sentence]:
    told_kind = "person.id" not in attempt.reported
    for name, value in sorted(attempt.reported.items()):
        if name in _SETTLED or name in _ABOUT or (name == "person.kind" and told_kind):
            continue
        label = label_words(name)
        yield say(f"{label[0].lower()}{label[1:]}: {show(value, rulebook.catalogue[name])}")
    for name, holds in sorted(attempt.lists.items()):
        yield say(f"the address is {'' if holds else 'not '}in {name}")


def idle_words(idle: Idle) -> str:
    """Return what does nothing, as one sentence."""
    rule = f"rule {idle.rule} of `{idle.policy}`"
    match idle.kind:
        case "changes-nothing":
            return f"without `{idle.policy}` every attempt comes to the same"
        case "always-true":
            return f"the condition of {rule} holds whenever it is reached"
        case "always-false":
            return f"the condition of {rule} holds for nobody of whom everything is known"
        case "never-fires":
            if idle.because:
                leave = "leaves" if len(idle.because) == 1 else "leave"
                return f"{rule} never fires: {', '.join(idle.because)} before it {leave} it nothing"
            if idle.scope:
                return f"{rule} never fires: the policy's scope leaves it nothing"
            return f"{rule} never fires: nothing can make its condition true"


def idle_json(idle: Idle, text: str) -> dict[str, Any]:
    """Return what does nothing as plain values, with the change that takes it out.

    Parameters
    ----------
    text
        The policy as it is written.
    """
    change = {"path": f"policies.{idle.policy}", "text": taken_out(text, idle), "same": idle.surely}
    found = {"kind": idle.kind, "policy": idle.policy, "rule": idle.rule, "because": list(idle.because)}
    return {**found, "says": idle_words(idle), "change": change}


def change_words(
    change: Change, after: Explained, person: str = "", app: str = "", beside: str = UNTIL_NOW
) -> Sentence:
    """Return what changes for an attempt, as one sentence.

    Parameters
    ----------
    after
        What the interpreter makes of it under the rulebook after.
    beside
        How the side before is called: `UNTIL_NOW`, or `WITHOUT_IT`.
    """
    story = story_words(after, change.attempt, person, app)
    was = {"allowed": "allowed", "challenged": "asked for more", "blocked": "blocked"}
    # A name stays as it is written.
    first = story[0].text
    begun = first if "person.id" in change.attempt.reported else first[:1].lower() + first[1:]
    return say(f"{beside[:1].upper()}{beside[1:]} {was[change.before.outcome]}: ", begun, *story[1:])


_FEW = 3
_KINDS = {
    ("allowed", "challenged"): "{whom} allowed {beside} are asked for more{where}.",
    ("allowed", "blocked"): "{whom} allowed {beside} are blocked{where}.",
    ("challenged", "allowed"): "{whom} asked for more {beside} get in without{where}.",
    ("challenged", "blocked"): "{whom} asked for more {beside} are blocked{where}.",
    ("blocked", "allowed"): "{whom} blocked {beside} are let in{where}.",
    ("blocked", "challenged"): "{whom} blocked {beside} can get in with more{where}.",
}
_OTHERWISE = {
    "allowed": "{whom} get in as before, for another time{where}.",
    "challenged": "{whom} are asked for something else, or get in for another time{where}.",
}


def meaning_words(meaning: Mapping[str, Any], beside: str = UNTIL_NOW) -> str:
    """Return what differs between two rulebooks, in a few sentences.

    Parameters
    ----------
    beside
        How the side before is called: `UNTIL_NOW`, or `WITHOUT_IT`.
    """
    if meaning["same"] and beside == WITHOUT_IT:
        return "Nothing: without it every attempt comes to the same."
    if meaning["same"]:
        return "Both mean the same: every attempt comes to the same on both sides."
    found = {(change["from"], change["to"]): change for change in meaning["changes"]}
    said = []
    if meaning["exact"] and not any(kind[0] == "blocked" and kind[1] != "blocked" for kind in found):
        said.append(f"Nobody who is blocked {_AT[beside]} gets in.")
    if meaning["exact"] and not any(kind[1] == "blocked" and kind[0] != "blocked" for kind in found):
        said.append(f"Nobody who gets in {_AT[beside]}, or can, is blocked.")
    for kind, change in found.items():
        apps, people = change["apps"], change["people"]
        # Of more than a few names nobody reads them in a sentence: they stand beside it.
        where = f" in {_some(apps)}" if len(apps) <= _FEW and apps else f" in {len(apps)} apps" if apps else ""
        whom = f"Some of {_some(people)}" if len(people) <= _FEW and people else "Some people"
        if kind in _KINDS:
            said.append(_KINDS[kind].format(whom=whom, beside=beside, where=where))
        else:
            said.append(_OTHERWISE[kind[0]].format(whom=whom, where=where))
    said += [f"The {each} is defined otherwise." for each in meaning["definitions"]]
    if not meaning["exact"]:
        said.append("Time ran out: there may be other changes.")
    return " ".join(said)


def _some(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
