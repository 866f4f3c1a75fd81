"""How a part stands now: who passes a standard, whether a schedule is open, whether an address is in a place."""

from __future__ import annotations

from collections import Counter
from heapq import nsmallest

from caddrel.core.decide.compiled.named_parts import FALSE, LISTS, TRUE, Parts, Values
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.diagnostics import shorten
from caddrel.core.facts.attempts import AttemptRefused, read_given_facts
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import AGES, ages_of, attributes_of, complete
from caddrel.core.inventory.index import Entry
from caddrel.core.language.nodes import FactTest, tests_of
from caddrel.core.language.printer import print_condition
from caddrel.core.rulebook.model import Place, Rulebook, Schedule, Standard
from caddrel.service.authoring.scope_members import Covering, attribute_types
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.context import State
from caddrel.wire import authoring as wire

MOST_DEVICES = 50
_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def standing(state: State, covering: Covering, rulebook: Rulebook, section: str, id: str) -> wire.Standing | None:
    """Return how a part stands now; None for parts that stand in no way."""
    if section == "standards":
        standard = rulebook.standards[id]
        asked = tuple((check.id, check.title, print_condition(check.must)) for check in standard.checks)
        key = (section, asked, attribute_types(rulebook))
        return covering.once(key, lambda: _standard(state, rulebook, standard))
    if section == "schedules":
        return wire.Standing([_schedule(state, rulebook.schedules[id])])
    return None


def _schedule(state: State, schedule: Schedule) -> str:
    local = state.clock().astimezone(schedule.zone)
    windows = ", ".join(str(window) for window in schedule.windows(local.date())) or "not at all"
    now = "open" if schedule.is_open(local) else "closed"
    day = f"{_DAYS[local.weekday()]} {local:%Y-%m-%d}, {local:%H:%M}"
    return f"It is {day} in {schedule.zone.key}: {now} now; that day it is open {windows}."


def _standard(state: State, rulebook: Rulebook, standard: Standard) -> wire.Standing:
    """Return how many devices pass each check and the whole, and which do not."""
    inventory = state.inventories.current()
    judged = judged_devices(state, rulebook, standard)
    counted: Counter[tuple[int, ...]] = Counter()
    for states, devices in judged:
        counted[states] += len(devices)
    checks = len(standard.checks)
    whole = (TRUE,) * checks
    passing = counted[whole]
    counts = [[sum(n for s, n in counted.items() if s[i] == state) for state in (1, 2, 3)] for i in range(checks)]
    failing = [(device.id, device, states) for states, devices in judged if states != whole for device in devices]
    first = nsmallest(MOST_DEVICES, failing, key=lambda each: each[0])
    lines = [f"{passing} of {len(inventory.devices)} devices pass it today."]
    for check, (no, open_, yes) in zip(standard.checks, counts, strict=True):
        unknown = f", of {open_} it is not known" if open_ else ""
        lines.append(f"{check.title or check.id}: {yes} pass, {no} fail{unknown}.")
    return wire.Standing(lines, [_failing(standard, *each) for each in first])


def judged_devices(state: State, rulebook: Rulebook, standard: Standard) -> list[tuple[tuple[int, ...], list[Entry]]]:
    """Return all devices by the states of a standard's checks, as they are now."""
    inventory, now = state.inventories.current(), state.clock()
    parts = Parts(rulebook)
    checks = [parts.compiled(check.must) for check in standard.checks]
    asked = {test.fact for check in standard.checks for test in tests_of(check.must) if isinstance(test, FactTest)}
    own = any(fact.startswith("device.attributes.") for fact in asked)
    # Where it is about what only one device has, each is judged by itself.
    single = bool(asked & {*AGES, "device.id"}) or own
    names = sorted(asked)
    assumed = {name: value for name, value in rulebook.settings.assume.items() if name.startswith("device.")}
    # Most devices are alike in what is asked, so each way to be is judged once.
    alike: dict[object, list[Entry]] = {}
    for device in inventory.devices.values():
        key = device.id if single else tuple(map(device.facts.get, names))
        alike.setdefault(key, []).append(device)
    judged: list[tuple[tuple[int, ...], list[Entry]]] = []
    for devices in alike.values():
        device = devices[0]
        values: Values = {**device.facts, "device.id": device.id, "device.listed": True, "time.at": now}
        values |= {**ages_of(device, now), **attributes_of(device, "device", rulebook.catalogue)[0]}
        values = {**assumed, **values}
        judged.append((tuple(check(values, {LISTS: {}}) for check in checks), devices))
    return judged


def _failing(standard: Standard, id: str, device: Entry, states: tuple[int, ...]) -> wire.Named:
    told = [
        f"{check.title or check.id}{'' if state == FALSE else ' (not known)'}"
        for check, state in zip(standard.checks, states, strict=True)
        if state != TRUE
    ]
    return wire.Named(id, device.person, ", ".join(told))


def holds_address(state: State, rulebook: Rulebook, id: str, address: str) -> wire.Standing:
    """Return whether an address is in a place, and by which part.

    Raises
    ------
    ServiceError
        When there is no such place, or it is no address.
    """
    place: Place | None = rulebook.places.get(id)
    if place is None:
        raise not_found(f"place `{shorten(id)}`")
    try:
        reported = read_given_facts({"network.ip": address}, rulebook.catalogue)
    except AttemptRefused as refused:
        raise ServiceError(422, "bad-address", refused.problems[0].message, "such as 192.0.2.7") from None
    inventory = state.inventories.current()
    facts = complete(
        reported, rulebook.catalogue, {}, inventory, Setting.REHEARSAL, state.clock(), state.addresses
    )  # fmt: skip
    verdict = Judge(rulebook, facts).place(id)
    where = [str(facts.values[name]) for name in ("network.country", "network.city") if name in facts.values]
    whole = {"true": "is in it", "false": "is not in it"}.get(verdict.truth.value, "may be in it: not all is known")
    lines = [f"{address} {whole}{f' ({chr(44).join(where)})' if where else ''}."]
    lines += [f"{part.part} {part.shown}: {_YES[part.truth.value]}" for part in verdict.parts]
    lines += [f"left out {part.part} {part.shown}: {_YES[part.truth.value]}" for part in verdict.without]
    return wire.Standing(lines)


_YES = {"true": "yes", "false": "no", "unknown": "not known"}
