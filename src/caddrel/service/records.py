"""How an attempt and its decision become a record of the log."""

from __future__ import annotations

import hashlib
from datetime import UTC, datetime
from typing import Any

from caddrel.core.decide.decision import Decision
from caddrel.core.facts.completion import Facts
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import to_json
from caddrel.core.logs.causes import Cause
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.signals.history import past_of

_ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_COLUMNS = {
    "person": "person.id",
    "app": "app.id",
    "device": "device.id",
    "operation": "operation",
    "flow": "flow",
    "address": "network.ip",
    "country": "network.country",
    "anonymiser": "network.anonymiser",
    "owner": "device.owner",
    "platform": "device.platform",
    "client": "client.kind",
    "credentials": "auth.credentials",
    "city": "network.city",
    "client_name": "client.name",
}


def reference_for(id: str) -> str:
    """Return what a blocked person can quote: ten letters and digits that are not mistaken for one another."""
    number = int.from_bytes(hashlib.sha256(f"reference:{id}".encode()).digest()[:8], "big")
    letters = "".join(_ALPHABET[(number >> (5 * i)) & 31] for i in range(10))
    return f"{letters[:5]}-{letters[5:]}"


def lists_of(rulebook: Rulebook) -> list[str]:
    """Return the address lists that a rulebook's places ask for."""
    return sorted({name for p in rulebook.places.values() for name in (*p.parts.lists, *p.without.lists)})


def columns_of(facts: Facts, decision: Decision, revision: int, cause: Cause | None) -> dict[str, Any]:
    """Return what of an attempt and its decision stands in columns of its own."""
    deciding = decision.deciding[0] if decision.deciding else None
    past = past_of(facts, _EPOCH, "", decision.outcome)
    latitude, longitude = past.coordinates or (None, None)
    return {
        **{name: _column(facts.values.get(fact)) for name, fact in _COLUMNS.items()},
        "asn": past.asn,
        "latitude": latitude,
        "longitude": longitude,
        "let_in": past.let_in,
        "cause": cause.key if cause is not None else None,
        "outcome": decision.outcome,
        "reason": decision.reason,
        "certain": decision.certain,
        "policy": deciding.policy if deciding else None,
        "rule": deciding.rule if deciding else None,
        "shadow_together": decision.shadow.together,
        "revision": revision,
    }


def _column(value: Value | None) -> str | None:
    return None if value is None else str(to_json(value))
