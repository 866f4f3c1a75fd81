"""What there is to watch: causes that grow, shadow policies, what ends, and setting things aside."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.service.auth.tokens import make_token
from caddrel.service.watch.causes import grows
from caddrel.store.queries import Query
from caddrel.wire.decisions import File
from caddrel.wire.watch import WatchItem


@pytest.mark.parametrize(
    ("count", "before", "expected"),
    [
        (5, (), True),
        (4, (), False),
        (5, (0, 0, 0, 0), True),
        (5, (2, 0, 0, 0), True),
        (5, (0, 0, 0, 3), False),
        (11, (5, 1, 1, 1), True),
        (10, (5, 1, 1, 1), False),
    ],
)
def test_what_grows_is_told_by_a_stated_rule(count: int, before: tuple[int, ...], expected: bool) -> None:
    assert grows(count, before) is expected


RULEBOOK = """
caddrel: 1
settings: {keyholders: [group:keepers]}
apps: {tower: {stance: open}}
policies:
  strict:
    title: Only our own devices
    mode: MODE
    rules: [{id: r, when: device.owner is not company, then: block, tell: No.}]
  more:
    mode: shadow
    rules: [{id: r, when: network.country is not NO, then: require mfa}]
"""


def _line(id: str, at: Any, owner: str, country: str, person: str = "ines") -> bytes:
    facts = {
        "person.id": person, "app.id": "tower", "device.owner": owner, "network.country": country,
        "auth.methods": ["pwd"], "person.factors": ["password", "push"], "time.at": at.isoformat(),
    }  # fmt: skip
    return json.dumps({"id": id, "facts": facts}).encode() + b"\n"


@pytest.fixture
def live(guarded: Callable[[str], Live]) -> Live:
    return guarded(RULEBOOK.replace("MODE", "shadow"))


def test_shadow_policies_are_counted_without_a_replay(live: Live) -> None:
    start = live.clock.now
    lines = [_line(f"a{i}", start + timedelta(days=i), "personal", "NO", f"p{i % 2}") for i in range(3)]
    lines += [_line(f"b{i}", start + timedelta(days=i), "company", "IS") for i in range(2)]
    lines += [_line("c", start, "company", "NO")]
    live.clock.now = start + timedelta(days=3)
    with live.client() as operator:
        assert operator.signins.import_(lines).added == 6
        strict, more = operator.watch.shadow_policies()
        assert (strict.policy, strict.blocked, strict.challenged, strict.people) == ("strict", 3, 0, ["p0", "p1"])
        assert (more.blocked, more.challenged, more.people) == (0, 2, ["ines"])
        assert Counter({day.day: day.blocked for day in strict.days}).total() == 3
        assert (strict.ready, strict.why) == (False, "it is in shadow for 3 of 7 days")
        live.clock.now = start + timedelta(days=8)
        strict, more = operator.watch.shadow_policies()
        assert (strict.ready, more.ready) == (False, True)
        assert strict.why == "it would have stopped 2 sign-ins within the last 7 days"
        # A week later nobody has signed in: there is nothing to go by.
        live.clock.now = start + timedelta(days=20)
        assert [policy.ready for policy in operator.watch.shadow_policies()] == [False, False]
        # A change begins it anew.
        changed = RULEBOOK.replace("MODE", "shadow").replace("is not company", "is unlisted")
        operator.rulebook.publish([File("r.yaml", changed)], "milder")
        assert operator.watch.shadow_policies()[0].since > more.since


def _keys(items: list[WatchItem], aside: bool = False) -> set[str]:
    return {item.key for item in items if bool(item.set_aside) is aside}


def test_what_is_wrong_is_told_until_it_is_set_aside(live: Live) -> None:
    start = live.clock.now
    with live.client() as operator:
        operator.rulebook.publish([File("r.yaml", RULEBOOK.replace("MODE", "enforced"))], "enforced")
        # Long before, just before, and after it began.
        for hours, group in ((0, "early"), (23, "crew"), (48, "late")):
            live.clock.now = start + timedelta(hours=hours)
            operator.groups.import_([json.dumps({"id": group}).encode()])
        lines = [
            _line(f"x{i}", start + timedelta(hours=26, minutes=i), "personal", "NO", f"p{i % 3}") for i in range(6)
        ]
        assert operator.signins.import_(lines).added == 6
        make_token(live.data, "ferry", "viewer", 5, "tests")
        person = {
            "id": "odd",
            "kind": "guest",
            "factors": [],
            "groups": [{"id": "crew", "until": "2026-12-01T00:00:00Z"}],
        }
        assert operator.people.import_([json.dumps(person).encode()]).added == 1
        found = operator.watch.look()
        [cause] = [item for item in found.items if item.kind == "cause"]
        assert "".join(piece.text for piece in cause.says).startswith(
            "New: “Only our own devices” stops 3 people, 6 sign-ins"
        )
        assert "since revision 2" in cause.detail
        assert (
            f"after token test operator changed groups on {start + timedelta(hours=23):%Y-%m-%d %H:%M}" in cause.detail
        )
        assert "crew" in cause.detail
        assert "more changes" not in cause.detail
        assert not found.well
        kinds = {item.kind for item in found.items}
        assert {"cause", "shadow", "ending", "feed"} <= kinds
        assert "membership:odd:crew" in _keys(found.items)
        assert found.items[0].state == "wrong"
        shown = run("watch", env=live.environment())
        assert (shown.returncode, "“Only our own devices” stops 3 people" in shown.stdout) == (1, True)
        after = operator.watch.set_aside(cause.key, cause.mark, "they are told")
        assert cause.key in _keys(after.items, aside=True)
        assert [item.by for item in after.items if item.key == cause.key] == ["token test operator"]
        # It is another thing once there is twice as much of it.
        live.clock.now += timedelta(hours=1)
        more = [_line(f"y{i}", start + timedelta(days=1, hours=1, minutes=i), "personal", "NO") for i in range(12)]
        operator.signins.import_(more)
        assert cause.key in _keys(operator.watch.look().items)
        operator.watch.set_aside(cause.key, cause.mark, "")
        assert live.data.set_aside.all() == {}
        with pytest.raises(Refused) as refused:
            operator.watch.set_aside("", "x", "why")
        assert refused.value.problem.code == "bad-watch"
        wrong = run("watch", "--set-aside", "nothing", "--why", "x", env=live.environment())
        assert (wrong.returncode, "nothing `nothing`" in wrong.stderr) == (2, True)
        for item in operator.watch.look().items:
            operator.watch.set_aside(item.key, item.mark, "seen")
        done = run("watch", env=live.environment())
        assert (done.returncode, "Nothing is wrong" in done.stdout) == (0, True)
        assert "seen" in run("watch", "--aside", env=live.environment()).stdout
        assert "Only our own devices" not in run("watch", "--shadow", env=live.environment()).stdout
    with live.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.watch.set_aside("a", "b", "c")
    assert refused.value.problem.status == 403


def test_the_demo_is_watched(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        found = viewer.watch.look()
    days = kelpline.data.signins.per_day(Query(since=kelpline.clock() - timedelta(days=14)))
    assert sum(day.allowed + day.challenged + day.blocked for day in found.days) == sum(count for *_, count in days)
    assert found.sentence
    assert {item.kind for item in found.items} & {"shadow", "lint", "feed"}


def test_tokens_of_one_name_that_end_on_one_day_are_one_thing(empty: Live) -> None:
    for name in ("doorway", "doorway", "till"):
        make_token(empty.data, name, "door", 3, "tests")
    with empty.client() as operator:
        said = ["".join(piece.text for piece in item.says) for item in operator.watch.look().items]
        ends = f"{empty.clock.now + timedelta(days=3):%Y-%m-%d}."
        assert [each for each in said if "token" in each] == [
            f"2 tokens “doorway” end on {ends}",
            f"The token “till” ends on {ends}",
        ]
