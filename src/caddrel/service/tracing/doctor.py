"""Looking the service over: what is missing or doubtful about how it is set up and fed."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from datetime import timedelta

from caddrel.core.facts.values import show_age, show_moment
from caddrel.core.lint.context import fact_tests, policy_tests
from caddrel.core.lockout_check.check import keyholders_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.pieces import counted
from caddrel.service.rulebooks.findings import Findings
from caddrel.service.signins.strange_words import StrangeWords
from caddrel.service.state.context import State
from caddrel.store.queries import Query
from caddrel.wire.doctor import Examination, Symptom

LEAST_FREE = 1024**3
QUIET_AFTER = timedelta(days=1)
_ADDRESS_FACTS = {"network.country", "network.city", "network.asn", "network.anonymiser"}


def examine(state: State, findings: Findings, words: StrangeWords) -> Examination:
    """Return everything worth knowing before relying on the service."""
    found = [
        *_rulebook(state, findings),
        *_keyholders(state),
        *_addresses(state),
        *_inventory(state),
        *_log(state),
        *_words(state, words),
        *_disk(state),
    ]
    return Examination(all(symptom.state != "bad" for symptom in found), found)


def _rulebook(state: State, findings: Findings) -> Iterator[Symptom]:
    published = state.rulebooks.current()
    if published is None:
        hint = "publish one: caddrel rulebook publish FILE --why …"
        yield Symptom("rulebook", "bad", "No rulebook has been published.", hint)
        return
    warnings = [d for d in findings.of(published) if d.severity != "note"]
    said = (
        f"Revision {published.revision.number} is current; {len(warnings)} warning{'' if len(warnings) == 1 else 's'}."
    )
    hint = "see caddrel rulebook check, or the Rulebook page" if warnings else ""
    yield Symptom("rulebook", "doubtful" if warnings else "good", said, hint)


_TWO = "name at least two accounts under `settings.keyholders`"


def _keyholders(state: State) -> Iterator[Symptom]:
    published = state.rulebooks.current()
    if published is None:
        return
    count = len(keyholders_of(published.rulebook, state.inventories.current(), state.clock()))
    if count:
        said = counted(count, "person holds keys", "people hold keys")
        yield Symptom("keyholders", "good" if count > 1 else "doubtful", f"{said}.", "" if count > 1 else _TWO)
    else:
        yield Symptom("keyholders", "bad", "Nobody holds keys: a mistake could lock everyone out.", _TWO)


def _addresses(state: State) -> Iterator[Symptom]:
    if state.addresses is not None:
        count = state.addresses.count
        said = f"{counted(count, 'MaxMind DB file is', 'MaxMind DB files are')} read."
        yield Symptom("address data", "good", said)
        return
    published = state.rulebooks.current()
    asked = sorted(_address_facts_of(published.rulebook)) if published is not None else []
    said = "None is configured: country, city, autonomous system, anonymisers and coordinates stay unknown"
    use = f"; the rulebook asks for {', '.join(asked)}." if asked else "."
    hint = "start the service with --address-data FILE"
    yield Symptom("address data", "doubtful", f"{said} unless a door reports them{use}", hint)


def _address_facts_of(rulebook: Rulebook) -> set[str]:
    """Return what a rulebook asks for that address data tells."""
    found = {t.fact for p in rulebook.policies.values() for t in fact_tests(policy_tests(p))} & _ADDRESS_FACTS
    for place in rulebook.places.values():
        for parts in (place.parts, place.without):
            found |= {"network.country"} if parts.countries else set()
            found |= {"network.anonymiser"} if parts.anonymisers else set()
            found |= {"network.asn"} if parts.asns else set()
    if any(signal.kind in {"travel-speed", "far-away"} for signal in rulebook.signals.values()):
        found.add("coordinates")
    return found


def _inventory(state: State) -> Iterator[Symptom]:
    inventory = state.inventories.current()
    counts = {"people": inventory.people, "devices": inventory.devices, "apps": inventory.apps}
    said = ", ".join(f"{len(entries):,} {noun}" for noun, entries in counts.items())
    empty = [noun for noun, entries in counts.items() if not entries]
    hint = f"take them in: caddrel {empty[0]} import FILE" if empty else ""
    yield Symptom("inventory", "doubtful" if empty else "good", f"{said}.", hint)


def _log(state: State) -> Iterator[Symptom]:
    newest = state.signins.page(Query(limit=1))
    if not newest:
        hint = "take a log in: caddrel signins import FILE"
        yield Symptom("log", "doubtful", "It is empty: nothing can be traced or replayed.", hint)
        return
    age = state.clock() - newest[0].at
    quiet = age > QUIET_AFTER
    said = f"The newest sign-in is of {show_moment(newest[0].at)}"
    late = f", {show_age(age.total_seconds())} ago." if quiet else "."
    hint = "is the feed still running?" if quiet else ""
    yield Symptom("log", "doubtful" if quiet else "good", said + late, hint)
    due = len(state.signins.due())
    if due:
        yield Symptom(
            "signals", "doubtful", f"The signals of {counted(due, 'person', 'people')} are being worked out again."
        )


def _words(state: State, words: StrangeWords) -> Iterator[Symptom]:
    """Tell of words on no list, in the log and in the inventory."""
    found = words.counted()
    if found:
        shown = ", ".join(f"{fact} “{word}” {count:,} times" for (fact, word), count in found.most_common(5))
        more = f", and {len(found) - 5} more" if len(found) > 5 else ""
        hint = "mend whoever reports them: such a fact counts as unknown"
        yield Symptom("words", "doubtful", f"The log holds words on no list: {shown}{more}.", hint)
    inventory = state.inventories.current()
    held = [
        f"{entry.id}: {fact} “{said}”"
        for entries in (inventory.people, inventory.devices, inventory.apps)
        for entry in entries.values()
        for fact, said in entry.not_understood.items()
    ]
    if held:
        shown = ", ".join(held[:5]) + (f", and {len(held) - 5} more" if len(held) > 5 else "")
        hint = "take these objects in again with a word that is on the list"
        yield Symptom("inventory words", "doubtful", f"The inventory holds words on no list: {shown}.", hint)


def _disk(state: State) -> Iterator[Symptom]:
    free = shutil.disk_usage(state.folder).free
    said = f"{free / 1024**3:,.1f} GiB are free where the data is kept."
    short = free < LEAST_FREE
    yield Symptom("disk", "bad" if short else "good", said, "make room: a full disk stops the log" if short else "")
