"""The log filter: what SQL asks and what is judged mean the same, and what is wrong is told at its place."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import dataclass
from datetime import datetime

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.command import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.record import facts_from_json
from caddrel.core.logs.filters import for_log, read_filter
from caddrel.core.rulebook.model import Rulebook, Schedule
from caddrel.service.signins.log_filter import LogJudge
from caddrel.store.queries import Query
from caddrel.wire.decisions import File


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
        ("person.id is ines.faro and not person.id is ines.faro", False),
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
        ("person.id is nobody", "unknown-word", 14),
        ("certain and not person.groups has crews", "unknown-word", 35),
        ("app.id is one of [post, Post]", "unknown-word", 25),
        ("surely app.labels has any of [mail, mails]", "unknown-word", 37),
        ("policy is nope", "unknown-word", 11),
        (" or ".join(["device.managed"] * 101), "too-costly", 1),
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


def test_one_odd_moment_of_a_log_is_not_all_time_between(empty: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    """A log in which a clock was at its beginning is filtered as soon as any other."""
    asked: list[datetime] = []
    told = Schedule.is_open

    def counted(schedule: Schedule, local: datetime) -> bool:
        asked.append(local)
        return told(schedule, local)

    moments = ["1900-01-05T12:00:00Z", "1970-01-01T00:00:00Z", "2026-11-20T12:00:00Z", "2026-11-20T23:00:00Z"]
    lines = [json.dumps({"id": f"s{i}", "facts": {"time.at": at}}).encode() + b"\n" for i, at in enumerate(moments)]
    with empty.client() as client:
        text = "caddrel: 1\nschedules: {noon: {zone: Europe/Oslo, hours: {mon-sun: ['11:07-14:00']}}}\n"
        client.rulebook.publish([File("r.yaml", text)], "the first")
        assert client.signins.import_(lines).added == len(moments)
        monkeypatch.setattr(Schedule, "is_open", counted)
        assert [item.id for item in client.signins.list(where="during noon").items] == ["s2", "s0"]
        assert [item.id for item in client.signins.list(where="not during noon").items] == ["s3", "s1"]
    # A minute at a time, in the day and a half around each.
    assert len(asked) < 3 * 2 * 2_300


_SAMPLES: dict[str, list[str]] = {
    "person.id": ["ines.faro", "bruno.krog"], "app.id": ["post", "farebox"], "device.id": ["tab-0117"],
    "network.country": ["NO", "IS"], "device.owner": ["company", "personal"], "client.kind": ["native", "legacy"],
    "outcome": ["blocked", "allowed"], "reason": ["effect", "unmeetable"], "policy": ["abroad", "hidden-origins"],
    "network.asn": ["64500", "64501"], "network.ip": ["192.0.2.83"], "recorded": ["accepted"], "shadow": ["blocked"],
    "flow": ["device-code"], "auth.credentials": ["wrong"], "rule": ["below-standard"], "client.name": ["SEABIRD"],
    "device.os_version": ["15", "14.1"], "person.kind": ["contractor"],
}  # fmt: skip
_ORDERED = {
    "at": ["2026-11-10T00:00:00Z", "2026-11-21T12:00:00Z"], "device.state_age": ["1d", "600s"], "auth.age": ["15m"],
    "device.os_version": ["15", "14.0"], "risk.attempt": ["low"],
}  # fmt: skip
_WHOLE = [
    "certain", "device.managed", "from terminals", "from any of [head-office, hidden]", "during shore-hours",
    "device passes crew-tablet", "device passes own-laptop", "person.groups has crew", "auth.methods has otp",
    "signals has too-fast", "person.groups has none of [crew, terminal-staff]", "client.name contains bird",
    "signals is known", "app.labels has any of [money, sea]",
]  # fmt: skip


@st.composite
def _tests(draw: st.DrawFn) -> str:
    kind = draw(st.sampled_from(["listed", "ordered", "whole"]))
    if kind == "whole":
        return draw(st.sampled_from(_WHOLE))
    if kind == "ordered":
        fact = draw(st.sampled_from(sorted(_ORDERED)))
        form = draw(st.sampled_from(["is at least", "is below", "is above", "is at most"]))
        return f"{fact} {form} {draw(st.sampled_from(_ORDERED[fact]))}"
    fact = draw(st.sampled_from(sorted(_SAMPLES)))
    values = draw(st.lists(st.sampled_from(_SAMPLES[fact]), min_size=1, max_size=2))
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

    return st.recursive(_tests(), deeper, max_leaves=5)


_RECORDED = {"outcome": "outcome", "reason": "reason", "certain": "certain", "policy": "policy", "rule": "rule"}
_RECORDED |= {"recorded": "recorded_outcome", "shadow": "shadow_together"}


@dataclass(repr=False)
class _Records:
    """Records whole: id, outcome, and the facts with what each record says of itself."""

    rulebook: Rulebook
    records: list[tuple[str, str, Facts]]


@pytest.fixture(scope="module")
def judged(kelpline: Live) -> _Records:
    """Every record of two days."""
    rulebook = for_log(kelpline.data.rulebooks.need_current().rulebook)
    found = []
    for record in kelpline.data.signins.every(Query(since=kelpline.data.clock().replace(day=21))):
        facts = facts_from_json(record.facts, rulebook.catalogue)
        mine = {name: record.columns[column] for name, column in _RECORDED.items()}
        facts.values |= {"at": record.at, **{name: value for name, value in mine.items() if value is not None}}
        found.append((record.id, record.columns["outcome"], facts))
    assert len(found) > 800
    return _Records(rulebook, found)


@pytest.mark.parametrize("where", _WHOLE)
def test_what_the_random_filters_are_made_of_is_read(judged: _Records, where: str) -> None:
    assert read_filter(where, judged.rulebook) is not None


@given(where=_trees())
@settings(max_examples=40, suppress_health_check=list(HealthCheck))
def test_the_log_and_the_interpreter_find_the_same(kelpline: Live, judged: _Records, where: str) -> None:
    data, rulebook, records = kelpline.data, judged.rulebook, judged.records
    condition = read_filter(where, rulebook)
    since = data.clock().replace(day=21)
    query = Query(conditions=(condition,), judge=LogJudge(rulebook), since=since, limit=4000)
    wanted = [(id, outcome) for id, outcome, facts in records if Judge(rulebook, facts).judge(condition).truth is TRUE]
    assert [r.id for r in data.signins.page(query)] == [id for id, _ in wanted]
    counts = Counter(outcome for _, outcome in wanted)
    assert sum(counts.values()) == sum(count for _, _, count in data.signins.per_day(query))
    for outcome, count in counts.items():
        assert sum(n for _, o, n in data.signins.per_day(query) if o == outcome) == count
