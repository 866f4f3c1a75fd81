"""The index over the inventory after any changes, against one that is read from the file as it is then."""

from __future__ import annotations

import contextlib
import random
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from tests.conftest import Clock

from caddrel import wiring
from caddrel.core.inventory.index import NOUNS, Inventory
from caddrel.service.problems import ServiceError
from caddrel.service.runtime import Runtime
from caddrel.service.state.inventory_cache import Inventories
from caddrel.store.moments import from_stored

_PEOPLE: list[dict[str, Any]] = [
    {},
    {"title": "Å", "kind": None, "groups": ["a", {"id": "b", "until": "2026-12-01"}]},
    {"groups": ["b"], "factors": ["password"], "roles": ["administrator"], "risk": "low", "unit": "/x/y"},
    {"off": "2026-10-01T00:00:00Z", "attributes": {"badge": 7, "share": 0.1, "tags": ["q"], "ashore": True}},
]
_DEVICES: list[dict[str, Any]] = [
    {"serial": "s-1", "person": "p1", "os_version": "14.2", "encrypted": True},
    {"serial": "s-2", "state_at": "2026-10-01T00:00:00Z", "managed": None},
    {"serial": "s-1", "platform": "android"},
]
_GROUPS: list[dict[str, Any]] = [{}, {"member_of": ["b"]}, {"title": "T", "member_of": ["c", "a"]}]
_APPS: list[dict[str, Any]] = [{}, {"labels": ["x"], "title": "App"}]
_LISTS: list[dict[str, Any]] = [{"ranges": ["192.0.2.0/24"]}, {"ranges": []}]
_FORMS = {"people": _PEOPLE, "devices": _DEVICES, "groups": _GROUPS, "apps": _APPS, "lists": _LISTS}
_IDS = {"people": ["p1", "p2"], "devices": ["d1", "d2"], "groups": ["a", "b", "c"], "apps": ["x"], "lists": ["l"]}


def _same(made: Inventory, read: Inventory) -> None:
    for noun in NOUNS:
        assert dict(getattr(made, noun)) == dict(getattr(read, noun)), noun
        assert len(getattr(made, noun)) == len(getattr(read, noun))
    for group in _IDS["groups"]:
        assert made.closure([group]) == read.closure([group])
        assert made.members_of(group, from_stored(0)) == read.members_of(group, from_stored(0))
    for serial in ("s-1", "s-2"):
        assert made.device_by(None, serial) == read.device_by(None, serial)


@pytest.mark.parametrize("seed", range(12))
def test_what_is_followed_is_what_would_be_read(tmp_path: Path, seed: int) -> None:
    drawn = random.Random(seed)
    opened = wiring.open_data(tmp_path / "data", Clock())
    runtime, data = opened.runtime, opened.runtime.data

    def put(noun: str) -> None:
        document = {"id": drawn.choice(_IDS[noun]), **drawn.choice(_FORMS[noun])}
        # Groups within themselves are refused.
        with contextlib.suppress(ServiceError):
            runtime.inventory.put_one(noun, document, None, "")

    def take_out(noun: str) -> None:
        with contextlib.suppress(ServiceError):
            runtime.inventory.remove(noun, drawn.choice(_IDS[noun]), None, "")

    def together(noun: str) -> None:
        before, told = data.inventories.current(), list[int]()
        with contextlib.suppress(ZeroDivisionError, RuntimeError), runtime.inventory.together():
            drawn.choice((put, take_out))(noun)
            for number in range(drawn.randrange(3)):
                # A part that fails leaves nothing, and what is to be done after it is not done.
                with contextlib.suppress(ZeroDivisionError), runtime.inventory.together():
                    runtime.inventory.afterwards(partial(told.append, number))
                    drawn.choice((put, put, take_out))(drawn.choice(NOUNS))
                    if drawn.random() < 0.3:
                        raise ZeroDivisionError
                    stayed.append(number)
            drawn.choice((put, take_out))(noun)
            made = runtime.inventory.current()
            # Others do not see it yet.
            with ThreadPoolExecutor(1) as others:
                assert others.submit(runtime.inventory.current).result() is before
            assert not told
            if drawn.random() < 0.3:
                stayed.clear()
                raise ZeroDivisionError
            _same(made, runtime.inventory.current())
            followed.append(made)
        assert told == stayed
        stayed.clear()
        if followed:
            _same(followed.pop(), data.inventories.current())

    def beside(noun: str) -> None:
        document = {"id": drawn.choice(_IDS[noun]), **drawn.choice(_FORMS[noun])}
        if not (noun == "groups" and "member_of" in document):
            kept = {key: value for key, value in document.items() if value is not None}
            data.inventory.put([(noun, kept)], data.clock())

    def gone(noun: str) -> None:
        data.inventory.remove(noun, drawn.choice(_IDS[noun]), data.clock(), None)

    stayed, followed = list[int](), list[Inventory]()
    ways: list[Callable[[str], None]] = [put, put, put, together, together, take_out, beside, gone]
    for _ in range(60):
        # Not always is it looked at in between.
        if drawn.random() < 0.7:
            _same(data.inventories.current(), Inventories(data.inventory).current())
        drawn.choice(ways)(drawn.choice(NOUNS))
    _same(data.inventories.current(), Inventories(data.inventory).current())
    opened.close()


def test_what_came_in_between_is_not_lost(tmp_path: Path) -> None:
    opened = wiring.open_data(tmp_path / "data", Clock())
    runtime: Runtime = opened.runtime
    data, inventories = runtime.data, runtime.data.inventories
    runtime.inventory.put_one("people", {"id": "p1"}, None, "")
    before = inventories.current()
    # Somebody else's change, of another process say, is committed before ours and not seen by it.
    data.inventory.put([("people", {"id": "p2"})], data.clock())
    stored = data.inventory.put_one("people", {"id": "p3"}, data.clock(), 0)
    inventories.follow(before, stored.version, stored.version, before)
    assert set(inventories.current().people) == {"p1", "p2", "p3"}
    opened.close()
