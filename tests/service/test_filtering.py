"""The log filter: what SQL asks and what is judged mean the same, and what is wrong is told at its place."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.cli.test_cli import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.core.logs.filters import for_log, read_filter
from caddrel.service.filtering import _judging
from caddrel.store.filters import to_sql
from caddrel.store.signins import Query


@pytest.mark.parametrize(
    ("where", "several"),
    [
        ("outcome is blocked", True),
        ("outcome is blocked and person.groups has crew", True),
        ("policy is abroad or rule is below-standard", True),
        ("surely signals has too-fast", True),
        ("from terminals and not during shore-hours", True),
        ("not device passes crew-tablet and device.platform is android", True),
        ("shadow is blocked and outcome is allowed", True),
        ("at is at least 2026-11-20T00:00:00Z and network.asn is 64501", True),
        ("client.name is SEABIRD", True),
        ("device.id is unknown and certain", True),
        ("recorded is refused", True),
        ("recorded is Refused", False),
        ("person.id is nobody", False),
    ],
)
def test_filters_find(kelpline: Live, where: str, several: bool) -> None:
    with kelpline.client("viewer") as client:
        page = client.signins.list(where=where, limit=5)
        assert bool(page.items) == several
        assert sum(page.counts.values()) == sum(d.allowed + d.challenged + d.blocked for d in page.days)
        assert (sum(page.counts.values()) > 5) == (page.next is not None)
        if page.next is not None:
            older = client.signins.list(where=where, limit=5, after=page.next)
            assert older.items[0].at <= page.items[-1].at
            assert not {i.id for i in older.items} & {i.id for i in page.items}


@pytest.mark.parametrize(
    ("where", "code", "column"),
    [
        ("outcom is blocked", "unknown-fact", 1),
        ("outcome is bloked", "wrong-value", 12),
        ("person.id is a and app.id is b or certain", "mixed-and-or", 32),
        ("from terminal", "unknown-place", 6),
        ("person.id is", "expected-value", 13),
    ],
)
def test_what_is_wrong_is_told_at_its_place(kelpline: Live, where: str, code: str, column: int) -> None:
    with kelpline.client("viewer") as client, pytest.raises(Refused) as refused:
        client.signins.list(where=where)
    problem = refused.value.problem
    assert (problem.status, problem.code) == (422, "bad-filter")
    assert problem.errors[0].span is not None
    assert problem.errors[0].code == code
    assert (problem.errors[0].span.line, problem.errors[0].span.column) == (1, column)
    done = run("signins", "list", "--where", where, env=kelpline.environment())
    assert done.returncode == 3
    assert problem.errors[0].message.split("`")[0] in done.stderr


_SAMPLES: dict[str, list[str]] = {
    "person.id": ["ines.faro", "bruno.krog"], "app.id": ["post", "farebox"], "device.id": ["tab-0117"],
    "network.country": ["NO", "IS"], "device.owner": ["company", "personal"], "client.kind": ["native", "legacy"],
    "outcome": ["blocked", "allowed"], "reason": ["effect", "unmeetable"], "policy": ["abroad", "hidden-origins"],
    "network.asn": ["64500", "64501"], "network.ip": ["192.0.2.83"], "recorded": ["accepted"], "shadow": ["blocked"],
    "at": ["2026-11-10T00:00:00Z"], "flow": ["device-code"], "auth.credentials": ["wrong"],
}  # fmt: skip


@st.composite
def _column_tests(draw: st.DrawFn) -> str:
    fact = draw(st.sampled_from(sorted(_SAMPLES)))
    values = draw(st.lists(st.sampled_from(_SAMPLES[fact]), min_size=1, max_size=2))
    if fact in {"at"}:
        return f"{fact} {draw(st.sampled_from(['is at least', 'is below']))} {values[0]}"
    form = draw(
        st.sampled_from(["is {}", "is not {}", "is one of [{}]", "is not one of [{}]", "is known", "is unknown"])
    )
    return f"{fact} {form.format(', '.join(values) if '[' in form else values[0])}"


def _trees() -> st.SearchStrategy[str]:
    def deeper(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
        two = st.tuples(inner, inner)
        return st.one_of(
            two.map(lambda p: f"(({p[0]}) and ({p[1]}))"),
            two.map(lambda p: f"(({p[0]}) or ({p[1]}))"),
            inner.map(lambda t: f"not ({t})"),
            inner.map(lambda t: f"surely ({t})"),
        )

    return st.recursive(_column_tests(), deeper, max_leaves=5)


@given(_trees())
@settings(max_examples=25, suppress_health_check=list(HealthCheck))
def test_sql_and_judging_find_the_same(kelpline: Live, where: str) -> None:
    deps = kelpline.deps
    rulebook = for_log(deps.rulebooks.need_current().rulebook)
    condition = read_filter(where, rulebook)
    assert to_sql(condition) is not None
    window = {"since": deps.clock().replace(day=21), "limit": 4000}
    asked = deps.signins.page(Query(conditions=(condition,), **window))
    judged = deps.signins.page(Query(matches=_judging(condition, rulebook), **window))
    assert [r.id for r in asked] == [r.id for r in judged]
    counts = [deps.signins.per_day(Query(since=window["since"], **q)) for q in (
        {"conditions": (condition,)}, {"matches": _judging(condition, rulebook)},
    )]  # fmt: skip
    assert sorted(counts[0]) == sorted(counts[1])
