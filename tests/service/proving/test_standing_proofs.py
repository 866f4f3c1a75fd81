"""What is in force is proven again after each change, though nobody looks, and not without rest."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.conftest import EMPTY_LIMITS, Live, serving, until

from caddrel.service.proving import standing_proofs
from caddrel.service.proving.standing_proofs import GUARANTEE, SAFEGUARD
from caddrel.service.watch import reporter
from caddrel.wire.decisions import File

OPEN = """caddrel: 1
guarantees: {till-is-closed: {title: The till stays closed, for: {apps: [till]}, at_least: block}}
policies: {}
"""
CLOSED = OPEN.replace("{}\n", "{till: {mode: enforced, apps: [till], rules: [{then: block}]}}\n")


@pytest.fixture
def quick(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Live]:
    """A service whose rounds follow one another at once."""
    monkeypatch.setattr(reporter, "EVERY", 0.02)
    for live in serving(tmp_path / "data", EMPTY_LIMITS):
        with live.client() as operator:
            operator.apps.import_([b'{"id": "till"}'])
        yield live


def _answer(live: Live) -> str:
    found = live.data.proven.all(GUARANTEE).get("till-is-closed")
    return "" if found is None else found.answer


def test_a_change_is_proven_though_nobody_looks(quick: Live) -> None:
    with quick.client() as operator:
        operator.rulebook.publish([File("r.yaml", CLOSED)], "the first")
        until(lambda: _answer(quick) == "holds")
        until(lambda: quick.data.proven.all(SAFEGUARD))
        operator.rulebook.publish([File("r.yaml", OPEN)], "open", base=1, accept_failing_guarantees="A try")
        until(lambda: _answer(quick) == "fails")


@pytest.mark.parametrize(("rest", "rests", "again"), [(0.0, 0.0, True), (1e9, 0.0, False), (0.0, 1e9, False)])
def test_an_inventory_that_never_rests_is_not_always_proven_for(
    quick: Live, monkeypatch: pytest.MonkeyPatch, rest: float, rests: float, again: bool
) -> None:
    monkeypatch.setattr(standing_proofs, "REST", rest)
    monkeypatch.setattr(standing_proofs, "RESTS", rests)
    standing = quick.runtime.standing
    with quick.client() as operator:
        operator.rulebook.publish([File("r.yaml", CLOSED)], "the first")
        until(standing.is_proven)
        operator.people.import_([b'{"id": "ines"}'])
        assert not standing.is_proven()
        if again:
            until(standing.is_proven)
        else:
            standing.look_soon()
            assert not standing._under_way
        # A revision is proven at once.
        operator.rulebook.publish([File("r.yaml", CLOSED + "\n# again\n")], "again", base=1)
        until(standing.is_proven)


def test_what_is_proven_stays_so_when_the_service_begins_again_until_the_next_day(tmp_path: Path) -> None:
    for live in serving(tmp_path / "data", EMPTY_LIMITS):
        with live.client() as operator:
            operator.rulebook.publish([File("r.yaml", CLOSED)], "the first")
        assert not live.runtime.standing.is_proven()
        live.runtime.standing.look_soon()
        until(live.runtime.standing.is_proven)
    for live in serving(tmp_path / "data", EMPTY_LIMITS):
        standing = live.runtime.standing
        standing.look_soon()
        assert (standing.is_proven(), standing._under_way) == (True, False)
        # Memberships end, and whoever holds keys today may not tomorrow.
        live.clock.forward(days=1)
        assert not standing.is_proven()
        standing.look_soon()
        until(standing.is_proven)


def test_what_could_not_be_proven_is_tried_again_after_a_rest(quick: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    standing = quick.runtime.standing
    monkeypatch.setattr(standing_proofs, "REST", 1e9)
    quick.runtime.prover.stop()
    with quick.client() as operator:
        operator.rulebook.publish([File("r.yaml", "caddrel: 1\n")], "the first")
    first = until(lambda: standing._when)
    assert not standing.is_proven()
    standing.look_soon()
    assert not standing._under_way
    monkeypatch.setattr(standing_proofs, "REST", 0.0)
    until(lambda: standing._when > first)
