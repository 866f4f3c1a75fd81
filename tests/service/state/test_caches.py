"""What is remembered: bounded, the one not asked for the longest goes, and its size is told."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import Live

from caddrel.service.state.caches import ByObject, Cache, Caches


@given(st.lists(st.integers(0, 9), max_size=60))
def test_a_cache_answers_as_if_it_were_not_there_and_holds_what_was_asked_for_last(asked: list[int]) -> None:
    cache: Cache[int, int] = Caches().make("squares", 4)
    assert [cache.once(n, lambda n=n: n * n) for n in asked] == [n * n for n in asked]  # type: ignore[misc]
    newest = list(dict.fromkeys(reversed(asked)))[:4]
    assert sorted(cache) == sorted(newest)


def test_a_cache_holds_no_more_than_it_may_whoever_asks_at_once() -> None:
    caches = Caches()
    cache: Cache[int, int] = caches.make("squares", 50)
    with ThreadPoolExecutor(8) as threads:
        made = list(threads.map(lambda n: cache.once(n % 300, lambda: (n % 300) ** 2), range(20_000)))
    assert made == [(n % 300) ** 2 for n in range(20_000)]
    assert list(caches.sizes()) == [("squares", 50, 50)]
    with pytest.raises(ValueError, match="squares"):
        caches.make("squares", 1)


def test_what_follows_from_an_object_is_never_taken_for_that_of_another_which_equals_it() -> None:
    made: list[list[int]] = []
    of: ByObject[list[int], int] = ByObject(Cache("lengths", 2))

    def length(thing: list[int]) -> int:
        made.append(thing)
        return len(thing)

    first, second = [1], [1]
    assert [of.once(thing, length) for thing in (first, second, first)] == [1, 1, 1]
    assert made == [[1], [1]]
    # One that made room for others, and what stands in its place in memory, are made anew.
    for n in range(50):
        assert of.once([0] * n, length) == n


def test_the_metrics_tell_what_each_cache_holds(kelpline: Live) -> None:
    with kelpline.http() as http:
        http.get("/api/v1/rulebook").raise_for_status()
        told = http.get("/metrics").text
    sizes = dict(line.rsplit(" ", 1) for line in told.splitlines() if line.startswith("caddrel_cache_"))
    assert float(sizes['caddrel_cache_entries{cache="rulebooks"}']) >= 1
    assert {name for name, _, _ in kelpline.data.caches.sizes()} >= {"rulebooks", "costs", "histories", "lock-outs"}
    for name, _, most in kelpline.data.caches.sizes():
        assert float(sizes[f'caddrel_cache_most{{cache="{name}"}}']) == most
