"""The words that the log is filtered by: one that nobody has ever said would find nothing, and look like good news.

What only older revisions or the log itself know is fine.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.values import listed
from caddrel.core.language.nodes import Condition, FactTest, Operand
from caddrel.core.language.operators import Op
from caddrel.core.logs.filters import RECORD_FACTS, inventory_names, unknown_names
from caddrel.core.meant import meant
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.service.problems import ServiceError
from caddrel.service.state.context import State
from caddrel.store.filters import Judge
from caddrel.store.queries import FILTERS, SHOWN, Query

_MOST_VALUES = 100
# So many revisions are looked through for a policy or rule; of more, one that is not found may be in those before.
_MOST_REVISIONS = 200
_RULES = ("policy", "rule")
_SETS = ("person.groups", "person.roles", "app.labels")
_OBJECTS = {"person": "people", "app": "apps", "device": "devices"}
_LISTED: Mapping[str, Collection[str]] = {
    "outcome": OUTCOMES, "shadow_together": OUTCOMES, "reason": RECORD_FACTS["reason"].words,
}  # fmt: skip


def filter_words(state: State, asked: Mapping[str, str]) -> dict[str, str]:
    """Return the filters that ask for values of their own, each as the log spells it.

    Raises
    ------
    ServiceError
        For a value that is on no list, or that nothing has ever been called.
    """
    found: dict[str, str] = {}
    for name in FILTERS:
        text = asked.get(name)
        if text is None:
            continue
        if text.count(",") >= _MOST_VALUES:
            raise ServiceError(400, "bad-parameter", f"`{name}` holds at most {_MOST_VALUES} values")
        found[name] = ",".join(_word(state, name, each.strip()) for each in text.split(","))
    return found


def refuse_unknown_names(state: State, condition: Condition, text: str, judge: Judge) -> None:
    """Refuse a filter of the log with names that nothing has ever been called, each told at its place.

    Raises
    ------
    ServiceError
        When there are any.
    """
    published = state.rulebooks.current()
    named = {
        fact: (fact, _named(published.rulebook, fact) if published is not None else frozenset[str]()) for fact in _RULES
    }

    def elsewhere(test: FactTest, operand: Operand) -> bool:
        if test.fact in _RULES:
            return _in_a_revision(state, operand.text)
        one = FactTest(test.fact, Op.HAS if test.fact in _SETS else Op.IS, (operand,))
        return bool(state.signins.page(Query(conditions=(one,), judge=judge, limit=1)))

    there = {**inventory_names(state.inventories.current()), **named}
    unknown = unknown_names(condition, text, there, elsewhere, "neither the inventory nor the log knows it")
    if unknown:
        raise ServiceError(422, "bad-filter", unknown[0].message, "", unknown)


def _word(state: State, name: str, said: str) -> str:
    if name in _LISTED:
        if said.lower() in _LISTED[name]:
            return said.lower()
        raise _unknown(name, said, _LISTED[name], f"one of {', '.join(_LISTED[name])}")
    if name in SHOWN:
        spec = FACTS[SHOWN[name][1]]
        if not spec.words:
            return said
        word = listed(spec, said)
        if word is None:
            some = f"one of {', '.join(spec.words)}" if len(spec.words) <= 12 else "a country code such as NO"
            raise _unknown(name, said, spec.words, some)
        return word
    if name in _OBJECTS:
        there = getattr(state.inventories.current(), _OBJECTS[name])
        if said not in there and not _in_log(state, name, said):
            raise _unknown(name, said, there, "neither the inventory nor the log knows it")
    elif name in _RULES:
        published = state.rulebooks.current()
        now = _named(published.rulebook, name) if published is not None else frozenset()
        if said not in now and not _in_a_revision(state, said):
            raise _unknown(name, said, now, "no revision has one, and none has decided anything")
    return said


def _unknown(name: str, said: str, known: Collection[str], otherwise: str) -> ServiceError:
    title = f"there is no {name.replace('_', ' ')} `{shorten(said)}`"
    return ServiceError(400, "unknown-word", title, meant(said, known, otherwise))


def _in_log(state: State, name: str, said: str) -> bool:
    return bool(state.signins.page(Query(equal={name: said}, limit=1)))


def _in_a_revision(state: State, said: str) -> bool:
    """Tell whether a revision may have something of that id: its text has the word, which takes no reading of it.

    What decided a sign-in stands in a revision, so the log need not be gone through.
    """
    revisions = state.revisions.all()
    if len(revisions) > _MOST_REVISIONS:
        return True
    word = re.compile(rf"(?<![\w-]){re.escape(said[:200])}(?![\w-])")
    # A rule without an id of its own is called after its place.
    return re.fullmatch(r"r[0-9]{1,3}", said) is not None or any(
        word.search(text)
        for each in revisions
        if (revision := state.revisions.get(each.number)) is not None
        for _, text in revision.files
    )


def _named(rulebook: Rulebook, name: str) -> frozenset[str]:
    if name == "policy":
        return frozenset(rulebook.policies)
    return frozenset(rule.id for policy in rulebook.policies.values() for rule in policy.rules)
