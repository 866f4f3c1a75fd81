"""A mapping in layers is the mapping that it stands for."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.facts import layers
from caddrel.core.facts.layers import Layers

_IDS = st.sampled_from("abcdef")
_CHANGES = st.tuples(st.dictionaries(_IDS, st.integers(), max_size=3), st.lists(_IDS, max_size=3))


@given(st.dictionaries(_IDS, st.integers()), st.lists(_CHANGES, max_size=8), st.sampled_from([2, 1_000]))
def test_layers_are_the_mapping_that_they_stand_for(
    below: dict[str, int], changes: list[tuple[dict[str, int], list[str]]], most: int
) -> None:
    kept, layers.MOST_ABOVE = layers.MOST_ABOVE, most
    try:
        made, plain = Layers(below), dict(below)
        for changed, gone in changes:
            before, was = made, dict(plain)
            made = made.over(changed, gone)
            plain = {id: there for id, there in plain.items() if id not in gone} | changed
            assert dict(before) == was
            assert (dict(made), len(made), sorted(made)) == (plain, len(plain), sorted(plain))
            assert list(made.values()) == [made[id] for id in made]
            for id in "abcdefg":
                assert (id in made, made.get(id), made.get(id, 7)) == (id in plain, plain.get(id), plain.get(id, 7))
    finally:
        layers.MOST_ABOVE = kept
