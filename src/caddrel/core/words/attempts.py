"""Who wants what, in words: the person, the app and the operation of an attempt.

Not here: what comes of it (`words.decisions`, `words.cases`).
"""

from __future__ import annotations

from caddrel.core.facts.facts import Facts
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.pieces import Piece, Sentence, say

_DOING = {
    "enrol-device": "enrol a device",
    "enrol-factor": "enrol a factor",
    "change-password": "change the password",
    "register-account": "register an account",
}


def person_words(facts: Facts, title: str = "") -> Sentence:
    """Return who it is; `title` is what they are called, where the caller knows."""
    id = facts.values.get("person.id")
    return say("this person") if id is None else say(Piece(title or str(id), "person", str(id)))


def app_words(facts: Facts, rulebook: Rulebook, title: str = "") -> Sentence | None:
    """Return which app it is, None where that is open; `title` is what it is called, where the caller knows."""
    id = facts.values.get("app.id")
    if id is None:
        return None
    entry = rulebook.apps.get(str(id))
    return say(Piece((entry.title if entry else "") or title or facts.app_title or str(id), "app", str(id)))


def enters(facts: Facts) -> bool:
    """Tell whether it is about getting into an app: so it is taken to be when nothing is said."""
    return str(facts.values.get("operation")) not in _DOING


def doing_words(facts: Facts, app: Sentence | None) -> Sentence:
    """Return what the person may or may not do, such as "open Manifest" or "enrol a device"."""
    if enters(facts):
        return say("open ", app or "this app")
    doing = _DOING[str(facts.values["operation"])]
    return say(f"{doing} for ", app) if app is not None else say(doing)
