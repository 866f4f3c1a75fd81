"""Working records out again that a late one may have changed."""

from __future__ import annotations

from collections.abc import Generator, Iterator, Mapping
from contextlib import closing
from datetime import datetime
from typing import Any

from caddrel.core.columnar.fact_groups import split
from caddrel.core.decide.decision import MEANING
from caddrel.core.facts.facts import Origin
from caddrel.core.facts.record import facts_from_json, facts_json
from caddrel.core.logs.causes import cause_of
from caddrel.core.signals.evaluate import Notice, add_signals, noticing
from caddrel.core.signals.history import History, past_of
from caddrel.service.signins.live_log import LiveLog
from caddrel.service.signins.record_encoding import decided_of, lists_of, recorded_of, signin_of
from caddrel.service.signins.signal_history import newest
from caddrel.service.state.context import State
from caddrel.store.new_signins import NewSignin
from caddrel.store.signins import SigninRecord

# Records that are worked out again and written at a time.
AT_ONCE = 200


def catch_up(state: State, log: LiveLog) -> int:
    """Work out again the signals and decisions that late records may have changed; returns how many changed.

    The caller holds the lock of imports, whose records are decided before they are stored. Others go on deciding: one
    person may have as many records as a log has.
    """
    changed = 0
    while due := state.signins.due():
        changed += sum(_catch_up_with(state, log, person, since) for person, since in due)
    return changed


def _catch_up_with(state: State, log: LiveLog, person: str, since: datetime) -> int:
    """Work out a person's records again, piece by piece, as far as nothing comes in between; what is left stays due."""
    seen, count, waits = state.signins.newest(), 0, False
    with closing(_pieces(_again(state, person, since), since)) as pieces:
        for changed, through, then in pieces:
            if changed:
                count += len(changed)
                log.give_way()
                state.signins.replace(changed)
                # From here on whoever decides looks back at what was just written.
                with log.deciding:
                    log.histories.drop(person)
                    waits = log.histories.waits_for(person)
            # What came in the meantime may have been decided on what is changed now: it is due in its turn. So is what
            # still waits to be stored; where nothing changed, only what came before a record that was looked at.
            left = through if waits and then is None else then
            log.give_way()
            if state.signins.still_due(person, since, seen, None if count else through, left) != then:
                break
    if waits:
        log.settle()
    return count


_Changed = list[tuple[SigninRecord, NewSignin]]


def _pieces(
    found: Iterator[tuple[SigninRecord, NewSignin | None]], since: datetime
) -> Generator[tuple[_Changed, datetime, datetime | None]]:
    """Yield what has changed in so many records at a time, the moment of the last and of the one after it."""
    changed: _Changed = []
    count, last = 0, since
    for record, new in found:
        # Those of one moment are looked at together: one that is added between them is found by its moment.
        if count >= AT_ONCE and record.at != last:
            yield changed, last, record.at
            changed, count = [], 0
        count, last = count + 1, record.at
        if new is not None:
            changed.append((record, new))
    yield changed, last, None


def _again(state: State, person: str, since: datetime) -> Iterator[tuple[SigninRecord, NewSignin | None]]:
    """Yield a person's records from a moment on, each with what it is to be where it comes out otherwise."""
    # Of the current one too: what a door adds meanwhile is worked out again with the rest.
    current = state.rulebooks.need_current().revision.number
    needed = state.rulebooks.needed_history({*state.signins.revisions_of(person, since), current})
    history = History(newest(state.signins, person, needed, since))
    noticing_of: dict[int, Notice] = {}
    for record in state.signins.of_person(person, since):
        number = int(record.columns["revision"])
        published = state.rulebooks.get(number)
        rulebook = published.rulebook
        if number not in noticing_of:
            noticing_of[number] = noticing(rulebook)
        outcome = str(record.decision["outcome"])
        seen = facts_from_json(_looked_at(record.facts), rulebook.catalogue)
        before = (seen.values.get("signals"), seen.noticed)
        told = before
        if seen.origins.get("signals") is not Origin.REPORTED:
            add_signals(rulebook, seen, history, record.id, noticing_of[number])
            told = (seen.values.get("signals"), seen.noticed)
        # A decision hangs on rulebook, meaning and facts alone: where the signals stay, so does it. And what was
        # decided under another meaning stays as it is: it is looked back at, and not decided anew.
        if _same_signals(before, told) or record.decision.get("meaning", 1) != MEANING:
            history.add(past_of(seen, record.at, record.id, outcome), needed)
            yield record, None
            continue
        facts = facts_from_json(record.facts, rulebook.catalogue)
        facts.values["signals"], facts.noticed = seen.values["signals"], seen.noticed
        facts.origins["signals"] = seen.origins["signals"]
        decision = published.compiled.decide(facts)
        history.add(past_of(facts, record.at, record.id, decision.outcome), needed)
        cause = cause_of(rulebook, facts, decision)
        # What drafts in shadow made of it then stays: they may be gone.
        drafts = record.decision.get("drafts")
        recorded = recorded_of({name: record.columns[f"recorded_{name}"] for name in ("outcome", "reason")})
        decided = decided_of(decision, facts.reference, drafts)
        session = record.facts.get("session")
        apart = split(facts_json(facts, lists_of(rulebook)))
        yield record, signin_of(record.id, record.at, facts, apart, recorded, decided, cause, number, b"", session)


def _looked_at(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a record's facts that signals look at, and its signals: reading all of it takes five times as long."""
    values = document["values"]
    return {**document, "values": {name: values[name] for name in _LOOKED_AT if name in values}, "lists": {}}


_LOOKED_AT = (
    "person.id", "time.at", "auth.credentials", "client.name", "device.id", "network.country", "network.city",
    "network.asn", "signals",
)  # fmt: skip


def _same_signals(before: tuple[Any, Any], after: tuple[Any, Any]) -> bool:
    was, now = before[0], after[0]
    # Where none is open, what was read from a record is a set like any other.
    nothing: frozenset[str] = frozenset()
    return was == now and getattr(was, "open", nothing) == getattr(now, "open", nothing) and before[1] == after[1]
