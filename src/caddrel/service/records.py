"""How an attempt and its decision become a record of the log."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple

import msgspec

from caddrel.core.decide.decision import Decision, decision_json
from caddrel.core.facts.bundles import split
from caddrel.core.facts.bundling import Bundled
from caddrel.core.facts.completion import TO_COME, Facts
from caddrel.core.facts.record import facts_json, signals_document
from caddrel.core.logs.causes import Cause
from caddrel.core.logs.references import number_for, without_reference
from caddrel.core.rulebook.model import Rulebook
from caddrel.store.dictionary import Decided
from caddrel.store.signins import NewSignin

_encode = msgspec.json.Encoder(order="sorted").encode
_encode_own = msgspec.json.Encoder().encode


def lists_of(rulebook: Rulebook) -> list[str]:
    """Return the address lists that a rulebook's places ask for."""
    return sorted({name for p in rulebook.places.values() for name in (*p.parts.lists, *p.without.lists)})


def decided_of(decision: Decision, reference: str, drafts: Mapping[str, str] | None = None) -> Decided:
    """Return a decision as the log keeps it.

    Parameters
    ----------
    reference
        The one that its texts quote.
    drafts
        What drafts in shadow would have made of it, by name.
    """
    document = without_reference(decision_json(decision), reference)
    del document["revision"]
    if drafts:
        document["drafts"] = dict(drafts)
    first = decision.deciding[0] if decision.deciding else None
    return Decided(
        decision.outcome,
        decision.reason,
        decision.certain,
        first.policy if first else None,
        first.rule if first else None,
        decision.shadow.together,
        _encode(document),
    )


class Decisions:
    """Decisions as the log keeps them; those that the evaluator remembers are written once.

    They must be made for facts whose reference is the mark that stands for it.
    """

    def __init__(self) -> None:
        self._made: dict[Any, tuple[Decision, Decided]] = {}

    def of(self, decision: Decision, drafts: Mapping[str, str] | None = None) -> Decided:
        """Return a decision as the log keeps it; `drafts` as of `decided_of`."""
        key = (id(decision), tuple(drafts.items())) if drafts else id(decision)
        found = self._made.get(key)
        if found is None:
            if len(self._made) > 10_000:
                self._made.clear()
            # Held together with its decision, so that another cannot come to stand in the same place.
            found = self._made[key] = (decision, decided_of(decision, TO_COME, drafts))
        return found[1]


def recorded_of(recorded: Mapping[str, Any]) -> bytes:
    """Return what the other system recorded, as the log keeps it."""
    return _encode({name: value for name, value in recorded.items() if value})


class Taken(NamedTuple):
    """A sign-in of an import that has been decided."""

    id: str
    digest: bytes
    attempt: Bundled
    recorded: bytes
    decided: Decided
    cause: Cause | None
    revision: int


def signins_of(taken: Sequence[Taken]) -> list[NewSignin]:
    """Return sign-ins of an import to be stored.

    Step by step: one step for many takes much less time than all steps for each.
    """
    numbers = [number_for(each.id) for each in taken]
    own = [_encode_own(_own(each.attempt)) for each in taken]
    return [_bundled(*each) for each in zip(taken, numbers, own, strict=True)]


def _own(attempt: Bundled) -> dict[str, Any]:
    mine: dict[str, Any] = {"values": attempt.own}
    if attempt.noticed is not None and attempt.noticed[1]:
        mine["noticed"] = attempt.noticed[1]
    if attempt.default_age is not None:
        mine["default_age"] = attempt.default_age
    return mine


def _bundled(taken: Taken, reference: int, own: bytes) -> NewSignin:
    id, digest, attempt, recorded, decided, cause, revision = taken
    person, app, device, network, told, said = attempt.bundles
    signals = said.document if attempt.noticed is None else signals_document(attempt.noticed[0])
    get = attempt.own.get
    return NewSignin(
        id, reference, attempt.at, digest, own,
        (person.document, app.document, device.document, network.document, told.document, signals, recorded), decided,
        person.told[0], app.told[0], device.told[0],
        (get("device.state_age", _NONE)[1], get("device.listed_for", _NONE)[1], get("auth.age", _NONE)[1]),
        decided.outcome == "allowed" and told.told[0] != "wrong", cause, revision,
    )  # fmt: skip


_NONE = (None, None)


def signin_of(
    id: str, at: datetime, rulebook: Rulebook, facts: Facts, recorded: bytes, decided: Decided, cause: Cause | None,
    revision: int,
) -> NewSignin:  # fmt: skip
    """Return a sign-in to be stored."""
    own, shared = split(facts_json(facts, lists_of(rulebook)))
    get: Any = facts.values.get
    return NewSignin(
        id, number_for(id), at, b"", msgspec.json.encode(own), (*shared, recorded), decided,
        get("person.id"), get("app.id"), get("device.id"),
        (get("device.state_age"), get("device.listed_for"), get("auth.age")),
        decided.outcome == "allowed" and get("auth.credentials") != "wrong", cause, revision,
    )  # fmt: skip
