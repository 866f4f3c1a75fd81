"""Garbage is looked for between the pieces of long work, and as before once it is over, however it ends."""

from __future__ import annotations

import gc
import weakref
from collections.abc import Iterator

import pytest

from caddrel.core.garbage import between


class _Circle:
    def __init__(self) -> None:
        self.me = self


@pytest.fixture(autouse=True)
def _as_it_was() -> Iterator[None]:
    was = gc.isenabled()
    yield
    (gc.enable if was else gc.disable)()


@pytest.mark.parametrize("on", [True, False])
@pytest.mark.parametrize("ends", ["itself", "midway", "an error"])
def test_what_was_made_for_a_piece_goes_with_it_and_all_is_as_before(on: bool, ends: str) -> None:
    (gc.enable if on else gc.disable)()
    made: list[weakref.ref[_Circle]] = []
    pieces = between(range(3))
    try:
        for piece in pieces:
            assert not gc.isenabled()
            assert all(each() is None for each in made)
            made.append(weakref.ref(_Circle()))
            assert made[-1]() is not None
            if piece == 1 and ends == "midway":
                break
            if piece == 1 and ends == "an error":
                raise ValueError
    except ValueError:
        pass
    finally:
        pieces.close()  # type: ignore[attr-defined]
    assert gc.isenabled() == on
