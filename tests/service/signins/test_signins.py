"""The log: taking it in, listing it, tracing it."""

from __future__ import annotations

import json
from collections.abc import Iterable
from datetime import timedelta
from typing import Any

import pytest
from tests.command import run
from tests.conftest import NOW, Live, until
from tests.service.http.test_api import RULEBOOK

from caddrel.client import Refused
from caddrel.core.logs.filters import MOST_NAMES
from caddrel.demo.situations import SITUATIONS, Situation
from caddrel.store.queries import Query
from caddrel.store.signins import SigninRecord
from caddrel.wire.decisions import File

BLOCKING = RULEBOOK.replace("{then: require mfa}", "{id: shut, then: block, tell: 'Closed. {reference}'}")


def _line(id: str, at: str = "2026-11-20T08:00:00Z", **facts: Any) -> bytes:
    document = {"id": id, "facts": {"person.id": "odd", "app.id": "post", "time.at": at, **facts}}
    return json.dumps(document).encode() + b"\n"


@pytest.fixture
def log(empty: Live) -> Live:
    """A service whose second revision, a day old, shuts the mail that the first asked MFA for."""
    empty.clock.now = NOW - timedelta(days=30)
    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
        empty.clock.now = NOW - timedelta(days=1)
        client.rulebook.publish([File("r.yaml", BLOCKING)], "shut it")
    empty.clock.now = NOW
    return empty


def test_broken_lines_are_listed_and_good_ones_kept(log: Live) -> None:
    lines = [
        b"\xef\xbb\xbf" + _line("s-1"),
        b"\n",
        b"not json\n",
        b'{"id": "s-3"}\n',
        b'{"id": "s-4", "facts": {"time.at": "2026-11-20T08:00:00"}}\n',
        b'{"id": "s-5", "facts": {"person.id": "odd"}}\n',
        b'{"id": "s-6", "facts": {"time.at": "2026-11-20T08:00:00Z", "persn.id": 1, "device.managed": "yes"}}\n',
        b'{"id": 7, "facts": {"time.at": "2026-11-20T08:00:00Z"}, "recorded": {"verdict": "x"}, "at": 1}\n',
        b'{"id": "s-8", "facts": {"client.name": "' + b"x" * 6_000 + b'"}}\n',
        b'{"id": "s-9", "facts": {"person.id": "\xff"}}\n',
        _line("s-10", at="0001-01-01T00:00:00Z"),
        _line("s-10b", at="2026-11-24T09:00:01Z"),
        _line("s-11").rstrip(b"\n"),
    ]
    with log.client() as client:
        result = client.signins.import_(lines)
        assert (result.added, result.broken, result.already_there, result.conflicting) == (2, 10, 0, 0)
        said = {(line.line, line.code) for line in result.listed}
        assert said == {
            (3, "not-json"), (4, "wrong-type"), (5, "wrong-value"), (6, "missing-key"), (7, "unknown-fact"),
            (7, "wrong-value"), (8, "unknown-key"), (8, "bad-id"), (8, "bad-recorded"), (9, "line-too-long"),
            (10, "not-json"), (11, "wrong-value"), (12, "in-the-future"),
        }  # fmt: skip
        assert {item.id for item in client.signins.list().items} == {"s-1", "s-11"}


def test_the_same_again_adds_nothing_and_other_content_is_kept_apart(log: Live) -> None:
    lines = [_line(f"s-{i}") for i in range(1200)]
    with log.client() as client:
        assert client.signins.import_(lines).added == 1200
        again = client.signins.import_(lines)
        assert (again.added, again.already_there) == (0, 1200)
        # The same content in another spelling is the same sign-in.
        spelled = b'{"facts": {"time.at": "2026-11-20T08:00:00Z", "app.id": "post", "person.id": "odd"}, "id": "s-5"}\n'
        assert client.signins.import_([spelled]).already_there == 1
        other = client.signins.import_([_line("s-5", **{"client.kind": "browser"}), _line("s-x"), _line("s-x")])
        assert (other.added, other.already_there, other.conflicting) == (1, 1, 1)
        assert (other.listed[0].line, other.listed[0].code) == (1, "conflicting")
        assert client.signins.get("s-5").summary.client is None


def test_each_sign_in_is_decided_under_the_revision_in_force_at_its_time(log: Live) -> None:
    moments = {
        "before-all": "2020-01-01T00:00:00Z",
        "then": "2026-11-20T08:00:00Z",
        "at-the-moment": "2026-11-22T09:00:00Z",
        "since": "2026-11-23T08:00:00Z",
    }
    with log.client() as client:
        methods = {"auth.methods": ["pwd", "otp"]}
        client.signins.import_(_line(id, at, **methods) for id, at in moments.items())
        found = {item.id: (item.revision, item.outcome) for item in client.signins.list().items}
        assert found == {
            "before-all": (1, "allowed"),
            "then": (1, "allowed"),
            "at-the-moment": (2, "blocked"),
            "since": (2, "blocked"),
        }
        blocked = client.signins.trace("since")
        assert blocked.decision.tell[0].text == f"Closed. {blocked.summary.reference}"
        assert blocked.now is None
        then = client.signins.trace("then")
        assert then.same
        assert then.now is not None
        assert (then.now.revision, then.now.decision.outcome) == (2, "blocked")


def _all(client: Any, **filters: str) -> Iterable[Any]:
    after = None
    while True:
        page = client.signins.list(after=after, limit=333, **filters)
        yield from page.items
        after = page.next
        if after is None:
            return


def test_pages_give_every_sign_in_once_in_order(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        found = list(_all(client, outcome="blocked,challenged"))
        assert [item.id for item in found] == sorted((i.id for i in found), reverse=True)
        assert len({item.id for item in found}) == len(found)
        counts = client.signins.list(outcome="blocked,challenged").counts
        assert sum(counts.values()) == len(found)


@pytest.fixture(scope="module")
def everything(kelpline: Live) -> list[Any]:
    with kelpline.client("viewer") as client:
        return list(_all(client))


@pytest.mark.parametrize(
    "filters",
    [
        {"person": "ines.faro", "outcome": "blocked"},
        {"app": "farebox", "rule": "after-hours"},
        {"country": "PT"},
        {"credentials": "wrong", "until": "2026-11-10"},
        {"certain": "no"},
        {"since": "2026-11-22T12:00:00Z", "outcome": "challenged"},
        {"shadow_together": "blocked", "outcome": "allowed", "since": "7d"},
    ],
    ids=str,
)
def test_filters_select_exactly_what_they_say(kelpline: Live, everything: list[Any], filters: dict[str, str]) -> None:
    since = {"7d": "2026-11-16T09:00:00Z"}.get(filters.get("since", ""), filters.get("since", ""))

    def wanted(item: Any) -> bool:
        plain = {k: v for k, v in filters.items() if k not in {"since", "until", "certain"}}
        return (
            all(getattr(item, name) == value for name, value in plain.items())
            and item.at >= since
            and item.at < filters.get("until", "9999")
            and ("certain" not in filters or item.certain == (filters["certain"] == "yes"))
        )

    with kelpline.client("viewer") as client:
        assert len(everything) > 20_000
        assert [i.id for i in _all(client, **filters)] == [i.id for i in everything if wanted(i)]


EXPECTED = {
    "mate-tablet": ("blocked", "effect", "manifest-on-company-devices", "below-standard"),
    "captain-hotel": ("allowed", None, "abroad", "abroad"),
    "contractor-laptop": ("blocked", "unmeetable", "contractors-on-their-own", "own-device"),
    "stolen-password": ("blocked", "effect", "hidden-origins", "hidden"),
    "after-hours": ("blocked", "effect", "farebox-at-the-counter", "after-hours"),
    "impossible-trip": ("challenged", None, "unusual-sign-ins", "impossible-trip"),
    "guest-terms": ("challenged", None, "guests-accept-terms", "terms"),
    "new-hand": ("allowed", None, "enrolment", "starter"),
    "old-mail": ("blocked", "effect", "old-mail-clients", "legacy"),
    "device-code": ("blocked", "effect", "device-codes", "elsewhere"),
    "shadow-terminal": ("allowed", None, None, None),
}


@pytest.mark.parametrize("situation", SITUATIONS, ids=lambda s: s.name)
def test_every_situation_is_found_and_traced_to_its_cause(kelpline: Live, situation: Situation) -> None:
    words = situation.find.split()
    filters: dict[str, Any] = {
        name[2:].replace("-", "_"): value for name, value in zip(words[::2], words[1::2], strict=True)
    }
    outcome, reason, policy, rule = EXPECTED[situation.name]
    with kelpline.client("viewer") as client:
        found = client.signins.list(**filters).items
        assert found
        trace = client.signins.trace(found[0].id)
        assert trace.same
        assert (trace.decision.outcome, trace.decision.reason) == (outcome, reason)
        if policy is not None:
            assert policy in {d.policy for d in trace.decision.deciding}
            assert rule in {d.rule for d in trace.decision.deciding}
        by_reference = client.signins.trace(trace.summary.reference.lower().replace("-", ""))
        assert by_reference.summary.id == trace.summary.id


def test_the_demo_has_what_it_promises(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        tablet = next(i for i in _all(client, person="ines.faro", app="manifest", outcome="blocked"))
        trace = client.signins.trace(tablet.id)
        assert [(f.check, f.truth) for f in trace.fixes] == [("patched", "false")]
        shadowed = list(_all(client, shadow_together="blocked", outcome="allowed"))
        assert {i.device.rpartition("-")[0] for i in shadowed} == {"desk-sundby"}
        assert {i.revision for i in _all(client, person="ines.faro")} == {1, 2}
        starter = list(_all(client, person="salka.myhre", operation="enrol-device"))
        assert [i.outcome for i in starter] == ["allowed", "blocked"]
        assert client.people.list(limit=1).total >= 120
        assert client.devices.list(limit=1).total >= 140


def test_inventory_is_taken_in_whole_or_not_at_all(empty: Live) -> None:
    good = b'{"id": "odd", "kind": "employee", "groups": ["crew"], "unit": null}\n'
    bad = b'{"id": "yrsa", "kind": "pirate", "grops": []}\n{"id": ""}\nx\n{"id": "z", "listed_at": "now"}\n'
    with empty.client() as client:
        client.groups.import_([b'{"id": "crew", "member_of": ["all"]}\n{"id": "all"}\n'])
        with pytest.raises(Refused) as refused:
            client.people.import_([good + bad])
        assert refused.value.problem.code == "bad-inventory"
        said = [(e.path, e.code) for e in refused.value.problem.errors]
        assert ("line 2.grops", "unknown-key") in said
        assert ("line 3", "bad-id") in said
        assert ("line 4", "not-json") in said
        assert client.people.list().total == 0
        assert client.people.import_([good]).added == 1
        assert client.people.import_([good]).changed == 0
        assert client.people.get("odd").groups == ["all", "crew"]
        with pytest.raises(Refused, match="wrong"):
            client.lists.import_([b'{"id": "bad", "networks": ["192.0.2.1/24"]}'])


def test_what_was_seen_is_not_sent_again(empty: Live) -> None:
    with empty.http() as http, empty.client() as client:
        client.rulebook.publish([File("r.yaml", "caddrel: 1")], "the first")
        asked = "/api/v1/signins?counts=no"

        def seen_twice() -> dict[str, str] | None:
            # Whatever is written is taken for something new in the log, also what follows in the background.
            seen = {"If-None-Match": http.get(asked).headers["ETag"]}
            again = http.get(asked, headers=seen)
            return seen if (again.status_code, again.content) == (304, b"") else None

        seen = until(seen_twice)
        # Another question is another answer, and so is the same one once something was added, or a minute later.
        assert http.get("/api/v1/signins", headers=seen).status_code == 200
        empty.clock.forward(seconds=61)
        assert http.get("/api/v1/signins?counts=no", headers=seen).status_code == 200
        seen = {"If-None-Match": http.get("/api/v1/signins?counts=no").headers["ETag"]}
        line = {"id": "s-1", "facts": {"person.id": "ines", "time.at": "2026-11-02T07:10:00Z"}}
        client.signins.import_([json.dumps(line).encode()])
        assert len(http.get("/api/v1/signins?counts=no", headers=seen).json()["items"]) == 1


@pytest.mark.parametrize(
    ("filters", "hint"),
    [
        ({"outcome": "denied"}, "`blocked`"),
        ({"outcome": "blocked,alowed"}, "`allowed`"),
        ({"shadow_together": "granted"}, "`allowed`"),
        ({"reason": "unmetable"}, "`unmeetable`"),
        ({"policy": "nope"}, "no revision has one"),
        ({"policy": "abrod"}, "`abroad`"),
        ({"rule": "nope"}, "no revision has one"),
        ({"country": "UK"}, "`GB`"),
        ({"country": "NOR"}, "`NO`"),
        ({"app": "Manifest"}, "`manifest`"),
        ({"person": "ines.farro"}, "`ines.faro`"),
        ({"device": "nothing-like-it-at-all"}, "neither the inventory nor the log"),
        ({"client": "imap"}, "`legacy`"),
        ({"credentials": "right,wrng"}, "`wrong`"),
    ],
)
def test_a_filter_that_could_only_find_nothing_says_which_word_is_unknown(
    kelpline: Live, filters: dict[str, Any], hint: str
) -> None:
    with kelpline.client("viewer") as client:
        for ask in (lambda: client.signins.list(**filters), lambda: client.signins.causes(**filters)):
            with pytest.raises(Refused) as refused:
                ask()
            assert refused.value.problem.code == "unknown-word"
            assert hint in refused.value.problem.hint
    words = [word for name, text in filters.items() for word in (f"--{name.replace('_', '-')}", text)]
    done = run("signins", "list", *words, env=kelpline.environment())
    assert done.returncode == 3
    assert hint in done.stderr


def test_words_are_read_in_any_case(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        found = client.signins.list(outcome="blocked", country="IS", limit=5).items
        assert found
        assert client.signins.list(outcome="Blocked", country="is", limit=5).items == found


def test_what_only_an_older_revision_has_is_fine(empty: Live) -> None:
    book = "caddrel: 1\npolicies:\n  gone-by-now: {rules: [{id: gone-too, then: allow}, {then: allow}]}\n"
    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", book)], "with it")
        client.rulebook.publish([File("r.yaml", "caddrel: 1\n")], "without it")
        known: list[dict[str, Any]] = [{"policy": "gone-by-now"}, {"rule": "gone-too"}, {"rule": "r2"}]
        for filters in known:
            assert client.signins.list(**filters).items == []
        unknown: list[dict[str, Any]] = [{"policy": "gone-by"}, {"rule": "gone"}]
        for filters in unknown:
            with pytest.raises(Refused) as refused:
                client.signins.list(**filters)
            assert refused.value.problem.code == "unknown-word"


def test_a_condition_may_name_what_only_the_log_or_an_older_revision_knows(empty: Live) -> None:
    book = "caddrel: 1\npolicies:\n  gone-by-now: {rules: [{id: gone-too, then: allow}]}\n"
    line = {"id": "s-1", "facts": {"person.id": "left", "person.groups": ["old"], "time.at": "2026-11-02T07:10:00Z"}}
    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", book)], "with it")
        client.rulebook.publish([File("r.yaml", "caddrel: 1\npolicies: {now: {rules: [{then: allow}]}}\n")], "without")
        client.groups.import_([b'{"id": "crew"}'])
        client.people.import_([b'{"id": "ines.faro", "groups": ["crew"]}'])
        client.signins.import_([json.dumps(line).encode()])
        for where, count in (("person.groups has old", 1), ("person.id is left", 1), ("rule is gone-too", 0)):
            assert len(client.signins.list(where=where).items) == count
        for where, hint in (("person.groups has odl", "neither"), ("not person.groups has crews", "`crew`")):
            with pytest.raises(Refused) as refused:
                client.signins.list(where=where)
            [problem] = refused.value.problem.errors
            assert (problem.code, hint in problem.hint) == ("unknown-word", True)
        # Each name is looked for elsewhere once, and so many of them; whoever names very many is not told of all.
        looked: list[Query] = []
        page = empty.data.signins.page

        def counted(query: Query) -> list[SigninRecord]:
            looked.append(query)
            return page(query)

        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(empty.data.signins, "page", counted)
            many = ", ".join(["left", *("old", "odl"), *(f"g{n}" for n in range(900))] * 2)
            with pytest.raises(Refused) as refused:
                client.signins.list(where=f"person.groups has any of [{many}]")
        assert len(looked) == len({repr(each) for each in looked}) <= MOST_NAMES + 1
        assert 0 < len(refused.value.problem.errors) <= MOST_NAMES
        # Of the people there are now, nobody can be in it.
        with pytest.raises(Refused) as refused:
            client.people.list(where="person.groups has old")
        assert refused.value.problem.errors[0].code == "unknown-word"


@pytest.mark.parametrize(("said", "hint"), [("UK", "`GB`"), ("NOR", "`NO`"), ("zzz", "")])
def test_a_rehearsal_says_which_country_is_meant(kelpline: Live, said: str, hint: str) -> None:
    with kelpline.client("viewer") as client, pytest.raises(Refused) as refused:
        client.rehearse({"person": "ines.faro", "network.country": said})
    [problem] = refused.value.problem.errors
    assert hint in problem.hint
