"""Values that nothing tells apart, and pairs that differ in one fact alone, against comparing each with each."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import combinations
from typing import Any

from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from caddrel.core.cases.ways import fact_of, standing_for, ways

KEYS = ("a", "b", ("c", "x"), ("c", "y"), "d")
TELLINGS: dict[Any, list[Callable[[int], Any]]] = {
    "a": [lambda value: value > 1],
    "b": [],
    "d": [lambda value: value == 0, lambda value: value % 2],
}
VALUES = st.lists(st.dictionaries(st.sampled_from(KEYS), st.integers(0, 3)), min_size=1, max_size=9)
EACH = settings(max_examples=300, phases=[Phase.generate])


def _one_by_one(values: Sequence[Mapping[Any, Any]], name: str, free: set[str], word: Any) -> set[tuple[int, int]]:
    found = set()
    for (i, one), (j, other) in combinations(enumerate(values), 2):
        keys = {key for key in {*one, *other} if one.get(key, "none") != other.get(key, "none")}
        if {fact_of(key) for key in keys} - free - {name}:
            continue
        own, its = one.get(name, "none"), other.get(name, "none")
        if (own != its or own == "none") if word is None else (own != its and word in (own, its)):
            found.add((i, j))
    return found


@EACH
@given(VALUES, st.sampled_from("abcd"), st.sets(st.sampled_from("abcd")), st.booleans())
def test_what_differs_in_one_fact_is_what_comparing_each_with_each_finds(
    values: list[dict[Any, int]], name: str, free: set[str], with_word: bool
) -> None:
    words = [{key: f"w{value}" for key, value in each.items()} for each in values]
    found = ways(words, lambda _key, value: value).differing(name, free, "w2" if with_word else "")
    assert found == _one_by_one(words, name, free, "w2" if with_word else None)


@EACH
@given(VALUES, st.sampled_from("abcd"), st.sets(st.sampled_from("abcd")))
def test_what_stands_for_others_differs_where_any_of_them_does(
    values: list[dict[Any, int]], name: str, free: set[str]
) -> None:
    kept, places = standing_for(values, TELLINGS)
    assert [kept[place] for place in dict.fromkeys(places)] == kept
    for value, place in zip(values, places, strict=True):
        for key, tests in TELLINGS.items():
            if tests:
                assert (key in value) == (key in kept[place])
                assert all(test(value[key]) == test(kept[place][key]) for test in tests if key in value)
    found = ways(values, lambda _key, value: value, places).differing(name, free)
    among_all = _one_by_one(values, name, free, None)
    assert found == {(min(p), max(p)) for i, j in among_all if len(p := {places[i], places[j]}) > 1}
