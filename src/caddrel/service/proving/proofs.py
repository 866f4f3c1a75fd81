"""Guarantees, rules that do nothing and meanings, of what the service has: done in the process for proofs."""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.inventory.index import Inventory
from caddrel.core.prove import dead_rules
from caddrel.core.prove.about import Case, Subject
from caddrel.core.prove.about import about as asking
from caddrel.core.prove.check_up import check_up as checking
from caddrel.core.prove.comparison import Change
from caddrel.core.prove.guarantees import Proven, Prover, without_and_with
from caddrel.core.prove.one_change import with_only
from caddrel.core.prove.places import places
from caddrel.core.prove.report import about_json, checked_json, compared_json, proven_json, remedy_json
from caddrel.core.prove.safeguards import Checked, Company, safeguards
from caddrel.core.prove.witness import Attempt, explained
from caddrel.core.rulebook.edit.objects import objects_of
from caddrel.core.rulebook.model import Guarantee, Rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.guarantees import guarantee_words
from caddrel.core.words.pieces import pieces_json
from caddrel.core.words.proofs import (
    UNTIL_NOW,
    WITHOUT_IT,
    change_words,
    idle_json,
    meaning_words,
    story_words,
)
from caddrel.service.problems import ServiceError
from caddrel.service.rulebooks.publish import read_files
from caddrel.service.state.caches import Cache
from caddrel.service.state.context import State
from caddrel.service.state.titles import titled
from caddrel.wire import proofs as wire
from caddrel.wire.decoding import convert
from caddrel.wire.rulebooks import Side

# Seconds that one question may take.
LONGEST = 20.0
# Rulebooks of which the formulas are kept, of some two hundred megabytes each at 500 policies; and answers.
MOST_WARM, MOST_ANSWERS = 2, 16


def prove_all(state: State, request: wire.GuaranteeRequest) -> wire.ProofResult:
    """Return whether the guarantees of a rulebook hold.

    Raises
    ------
    ServiceError
        When there is no such guarantee.
    """
    rulebook, inventory = _rulebook(state, request.side), _present(state)
    asked = [replace(each, who=request.who) if request.who else each for each in rulebook.guarantees.values()]
    if request.guarantee and request.guarantee not in rulebook.guarantees:
        hint = did_you_mean(request.guarantee, rulebook.guarantees, "see caddrel prove")
        raise ServiceError(404, "not-found", f"there is no guarantee `{shorten(request.guarantee)}`", hint)
    found = []
    kept = _warm(state, _key(state, request.side, request.who), rulebook, asked, inventory)
    for guarantee in asked:
        if request.guarantee not in {"", guarantee.id}:
            continue
        began = time.monotonic()
        proven = kept.prover.prove(guarantee)
        seconds = time.monotonic() - began
        mending = remedy_json(rulebook, proven, inventory, _left())
        found.append(answer(rulebook, proven, seconds, inventory, mending))
    return wire.ProofResult(found)


# What is asked about, by what it is and not by its name, as of which version of the inventory.
_Key = tuple[Hashable, int, str]


def _key(state: State, side: Side, asked: str) -> _Key:
    if side.files is not None:
        said: Hashable = tuple((file.name, file.text) for file in side.files)
    else:
        said = side.revision if side.revision is not None else state.revisions.current_number()
    return said, state.inventory.version(), asked


class _Warm:
    """What a rulebook comes to as formulas, kept for the next question about it.

    Nothing in it hangs on anything but the rulebook and the inventory, which are what it is kept by.
    """

    def __init__(self, rulebook: Rulebook, guarantees: Sequence[Guarantee], inventory: Inventory | None) -> None:
        self.until = time.monotonic() + LONGEST
        self.prover = Prover(rulebook, guarantees, inventory, self.left)

    def left(self) -> float:
        """Return the seconds that are left for the question of the moment."""
        return self.until - time.monotonic()


def _warm(
    state: State, key: _Key, rulebook: Rulebook, guarantees: Sequence[Guarantee], inventory: Inventory | None
) -> _Warm:
    """Return what a rulebook comes to: kept, made of what one came to of which a few policies are others, or new."""
    kept: Cache[_Key, _Warm] = state.caches.of("provers", MOST_WARM)
    found = kept.get(key)
    if found is None:
        found = _Warm(rulebook, guarantees, inventory)
        # Who writes a draft saves it often, a policy at a time.
        for other in [each for each in kept if each[1:] == key[1:]]:
            # Taken out first: what is made of it is the new one's, also where that ends in the middle.
            lent = kept.pop(other)
            edited = lent.prover.edited(rulebook, guarantees, found.left)
            if edited is not None and edited.is_warm:
                found.prover = edited
                break
            kept[other] = lent
        kept[key] = found
    found.until = time.monotonic() + LONGEST
    return found


def answer(
    rulebook: Rulebook, proven: Proven, seconds: float, inventory: Inventory | None, mending: Mapping[str, Any]
) -> wire.GuaranteeAnswer:
    """Return the answer to a guarantee as it travels, with what mends it."""
    document = {**proven_json(proven, seconds), **mending}
    document["title"] = proven.guarantee.title or proven.guarantee.id
    document["says"] = pieces_json(guarantee_words(proven.guarantee, rulebook))
    example = proven.counterexample
    if example is not None:
        story = story_words(example.explained, example.attempt, *_titles(example.attempt, inventory))
        document["counterexample"]["story"] = pieces_json(story)
    return convert(document, wire.GuaranteeAnswer)


def _titles(attempt: Attempt, inventory: Inventory | None) -> tuple[str, str]:
    if inventory is None:
        return "", ""
    person, app = (attempt.reported.get(name) for name in ("person.id", "app.id"))
    found = (inventory.people.get(str(person)), inventory.apps.get(str(app)))
    return found[0].title if found[0] else "", found[1].title if found[1] else ""


def idle(state: State, request: wire.GuaranteeRequest) -> wire.IdleResult:
    """Return the rules, conditions and policies of a rulebook that do nothing."""
    known: Cache[_Key, wire.IdleResult] = state.caches.of("idle", MOST_ANSWERS)
    key = _key(state, request.side, "")
    if key in known:
        return known[key]
    rulebook, inventory, left = _rulebook(state, request.side), _present(state), _left()
    rules = dead_rules.idle(rulebook, inventory, left)
    policies = dead_rules.redundant(rulebook, inventory, left)
    texts = objects_of(_sources(state, request.side))
    found = (*rules.items, *policies.items)
    items = [convert(idle_json(each, texts.get(("policies", each.policy), "")), wire.IdleThing) for each in found]
    answer = wire.IdleResult(items, rules.whole and policies.whole)
    if answer.whole:
        # What time was not enough for may be told the next time.
        known[key] = answer
    return answer


def meaning(state: State, request: wire.MeaningRequest) -> wire.MeaningResult:
    """Return two rulebooks compared by what they mean.

    Raises
    ------
    RulebookError
        When neither has what alone is to be changed.
    """
    before, after = _rulebook(state, request.before), _rulebook(state, request.after)
    if request.only:
        after = with_only(before, after, request.only)
    return _compared(before, after, _present(state))


def adds(state: State, request: wire.AddsRequest) -> wire.MeaningResult:
    """Return what a policy adds: a rulebook compared with the same without it; one that is not enforced as if it were.

    Raises
    ------
    ServiceError
        When there is no such policy.
    """
    rulebook = _rulebook(state, request.side)
    if request.policy not in rulebook.policies:
        raise _nothing("policy", request.policy, rulebook.policies)
    return _compared(*without_and_with(rulebook, request.policy), _present(state), WITHOUT_IT)


def about(state: State, request: wire.AboutRequest) -> wire.AboutResult:
    """Return which policies speak about a person and an app, and which ever decide for them.

    Raises
    ------
    ServiceError
        When there is no such person or app, or none is named.
    """
    rulebook, inventory = _rulebook(state, request.side), state.inventories.current()
    if not request.person and not request.app:
        raise ServiceError(422, "bad-parameter", "name a person, an app, or both")
    for noun, id, among in (("person", request.person, inventory.people), ("app", request.app, inventory.apps)):
        if id and id not in among:
            raise _nothing(noun, id, among)
    found = asking(rulebook, Subject(request.person, request.app), inventory, _left())

    def words_of(case: Case) -> dict[str, Any]:
        return {"story": pieces_json(story_words(case.explained, case.attempt, *_titles(case.attempt, inventory)))}

    return convert(about_json(found, words_of), wire.AboutResult)


def _nothing(noun: str, id: str, among: Iterable[str]) -> ServiceError:
    hint = did_you_mean(id, among, "names are written as their ids")
    return ServiceError(404, "not-found", f"there is no {noun} `{shorten(id)}`", hint)


def _compared(
    before: Rulebook, after: Rulebook, inventory: Inventory | None, beside: str = UNTIL_NOW
) -> wire.MeaningResult:
    def words_of(change: Change) -> dict[str, Any]:
        found = explained(after, change.attempt, inventory)
        return {"story": pieces_json(change_words(change, found, *_titles(change.attempt, inventory), beside))}

    document = compared_json(before, after, inventory, _left(), places(before, after, inventory), words_of)
    document["sentence"] = meaning_words(document, beside)
    return wire.MeaningResult(convert(document, wire.Meaning))


def check_up(state: State, request: wire.CheckUpRequest) -> wire.CheckUp:
    """Return the ready safeguards with what comes of each for a rulebook.

    Raises
    ------
    ServiceError
        When there is no such safeguard.
    """
    names = [each.name for each in safeguards()]
    if request.safeguard and request.safeguard not in names:
        hint = did_you_mean(request.safeguard, names, f"there are {', '.join(names)}")
        raise ServiceError(404, "not-found", f"there is no safeguard `{shorten(request.safeguard)}`", hint)
    rulebook, inventory = _rulebook(state, request.side), _present(state)
    company = Company(
        rulebook,
        inventory,
        state.clock(),
        request.sensitive or ["sensitive"],
        request.administration or ["administration"],
    )
    found = checking(company, _left(), request.safeguard)
    return wire.CheckUp([safeguard_answer(each, inventory) for each in found])


def safeguard_answer(checked: Checked, inventory: Inventory | None) -> wire.SafeguardAnswer:
    """Return a safeguard with what came of it, as it travels."""
    document = checked_json(checked)
    example = checked.counterexample
    if example is not None:
        story = story_words(example.explained, example.attempt, *_titles(example.attempt, inventory))
        document["counterexample"]["story"] = pieces_json(story)
    return convert(document, wire.SafeguardAnswer)


def _sources(state: State, side: Side) -> list[Source]:
    if side.files is not None:
        return [Source(file.name, file.text) for file in side.files]
    number = side.revision if side.revision is not None else state.revisions.current_number()
    if number is None:
        return [Source("nothing", "caddrel: 1")]
    return [Source(name, text) for name, text in state.rulebooks.get(number).revision.files]


def _left() -> Callable[[], float]:
    until = time.monotonic() + LONGEST
    return lambda: until - time.monotonic()


def _present(state: State) -> Inventory | None:
    """Return the inventory, None while it holds nothing: nobody has said yet who and what there is."""
    found = state.inventories.current()
    return found if found.people or found.apps or found.devices or found.lists else None


def _rulebook(state: State, side: Side) -> Rulebook:
    if side.files is not None:
        found = state.drafted.rulebook(tuple((file.name[:200] or "rulebook.yaml", file.text) for file in side.files))
        rulebook = found if found is not None else read_files(side.files).or_raise()
    elif side.revision is not None:
        rulebook = state.rulebooks.get(side.revision).rulebook
    else:
        rulebook = state.rulebooks.in_force()
    return titled(rulebook, state.inventories.current())


QUESTIONS: dict[str, Callable[[State, Any], Any]] = {
    "prove": prove_all,
    "idle": idle,
    "meaning": meaning,
    "check-up": check_up,
    "about": about,
    "adds": adds,
}
