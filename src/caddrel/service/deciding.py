"""Rehearsing attempts, and tracing sign-ins of the log."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any

import msgspec

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import MEANING, Decision, decision_json
from caddrel.core.decide.interpreter.interpreter import Explained, explain, standards_named
from caddrel.core.decide.trace import trace_json
from caddrel.core.decide.truth import TRUE
from caddrel.core.diagnostics import Diagnostic, RulebookError, did_you_mean, shorten
from caddrel.core.facts.attempts import SHORT, AttemptRefused, read_facts, read_given_facts
from caddrel.core.facts.facts import Origin, Setting
from caddrel.core.facts.record import facts_from_json
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.formulas import parse_formula
from caddrel.core.language.nodes import Item
from caddrel.core.rulebook.model import AppEntry, Rulebook
from caddrel.core.words.decisions import decision_words, why_not_words
from caddrel.core.words.pieces import Sentence, say
from caddrel.core.words.signals import signal_words
from caddrel.service.comparing import changed_facts, changed_objects
from caddrel.service.deps import Deps
from caddrel.service.describing import pieces
from caddrel.service.errors import ServiceError, not_found
from caddrel.service.noticing import notice_now
from caddrel.service.publishing import info, read_files
from caddrel.service.remedying import remedies_of
from caddrel.service.state import State
from caddrel.store.signins import SigninRecord
from caddrel.wire import decisions as wire
from caddrel.wire.rulebooks import FactList, FactView
from caddrel.wire.signins import Fix, Now, SigninSummary, SigninTrace, WholeRecord

# So many of the person's sign-ins before and after the one that is traced.
AROUND = 5


def titled(rulebook: Rulebook, inventory: Inventory) -> Rulebook:
    """Return the rulebook with the inventory's titles for apps that it does not name itself, for sentences."""
    apps = dict(rulebook.apps)
    for app in inventory.apps.values():
        entry = apps.get(app.id, AppEntry(app.id))
        apps[app.id] = replace(entry, title=entry.title or app.title)
    return replace(rulebook, apps=apps)


def rulebook_for(state: State, request: wire.RehearseRequest) -> tuple[Rulebook, CompiledRulebook, int | None]:
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


def rehearse(state: State, request: wire.RehearseRequest) -> wire.Rehearsal:
    """Decide an attempt that did not happen; facts left out stay unknown.

    Raises
    ------
    AttemptRefused
        Naming every fact that is unknown or wrong, and a person or app that the inventory does not know.
    """
    rulebook, compiled, number = rulebook_for(state, request)
    inventory = state.inventories.current()
    reported, problems = _reported(request, rulebook)
    problems += _unknown(reported, inventory)
    if problems:
        raise AttemptRefused(problems)
    facts = complete(
        reported,
        rulebook.catalogue,
        rulebook.settings.assume,
        inventory,
        Setting.REHEARSAL,
        state.clock(),
        state.addresses,
    )
    notice_now(state, rulebook, facts)
    # What the door would show has a reference to quote; a rehearsal leaves no record, so it shows the form of one.
    facts.reference = "00000-00000"
    explained = explain(titled(rulebook, inventory), facts, number)
    return wire.Rehearsal(
        pieces(decision_words(explained, _title(inventory, "people", facts.values.get("person.id")))),
        decision_view(explained.decision),
        trace_view(explained),
        _remarks(reported, inventory),
        remedies_of(state, explained, compiled, inventory),
    )


def _reported(request: wire.RehearseRequest, rulebook: Rulebook) -> tuple[dict[str, Value], list[Diagnostic]]:
    """Return the facts that can be read, and what is wrong with the others."""
    problems: list[Diagnostic] = []
    reported: dict[str, Value] = {}
    # `app` alone stands for its id; with fields of its own it is a nested fact.
    typed = {SHORT.get(k, k) if isinstance(v, str) else k: v for k, v in request.facts.items()}
    given = {name: text for name, text in request.given.items() if text.strip()}
    for name, text in given.items():
        try:
            reported.update(read_given_facts({name: text}, rulebook.catalogue))
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


def _remarks(reported: dict[str, Value], inventory: Inventory) -> list[str]:
    """Return what is worth saying about an attempt that can be decided."""
    device = reported.get("device.id")
    if isinstance(device, str) and device not in inventory.devices:
        return [f"The device {shorten(device)} is not in the inventory: decided as an unlisted one."]
    return []


def decision_view(decision: Decision) -> wire.Decision:
    """Return a decision as it travels."""
    return msgspec.convert(decision_json(decision), wire.Decision)


def trace_view(explained: Explained) -> wire.Trace:
    """Return a trace as it travels, each policy and signal with its summary."""
    document: dict[str, Any] = trace_json(explained)
    document["policies"] = [
        {**policy, "summary": _plain_pieces(why_not_words(steps, explained.rulebook))}
        for policy, steps in zip(document["policies"], explained.policies, strict=True)
    ]
    for signal in document["signals"].values():
        signal["summary"] = _plain_pieces(signal_words(signal["why"]))
    return msgspec.convert(document, wire.Trace)


@lru_cache(maxsize=4096)
def _plain_pieces(sentence: Sentence) -> list[Any]:
    # Most policies have the same few things to say; who gets them does not change them.
    return [msgspec.to_builtins(piece) for piece in pieces(sentence)]


def _title(inventory: Inventory, noun: str, id: object) -> str:
    entry = getattr(inventory, noun).get(id)
    return entry.title if entry else ""


def summary(record: SigninRecord) -> SigninSummary:
    """Return a row of the log as it travels."""
    at = record.at.isoformat().replace("+00:00", "Z")
    return SigninSummary(id=record.id, reference=record.reference, at=at, **record.columns)


def find(deps: Deps, id: str) -> SigninRecord:
    """Return a sign-in by id or reference."""
    record = deps.signins.get(id)
    if record is None:
        raise not_found(f"sign-in `{shorten(id)}`", "give its id, or the reference that the person was shown")
    return record


def trace(deps: Deps, id: str) -> SigninTrace:
    """Return why a sign-in came out as it did, recomputed from its record, and what would happen now."""
    record = find(deps, id)
    number = int(record.columns["revision"])
    published = deps.rulebooks.get(number)
    current = deps.rulebooks.need_current()
    inventory = deps.inventories.current()
    person = _title(inventory, "people", record.columns["person"])
    then = titled(published.rulebook, inventory)
    explained = explain(then, facts_from_json(record.facts, published.rulebook.catalogue), number)
    meaning, recorded = record.decision.get("meaning", 1), msgspec.convert(record.decision, wire.Decision)
    now = None
    if current.revision.number != number:
        facts = facts_from_json(record.facts, current.rulebook.catalogue)
        if facts.origins.get("signals") is not Origin.REPORTED:
            notice_now(deps, current.rulebook, facts, record.id)
        again = explain(titled(current.rulebook, inventory), facts, current.revision.number)
        deciding = {ref.policy for ref in explained.decision.deciding}
        now = Now(
            current.revision.number,
            decision_view(again.decision),
            pieces(decision_words(again, person)),
            changed_objects(published.rulebook, current.rulebook, deciding),
        )
    return SigninTrace(
        summary=summary(record),
        sentence=pieces(_then_words(record, explained, person)),
        decision=decision_view(explained.decision) if meaning == MEANING else recorded,
        trace=trace_view(explained),
        revision=info(published.revision, current.revision.number),
        person_title=person,
        app_title=_title(inventory, "apps", record.columns["app"]),
        device_title=_title(inventory, "devices", record.columns["device"]),
        fixes=fixes(explained),
        same=explained.decision.outcome == record.decision.get("outcome"),
        now=now,
        remedies=remedies_of(deps, explained, published.compiled, inventory),
        since=changed_facts(deps, published.rulebook, explained.facts),
        around=[summary(found) for found in deps.signins.around(record, AROUND)],
        not_believed=dict(explained.facts.not_believed),
        drafts={**record.decision.get("drafts", {}), **deps.draft_outcomes.of(record.id)},
        meaning=meaning,
        present=None if meaning == MEANING else decision_view(explained.decision),
    )


def _then_words(record: SigninRecord, explained: Explained, person: str) -> Sentence:
    """Return the sentence on a decision; of one under another meaning that, and what it would come to now."""
    sentence = decision_words(explained, person)
    meaning = record.decision.get("meaning", 1)
    if meaning == MEANING:
        return sentence
    outcome = record.decision.get("outcome")
    return say(f"It was {outcome}, by what decisions meant then (meaning {meaning}). By what they mean now: ", sentence)


def record_of(deps: Deps, id: str) -> WholeRecord:
    """Return everything that a decision came from."""
    record = find(deps, id)
    number = int(record.columns["revision"])
    files = [wire.File(name, text) for name, text in deps.rulebooks.get(number).revision.files]
    decision = msgspec.convert(record.decision, wire.Decision)
    meaning = record.decision.get("meaning", 1)
    return WholeRecord(record.id, number, dict(record.facts), decision, files, meaning)


def fixes(explained: Explained) -> list[Fix]:
    """Return the failed checks of the standards that the deciding rules name, in document order."""
    if explained.decision.outcome == "allowed":
        return []
    named: list[str] = []
    deciding = {(ref.policy, ref.rule) for ref in explained.decision.deciding}
    for steps in explained.policies:
        for step in steps.rules:
            if (steps.policy.id, step.rule.id) in deciding:
                named.extend(standards_named(step.rule, explained.rulebook))
    for text in explained.decision.in_the_way:
        item, _ = parse_formula(text)
        if isinstance(item, Item) and item.kind == "device passes":
            named.append(item.name)
    found = []
    for name in dict.fromkeys(named):
        verdict = explained.judge.standard(name)
        for check, judged in zip(verdict.standard.checks, verdict.checks, strict=True):
            if judged.truth is not TRUE:
                found.append(Fix(name, check.id, check.title or check.id, check.fix, judged.truth.value))
    return found


def fact_list(rulebook: Rulebook) -> FactList:
    """Return the facts of a rulebook."""
    return FactList(
        [FactView(spec.name, spec.type.value, spec.doc, list(spec.words)) for spec in rulebook.catalogue.values()]
    )


def need_revision(text: str) -> int | None:
    """Return the revision number that a query parameter names, None when it names none."""
    if not text or text == "current":
        return None
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise ServiceError(400, "bad-parameter", "`revision` is a number, or `current`")
    return int(text)
