"""What others are told of a change: what they know of somebody or a device, against what is so now."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from datetime import datetime
from typing import Any

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import FALSE
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.store.outbox import OutEvent

State = Mapping[str, Any]
# CAEP's words for our factors (CAEP 1.0, section 3.3).
_CREDENTIALS = {
    "password": "password", "security-key": "fido2-roaming", "passkey": "fido2-platform", "certificate": "x509",
    "authenticator-app": "app", "push": "app", "text-message": "phone-sms", "phone-call": "phone-voice",
}  # fmt: skip
_LEVELS = {"none": "LOW", "low": "LOW", "medium": "MEDIUM", "high": "HIGH"}


def person_state(inventory: Inventory, id: str, now: datetime) -> State | None:
    """Return what others may know of a person; None where there is nobody of that id."""
    person = inventory.people.get(id)
    if person is None:
        return None
    facts = person.facts

    def held(name: str) -> list[str]:
        found = facts.get(name)
        return sorted(found) if isinstance(found, frozenset) else []

    return {
        "off": person.is_off(now),
        "risk": facts.get("person.risk"),
        "factors": held("person.factors"),
        "groups": sorted(inventory.groups_of(person, now)),
        "roles": held("person.roles"),
    }


def device_state(rulebook: Rulebook, inventory: Inventory, id: str, now: datetime) -> State | None:
    """Return whether a device surely fails none of the standards that are asked of it; None where there is none."""
    if id not in inventory.devices:
        return None
    said: dict[str, Value] = {"device.id": id, "time.at": now}
    facts = complete(said, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.OFFLINE)
    judge = Judge(rulebook, facts)
    failed = sorted(name for name in rulebook.standards if judge.standard(name).truth is FALSE)
    return {"failed": failed}


def news(
    noun: str, id: str, before: State | None, after: State | None, now: datetime, because: str
) -> Iterator[OutEvent]:
    """Yield what is to be told of a change from what others know to what is so; of what nobody knew nothing."""
    if noun == "devices":
        old, new = (bool(state and state["failed"]) for state in (before, after))
        if after is not None and old != new:
            words = {True: "not-compliant", False: "compliant"}
            said = {"before": words[old], "now": words[new], "because": because}
            yield OutEvent("device-compliance-change", now, device=id, said=said)
        return
    if before is None:
        return
    if after is None or after["off"]:
        if not before["off"]:
            yield OutEvent("account-disabled", now, id, said={"off": True, "because": because})
        return
    if before["off"] and not after["off"]:
        yield OutEvent("account-enabled", now, id, said={})
    if before["risk"] != after["risk"]:
        old_level, new_level = (_LEVELS.get(str(state["risk"])) for state in (before, after))
        if new_level is not None:
            yield OutEvent(
                "risk-level-change", now, id, said={"before": old_level, "now": new_level, "because": because}
            )
    changed = {name: after[name] for name in ("groups", "roles") if after[name] != before[name]}
    if changed:
        yield OutEvent("token-claims-change", now, id, said={"claims": changed, "because": because})
    for change, factors in (
        ("create", set(after["factors"]) - set(before["factors"])),
        ("delete", set(before["factors"]) - set(after["factors"])),
    ):
        for factor in sorted(factors):
            said = {"type": _CREDENTIALS.get(factor, factor), "change": change, "because": because}
            yield OutEvent("credential-change", now, id, said=said)


def known_after(before: State | None, after: State | None) -> State | None:
    """Return what others know of a person once they were told: of whom is off nothing else than that.

    What changes meanwhile is told when they are back.
    """
    if after is None or before is None or not after["off"]:
        return after
    return {**before, "off": True}


def states(
    rulebook: Rulebook, inventory: Inventory, people: Iterable[str], devices: Collection[str], now: datetime
) -> dict[tuple[str, str], State | None]:
    """Return what is so of people and devices now, by noun and id."""
    found: dict[tuple[str, str], State | None] = {}
    for id in people:
        found["people", id] = person_state(inventory, id, now)
    for id in devices:
        found["devices", id] = device_state(rulebook, inventory, id, now)
    return found
