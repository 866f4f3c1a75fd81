"""How an attempt and its decision become a record of the log."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

import msgspec

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.columnar.fact_groups import Split
from caddrel.core.decide.decision import MEANING, Decision, decision_json
from caddrel.core.facts.facts import TO_COME, Facts
from caddrel.core.logs.causes import Cause
from caddrel.core.logs.references import number_for, without_reference
from caddrel.core.rulebook.model import Rulebook
from caddrel.store.dictionary import Decided
from caddrel.store.new_signins import NewSignin

_encode = msgspec.json.Encoder(order="sorted").encode
_encode_own = msgspec.json.Encoder().encode
MOST_REMEMBERED = 10_000


def lists_of(rulebook: Rulebook) -> list[str]:
    """Return the address lists that a rulebook's places ask for."""
    places = rulebook.places.values()
    return sorted(
        {name for p in places if p.parts.lists or p.without.lists for name in (*p.parts.lists, *p.without.lists)}
    )


def decided_of(decision: Decision, reference: str, drafts: Mapping[str, str] | None = None) -> Decided:
    """Return a decision as the log keeps it.

    Parameters
    ----------
    reference
        The one that its texts quote.
    drafts
        What drafts in shadow would have made of it, by name: in records of earlier releases.
    """
    document = without_reference(decision_json(decision), reference)
    del document["revision"]
    document["meaning"] = MEANING
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
        # Each together with its decision, so that another cannot come to stand in the same place.
        self._made: dict[Any, tuple[Decision, Decided, dict[str, Any]]] = {}

    def of(self, decision: Decision) -> Decided:
        """Return a decision as the log keeps it."""
        return self._of(decision)[1]

    def document(self, decision: Decision) -> Mapping[str, Any]:
        """Return a decision as JSON, with the mark in it that stands for its reference."""
        return self._of(decision)[2]

    def _of(self, decision: Decision) -> tuple[Decision, Decided, dict[str, Any]]:
        found = self._made.get(id(decision))
        if found is None:
            if len(self._made) > MOST_REMEMBERED:
                self._made.clear()
            made = (decision, decided_of(decision, TO_COME), decision_json(decision))
            found = self._made[id(decision)] = made
        return found

    def of_many(self, decisions: Sequence[Decision]) -> list[Decided]:
        """Return decisions as the log keeps them."""
        found = map(self._made.get, map(id, decisions))
        return [made[1] if made else self.of(decision) for made, decision in zip(found, decisions, strict=True)]


def recorded_of(recorded: Mapping[str, Any]) -> bytes:
    """Return what the other system recorded, as the log keeps it."""
    return _encode({name: value for name, value in recorded.items() if value})


def columns_of(
    ids: Sequence[str],
    references: Sequence[int],
    digests: Sequence[bytes],
    attempts: Sequence[Bundled],
    recorded: Sequence[bytes],
    decided: Sequence[Decided],
    causes: Sequence[Cause | None],
    revisions: Sequence[int],
) -> list[Iterable[Any]]:
    """Return sign-ins of an import to be stored, column by column, in the order of `NewSignin`."""
    person, app, device, network, told, said = zip(*[attempt.bundles for attempt in attempts], strict=True)
    signals = [
        bundle.document if attempt.noticed is None else attempt.noticed[0].document
        for bundle, attempt in zip(said, attempts, strict=True)
    ]
    let_in = [each.outcome == "allowed" for each in decided]
    return [
        ids, references, [attempt.at for attempt in attempts], digests, map(_own, attempts),
        *([bundle.document for bundle in group] for group in (person, app, device, network, told)), signals, recorded,
        decided, *([bundle.told[0] for bundle in group] for group in (person, app, device)),
        *zip(*[attempt.ages for attempt in attempts], strict=True), let_in, causes, revisions,
    ]  # fmt: skip


def _own(attempt: Bundled) -> str:
    """Return what is an attempt's own, as JSON."""
    noticed = attempt.noticed[1] if attempt.noticed is not None else None
    beside = f',"noticed":{_encode_own(noticed).decode()}' if noticed else ""
    if attempt.default_age is not None:
        beside += f',"default_age":{attempt.default_age}'
    return f'{{"values":{attempt.own}{beside}}}'


def signin_of(
    id: str, at: datetime, facts: Facts, apart: Split, recorded: bytes, decided: Decided, cause: Cause | None,
    revision: int, digest: bytes, session: Mapping[str, Any] | None = None,
) -> NewSignin:  # fmt: skip
    """Return a sign-in to be stored.

    Parameters
    ----------
    apart
        What is its own of its facts, and its bundles.
    digest
        Of what was asked: the same again is the same request.
    session
        What the door was told of the session: whoever asks again is told the same, whatever became of it since.
    """
    own, (person, app, device, network, said, signals) = apart
    if session is not None:
        own = {**own, "session": dict(session)}
    get: Any = facts.values.get
    return NewSignin(
        id, number_for(id), at, digest, _encode_own(own).decode(),
        person, app, device, network, said, signals, recorded, decided,
        get("person.id"), get("app.id"), get("device.id"),
        get("device.state_age"), get("device.listed_for"), get("auth.age"),
        decided.outcome == "allowed", cause, revision,
    )  # fmt: skip
