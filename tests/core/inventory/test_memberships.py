"""Where the groups of a person come from: the same groups as everywhere, each by a way that is there."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import pairwise

from hypothesis import given, settings
from hypothesis import strategies as st

from caddrel.core.inventory.index import Entry, Group, Inventory
from caddrel.core.inventory.memberships import memberships

NOW = datetime(2026, 11, 22, 7, 10, tzinfo=UTC)
IDS = [f"g{i}" for i in range(6)]
some = st.lists(st.sampled_from(IDS), max_size=3, unique=True)


@given(
    st.lists(some, min_size=len(IDS), max_size=len(IDS)),
    some,
    st.lists(st.tuples(st.sampled_from(IDS), st.integers(-3, 3)), max_size=4),
)
@settings(max_examples=100, deadline=None)
def test_each_group_comes_by_a_way_that_is_there_and_lasts_longest(
    parents: list[list[str]], lasting: list[str], ending: list[tuple[str, int]]
) -> None:
    # Groups that are members of one another are possible, and go round once.
    inventory = Inventory(groups=[Group(id, member_of=tuple(up)) for id, up in zip(IDS, parents, strict=True)])
    until = tuple((group, NOW + timedelta(days=days)) for group, days in ending)
    person = Entry("ines", facts={"person.groups": frozenset(lasting)}, groups_until=until)
    found = memberships(inventory, person, NOW)
    assert [each.group for each in found] == sorted(inventory.groups_of(person, NOW))
    for each in found:
        way = [*each.through, each.group]
        assert all(after in inventory.groups[before].member_of for before, after in pairwise(way))
        if each.until is None:
            assert way[0] in lasting
        else:
            # Nothing that lasts leads to it, and nothing that ends later.
            assert (way[0], each.until) in until
            assert each.group not in inventory.closure(lasting)
            later = [group for group, ends in until if ends > each.until]
            assert each.group not in inventory.closure(later)
