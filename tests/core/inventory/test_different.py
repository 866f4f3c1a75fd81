"""Of entries that are as one another in what is asked, the first stands for all; none that differs is left out."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.inventory.completion import ages_of
from caddrel.core.inventory.index import Entry, Inventory

NOW = datetime(2026, 11, 23, 9, tzinfo=UTC)
_MOMENTS = st.sampled_from([None, NOW - timedelta(days=1), NOW - timedelta(days=20), NOW + timedelta(days=1)])
_OWNERS, _FLAGS = st.sampled_from(["company", "personal", None]), st.sampled_from([True, False, None])


@given(
    st.lists(st.tuples(_OWNERS, _FLAGS, _MOMENTS, _MOMENTS), max_size=12),
    st.sets(st.sampled_from(["device.owner", "device.managed"])),
    st.booleans(),
    st.sets(st.sampled_from(["d0", "d3", "none"])),
)
def test_devices_that_come_to_the_same_come_once(
    given_devices: list[tuple[str | None, bool | None, datetime | None, datetime | None]],
    facts: set[str],
    ages: bool,
    named: set[str],
) -> None:
    devices = []
    for i, (owner, managed, state_at, listed_at) in enumerate(given_devices):
        said = {"device.owner": owner, "device.managed": managed}
        kept = {name: value for name, value in said.items() if value is not None}
        devices.append(Entry(f"d{i}", facts=kept, state_at=state_at, listed_at=listed_at))
    inventory = Inventory(devices=devices)

    def comes_to(device: Entry) -> tuple[object, ...]:
        at = NOW if ages else None
        stored = {name: device.facts.get(name) for name in facts}
        return device.id if device.id in named else None, sorted(stored.items()), sorted(ages_of(device, at).items())

    for _ in range(2):
        found = inventory.different("devices", tuple(sorted(facts)), frozenset(named), ages=ages)
        assert [each.id for each in found] == [device.id for device in devices if device in found]
        # Whatever a device comes to, one that comes to it is there; and the first of them is.
        firsts = {str(comes_to(device)): device.id for device in reversed(devices)}
        assert {str(comes_to(each)): each.id for each in reversed(found)} == firsts
        if not ages:
            assert len(found) == len(firsts)


@given(st.lists(st.tuples(st.sampled_from(["a", "b"]), st.sampled_from([(), (("a", NOW),)])), max_size=6))
def test_people_differ_by_their_groups_and_what_ends_of_them(
    people: list[tuple[str, tuple[tuple[str, datetime], ...]]],
) -> None:
    entries = [
        Entry(f"p{i}", facts={"person.groups": frozenset({group})}, groups_until=until)
        for i, (group, until) in enumerate(people)
    ]
    found = Inventory(entries).different("people", ("person.kind",), frozenset(), ages=False)
    assert len(found) == len(set(people))
