"""Rehearsing attempts, and tracing sign-ins of the log."""

from __future__ import annotations

from collections.abc import Mapping

from caddrel.core.decide.decision import MEANING
from caddrel.core.decide.interpreter.interpreter import Explained, explain, standards_named
from caddrel.core.decide.truth import TRUE
from caddrel.core.diagnostics import shorten
from caddrel.core.facts.facts import Origin
from caddrel.core.facts.record import facts_from_json
from caddrel.core.facts.values import show_moment
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.pieces import Sentence, say
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.rulebooks.changes import changed_objects
from caddrel.service.rulebooks.publish import info
from caddrel.service.rulebooks.view import pieces
from caddrel.service.signins.rows import summary
from caddrel.service.signins.signal_history import notice_now
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of, titled
from caddrel.service.tracing.fact_drift import changed_facts
from caddrel.service.tracing.remedies import remedies_of
from caddrel.service.tracing.views import decision_view, trace_view
from caddrel.store.signins import SigninRecord
from caddrel.wire import decisions as wire
from caddrel.wire.decoding import convert
from caddrel.wire.signins import Fix, Now, SessionSince, SigninTrace, WholeRecord

# So many of the person's sign-ins before and after the one that is traced.
AROUND = 5


def find(data: DataFolder, id: str) -> SigninRecord:
    """Return a sign-in by id or reference."""
    record = data.signins.get(id)
    if record is None:
        raise not_found(f"sign-in `{shorten(id)}`", "give its id, or the reference that the person was shown")
    return record


def _session_since(data: DataFolder, record: SigninRecord) -> SessionSince | None:
    told = record.facts.get("session")
    session = data.door_sessions.get(str(told.get("id"))) if isinstance(told, Mapping) else None
    if session is None:
        return None
    ended, by = session.ended, session.ended_by or ""
    reached = session.limit_reached(data.clock())
    if ended is None and reached is not None:
        # It is over, also before anybody has looked.
        ended, by = reached
    waiting = bool(session.held) and session.held in {each.number for each in data.held_changes.open()}
    return SessionSince(
        session.id, show_moment(session.started), show_moment(session.seen),
        show_moment(ended) if ended is not None else "", by,
        [] if ended is not None else list(session.asks), session.because, session.held if waiting else None,
    )  # fmt: skip


def trace(data: DataFolder, id: str) -> SigninTrace:
    """Return why a sign-in came out as it did, recomputed from its record, and what would happen now."""
    record = find(data, id)
    number = int(record.columns["revision"])
    published = data.rulebooks.get(number)
    current = data.rulebooks.need_current()
    inventory = data.inventories.current()
    person = title_of(inventory, "people", record.columns["person"])
    then = titled(published.rulebook, inventory)
    explained = explain(then, facts_from_json(record.facts, published.rulebook.catalogue), number, published.others)
    meaning, recorded = record.decision.get("meaning", 1), convert(record.decision, wire.Decision)
    now = None
    if current.revision.number != number:
        facts = facts_from_json(record.facts, current.rulebook.catalogue)
        if facts.origins.get("signals") is not Origin.REPORTED:
            notice_now(data, current.rulebook, facts, record.id)
        again = explain(titled(current.rulebook, inventory), facts, current.revision.number, current.others)
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
        app_title=title_of(inventory, "apps", record.columns["app"]),
        device_title=title_of(inventory, "devices", record.columns["device"]),
        fixes=fixes(explained),
        same=explained.decision.outcome == record.decision.get("outcome"),
        now=now,
        remedies=remedies_of(data, explained, published.compiled, inventory),
        since=changed_facts(data, published.rulebook, explained.facts),
        around=[summary(found) for found in data.signins.around(record, AROUND)],
        not_believed=dict(explained.facts.not_believed),
        session=_session_since(data, record),
        drafts={**record.decision.get("drafts", {}), **data.draft_outcomes.of(record.id)},
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


def record_of(data: DataFolder, id: str) -> WholeRecord:
    """Return everything that a decision came from."""
    record = find(data, id)
    number = int(record.columns["revision"])
    files = [wire.File(name, text) for name, text in data.rulebooks.get(number).revision.files]
    decision = convert(record.decision, wire.Decision)
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
    named.extend(item.name for item in explained.decision.in_the_way if item.kind == "device passes")
    found = []
    for name in dict.fromkeys(named):
        verdict = explained.judge.standard(name)
        for check, judged in zip(verdict.standard.checks, verdict.checks, strict=True):
            if judged.truth is not TRUE:
                found.append(Fix(name, check.id, check.title or check.id, check.fix, judged.truth.value))
    return found


def need_revision(text: str) -> int | None:
    """Return the revision number that a query parameter names, None when it names none."""
    if not text or text == "current":
        return None
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise ServiceError(400, "bad-parameter", "`revision` is a number, or `current`")
    return int(text)
