"""Rounds: what is due is done, beside what holds; what fails is done later and later, or soon when it is another."""

from __future__ import annotations

import threading
from collections import Counter

from tests.conftest import until

from caddrel.service.streams.rounds import Rounds


def test_each_is_done_when_it_is_due_whatever_others_do() -> None:
    done, go_on = Counter[str](), threading.Event()

    def do(one: str) -> bool:
        done[one] += 1
        if one == "holds":
            go_on.wait()
        if one == "raises":
            raise ValueError(one)
        return one != "fails"

    ones = ["holds", "fails", "raises", "often", "seldom"]
    rounds = Rounds("tests", lambda: ones, str, lambda one: 0.0 if one == "often" else 10_000.0, do, 20_000.0)
    rounds.begin()
    until(lambda: done["often"] >= 3)
    assert {one: done[one] for one in ones[:3]} == {"holds": 1, "fails": 1, "raises": 1}
    assert done["seldom"] == 1
    for one in ones[:3]:
        rounds.soon(one)
    until(lambda: done["fails"] == done["raises"] == 2)
    # What is under way is not begun again beside itself; once it has ended it is.
    assert done["holds"] == 1
    go_on.set()
    until(lambda: done["holds"] == 2)
    rounds.stop()
    assert rounds.stopped
