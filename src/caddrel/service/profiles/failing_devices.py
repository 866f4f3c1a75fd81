"""The devices that fail a standard, now or as a draft has it: with what to do, and what their owners lose by it."""

from __future__ import annotations

import time
from collections.abc import Mapping
from collections.abc import Set as AbstractSet
from dataclasses import dataclass

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.compiled.named_parts import FALSE, TRUE
from caddrel.core.decide.interpreter.interpreter import standards_named
from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.reach.apps import decided, reach
from caddrel.core.rulebook.model import Rulebook, Standard
from caddrel.service.authoring.part_status import judged_devices
from caddrel.service.inventory.usual import usual
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of
from caddrel.wire import profiles as wire

# Seconds of the processor for one page.
LONGEST = 2.0
_TRUTHS = {FALSE: "false", TRUE: "true"}


def failing(data: DataFolder, name: str, draft: str, after: str, limit: int) -> wire.FailingDevices:
    """Return the devices that do not surely pass a standard, after a place; those that somebody has come first.

    Raises
    ------
    ServiceError
        When there is no such standard, or the draft has errors.
    """
    rulebook, compiled = _rulebook(data, draft)
    standard = rulebook.standards.get(name)
    if standard is None:
        hint = did_you_mean(name, rulebook.standards, f"there are {', '.join(rulebook.standards) or 'none'}")
        raise not_found(f"standard `{shorten(name)}`", hint)
    inventory = data.inventories.current()
    found = [
        (device, states)
        for states, devices in judged_devices(data, rulebook, standard)
        if any(state != TRUE for state in states)
        for device in devices
    ]
    found.sort(key=lambda each: _place(each[0]))
    people = {device.person for device, _ in found if device.person}
    wanted = [each for each in found if _place(each[0]) > after]
    given = usual(data, rulebook, inventory, "", [])
    judged = _Judged(data, rulebook, compiled, inventory, standard, given, _naming(rulebook, name))
    until, items = time.thread_time() + LONGEST, list[wire.FailingDevice]()
    for each in wanted[:limit]:
        # A page ends where its time does: the next goes on from there.
        if items and time.thread_time() > until:
            break
        items.append(_failing(judged, *each))
    following = _place(wanted[len(items) - 1][0]) if len(wanted) > len(items) else None
    return wire.FailingDevices(
        name, standard.title or name, draft, len(found), len(inventory.devices), len(people),
        sum(bool(each.loses) for each in items), items, following,
        rulebook.settings.contact,
    )  # fmt: skip


def _naming(rulebook: Rulebook, standard: str) -> set[tuple[str, str]]:
    """Return the rules that ask for a standard."""
    return {
        (policy.id, rule.id)
        for policy in rulebook.policies.values()
        for rule in policy.rules
        if standard in standards_named(rule, rulebook)
    }


def _place(device: Entry) -> str:
    """Return where a device stands in the list: those that somebody has come first, then by id."""
    return f"{int(not device.person)}{device.id}"


def _rulebook(data: DataFolder, draft: str) -> tuple[Rulebook, CompiledRulebook]:
    if not draft:
        published = data.rulebooks.need_current()
        return published.rulebook, published.compiled
    found = drafting.read(data, draft)
    if found is None:
        raise ServiceError(422, "draft-has-errors", f"the draft `{shorten(draft)}` has errors", "mend them first")
    return found, CompiledRulebook(found)


@dataclass(frozen=True, slots=True)
class _Judged:
    """What devices are judged by; `given` is what a sign-in reports beside who and what comes."""

    data: DataFolder
    rulebook: Rulebook
    compiled: CompiledRulebook
    inventory: Inventory
    standard: Standard
    given: Mapping[str, Value]
    naming: AbstractSet[tuple[str, str]]


def _failing(judged: _Judged, device: Entry, states: tuple[int, ...]) -> wire.FailingDevice:
    checks = [
        wire.FailedCheck(check.id, check.title or check.id, _TRUTHS.get(state, "unknown"), check.fix)
        for check, state in zip(judged.standard.checks, states, strict=True)
        if state != TRUE
    ]
    truth, people = "false" if FALSE in states else "unknown", judged.inventory.people
    owner = title_of(judged.inventory, "people", device.person) or device.person
    loses = _loses(judged, device) if device.person in people else []
    return wire.FailingDevice(device.id, device.title or device.id, device.person, owner, truth, checks, loses)


def _loses(judged: _Judged, device: Entry) -> list[str]:
    """Return the apps that the owner is blocked from on this device by what asks for the standard."""
    found, data, standard = [], judged.data, judged.standard.id
    given = {**judged.given, "device.id": device.id}
    for each in reach(judged.compiled, judged.inventory, device.person, data.clock(), given, data.addresses):
        if each.outcome != "blocked":
            continue
        decision = decided(judged.rulebook, judged.compiled, each).decision
        asked = any(item.kind == "device passes" and item.name == standard for item in decision.in_the_way)
        if asked or any((ref.policy, ref.rule) in judged.naming for ref in decision.deciding):
            found.append(each.app)
    return found
