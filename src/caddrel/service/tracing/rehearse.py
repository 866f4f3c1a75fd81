"""Rehearsing: an attempt that did not happen."""

from __future__ import annotations

import time
from datetime import datetime

import msgspec

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import Explained, explain
from caddrel.core.diagnostics import Diagnostic, RulebookError, did_you_mean, shorten
from caddrel.core.facts.attempts import SHORT, AttemptRefused, read_facts, read_given_facts
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import Rehearsal as KeptRehearsal
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.stages import STAGES, Part, stages
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.rulebooks.publish import read_files
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of, titled
from caddrel.service.tracing.cases import LONGEST, Cases, cases_now, known_addresses
from caddrel.service.tracing.completion import completed_now
from caddrel.service.tracing.person import person_view
from caddrel.service.tracing.remedies import remedies_of
from caddrel.service.tracing.views import decision_view, trace_view
from caddrel.wire import rehearsals as wire
from caddrel.wire.decisions import RehearseRequest


def rulebook_for(state: State, request: RehearseRequest) -> tuple[Rulebook, CompiledRulebook, int | None]:
    """Return the rulebook that a rehearsal names, also compiled, with its revision."""
    if request.files is not None:
        result = read_files(request.files)
        if result.rulebook is None:
            raise RulebookError(result.diagnostics)
        return result.rulebook, CompiledRulebook(result.rulebook), None
    published = (
        state.rulebooks.get(request.revision) if request.revision is not None else state.rulebooks.need_current()
    )
    return published.rulebook, published.compiled, published.revision.number


def rehearse(state: State, request: RehearseRequest) -> wire.Rehearsal:
    """Decide an attempt that did not happen; facts left out stay unknown.

    Raises
    ------
    AttemptRefused
        Naming every fact that is unknown or wrong, and a person or app that the inventory does not know.
    """
    return rehearsed(state, request)[0]


def rehearsed(state: State, request: RehearseRequest) -> tuple[wire.Rehearsal, Facts]:
    """Return the answer to a rehearsal, as `rehearse` does, with the facts as completed."""
    rulebook, compiled, number = rulebook_for(state, request)
    inventory = state.inventories.current()
    reported = _read(state, rulebook, inventory, request)
    facts = completed_now(state, rulebook, inventory, reported)
    named = titled(rulebook, inventory)
    explained = explain(named, facts, number)
    person = title_of(inventory, "people", facts.values.get("person.id"))
    door = decision_words(explained, person)
    # Titles aside it is the same rulebook: what its policies read was found out once.
    read = state.drafted.reads(rulebook)
    cases = Cases(named, compiled, facts, inventory, known_addresses(state), explained.decision, read)
    seen = cases.view(person, door)
    if "time.at" in seen.matters:
        # A moment that is left out may be any; whoever leaves it out most often means this one.
        seen = msgspec.structs.replace(seen, now=cases_now(state, named, inventory, reported, person, read))
    until = time.thread_time() + LONGEST
    answer = wire.Rehearsal(
        pieces(door),
        decision_view(explained.decision),
        trace_view(explained),
        _remarks(facts, inventory),
        remedies_of(state, explained, compiled, inventory) if cases.settled else [],
        seen,
        _stages(explained),
        person_view(state, named, facts, inventory, cases.asked, read, lambda: time.thread_time() > until),
    )
    return answer, facts


def _stages(explained: Explained) -> list[wire.Stage]:
    return [
        wire.Stage(stage, STAGES[stage], [_part(part) for part in parts])
        for stage, parts in stages(explained).items()
        if parts
    ]


def _part(part: Part) -> wire.StagePart:
    says = pieces(part.says)
    return wire.StagePart(part.policy, part.title, part.rule, part.mode, says, part.perhaps, part.decides)


def completed(state: State, rulebook: Rulebook, inventory: Inventory, request: RehearseRequest) -> Facts:
    """Return the facts of a rehearsal, completed.

    Raises
    ------
    AttemptRefused
        Naming every fact that is unknown or wrong, and a person or app that the inventory does not know.
    """
    return completed_now(state, rulebook, inventory, _read(state, rulebook, inventory, request))


def _read(state: State, rulebook: Rulebook, inventory: Inventory, request: RehearseRequest) -> dict[str, Value]:
    reported, problems = _reported(request, rulebook, state.clock())
    problems += _unknown(reported, inventory)
    if problems:
        raise AttemptRefused(problems)
    return reported


def kept_rehearsals(data: DataFolder, draft: str = "") -> wire.RehearsalList:
    """Return the rehearsals that a draft or the current revision keeps; of a draft with errors none."""
    rulebook = drafting.read(data, draft) if draft else None
    if not draft:
        published = data.rulebooks.current()
        rulebook = published.rulebook if published is not None else None
    kept = rulebook.rehearsals.values() if rulebook is not None else ()
    return wire.RehearsalList([_info(each) for each in kept])


def _info(kept: KeptRehearsal) -> wire.RehearsalInfo:
    attempt = {name: to_json(value) for name, value in kept.attempt.items()}
    return wire.RehearsalInfo(kept.id, kept.title or kept.id, kept.expected, attempt)


def _reported(request: RehearseRequest, rulebook: Rulebook, now: datetime) -> tuple[dict[str, Value], list[Diagnostic]]:
    """Return the facts that can be read, and what is wrong with the others."""
    problems: list[Diagnostic] = []
    reported: dict[str, Value] = {}
    # `app` alone stands for its id; with fields of its own it is a nested fact.
    typed = {SHORT.get(k, k) if isinstance(v, str) else k: v for k, v in request.facts.items()}
    given = {name: text for name, text in request.given.items() if text.strip()}
    for name, text in given.items():
        try:
            reported.update(read_given_facts({name: text}, rulebook.catalogue, now))
        except AttemptRefused as refused:
            problems.extend(refused.problems)
    try:
        reported.update(read_facts(typed, rulebook.catalogue))
    except AttemptRefused as refused:
        problems.extend(refused.problems)
    return reported, problems


def _unknown(reported: dict[str, Value], inventory: Inventory) -> list[Diagnostic]:
    """Return findings for a person or app that the inventory does not know."""
    problems = []
    known = (("person.id", "person", inventory.people), ("app.id", "app", inventory.apps))
    for fact, word, there in known:
        name = reported.get(fact)
        if isinstance(name, str) and name not in there and there:
            hint = did_you_mean(name, there, f"see caddrel {'people' if word == 'person' else 'apps'} list")
            problems.append(
                Diagnostic(f"unknown-{word}", f"the inventory knows no {word} `{shorten(name)}`", hint, path=fact)
            )
    return problems


def _remarks(facts: Facts, inventory: Inventory) -> list[str]:
    """Return what is worth saying about an attempt that can be decided."""
    device = facts.values.get("device.id")
    if isinstance(device, str) and device not in inventory.devices and facts.values.get("device.listed") is False:
        return [f"The device {shorten(device)} is not in the inventory: decided as an unlisted one."]
    return []
