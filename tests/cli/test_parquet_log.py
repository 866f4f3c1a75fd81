"""Columns of a Parquet file by their different values: each row has the value that it has."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from caddrel.cli.parquet_log import LONGEST_LIST, encoded

# From a few names, which fit a number many at once, to so many that only three do at once.
VOCABULARIES = [2, 3, 80, 5_000, 1 << 17]


def _held(array: pa.Array) -> list[Any]:
    column = encoded(array)
    assert len({repr(value) for value in column.values}) == len(column.values)
    return [None if code < 0 else column.values[code] for code in column.codes]


@st.composite
def _lists(draw: st.DrawFn, size: int) -> list[list[str] | None]:
    # Beside one another lists that differ in one place, in their order, or in where they end.
    names = st.integers(0, size - 1).map("n{}".format)
    base = draw(st.lists(names, max_size=LONGEST_LIST))
    cuts = st.integers(0, len(base)).map(lambda cut: base[:cut])
    turned = st.integers(0, len(base)).map(lambda cut: base[cut:] + base[:cut])
    changed = st.tuples(st.integers(0, max(len(base) - 1, 0)), names).map(
        lambda at: [*base[: at[0]], at[1], *base[at[0] + 1 :]][:LONGEST_LIST]
    )
    return draw(st.lists(st.none() | cuts | turned | changed | st.lists(names, max_size=5), max_size=30))


@pytest.mark.parametrize("size", VOCABULARIES)
def test_lists_are_the_same_only_where_they_hold_the_same_in_the_same_order(size: int) -> None:
    # All names there are, so that each takes as many bits as it would in a log of so many.
    every = pa.array([f"n{number}" for number in range(size)])

    @settings(max_examples=40, deadline=None)
    @given(_lists(size))
    def check(lists: list[list[str] | None]) -> None:
        indices = [[int(name[1:]) for name in each or ()] for each in lists]
        offsets = [0]
        for each in indices:
            offsets.append(offsets[-1] + len(each))
        flat = pa.array([name for each in indices for name in each], pa.int32())
        inner = pa.DictionaryArray.from_arrays(flat, every)
        missing = pa.array([each is None for each in lists], pa.bool_())
        array = pa.ListArray.from_arrays(pa.array(offsets, pa.int32()), inner, mask=missing)
        assert _held(array) == lists
        # As texts that are not kept by their different values, and cut out of a longer column.
        assert _held(pa.array(lists, pa.list_(pa.string()))) == lists
        assert _held(array[1:]) == lists[1:]

    check()


@pytest.mark.parametrize(
    "values",
    [
        [["a"] * (LONGEST_LIST + 1), ["a"] * LONGEST_LIST, None],
        [["a", None], ["a"], [None]],
        [["a"], [], None, ["a"]],
        [["b", "a"], ["a", "b"]],
    ],
)
def test_what_is_not_taken_together_is_read_one_by_one(values: list[Any]) -> None:
    assert _held(pa.array(values, pa.list_(pa.string()))) == values


@given(st.lists(st.none() | st.sampled_from(["", "a", "b"])))
def test_texts_and_what_is_missing(values: list[str | None]) -> None:
    assert _held(pa.array(values, pa.string())) == values
    assert _held(pa.array(values, pa.string()).dictionary_encode()) == values


@pytest.mark.parametrize("kept", [pa.int8(), pa.uint8(), pa.int16(), pa.uint32(), pa.int64()])
def test_whatever_places_of_values_are_kept_in(kept: pa.DataType) -> None:
    # As many values as eight bits hold with a sign: one more than the last place does not fit.
    names = [f"n{number}" for number in range(128)]
    places = [*range(128), None, 127, 0]
    array = pa.DictionaryArray.from_arrays(pa.array(places, kept), pa.array(names))
    assert _held(array) == [None if place is None else names[place] for place in places]
    lists = [[127], [127, 0], [0, 127], [], [0], [127, 127, 1]]
    flat = pa.DictionaryArray.from_arrays(pa.array([place for each in lists for place in each], kept), pa.array(names))
    offsets = pa.array([0, 1, 3, 5, 5, 6, 9], pa.int32())
    assert _held(pa.ListArray.from_arrays(offsets, flat)) == [[names[place] for place in each] for each in lists]
