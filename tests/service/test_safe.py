"""Nothing unsafe by default: lock-outs, words, reviewed publishing, seals, and what must not be lost."""

from __future__ import annotations

import gzip
import json
import random
import sqlite3
import time
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from datetime import datetime, timedelta
from itertools import count
from pathlib import Path
from typing import Any

import httpx
import pytest
from tests.command import run
from tests.conftest import PATIENCE, Clock, Live, at_once, serving

from caddrel import wiring
from caddrel.client import Caddrel, Refused
from caddrel.core.decide.decision import MEANING
from caddrel.service.auth import accounts
from caddrel.service.auth.tokens import make_token
from caddrel.store.audit import AuditStore
from caddrel.store.queries import Query
from caddrel.wire import authzen
from caddrel.wire.decisions import File
from caddrel.wire.drafts import DraftInfo

RULEBOOK = """
caddrel: 1
settings: {keyholders: [group:keys], assume: {risk.attempt: none, network.anonymiser: none}}
apps: {gangway: {stance: closed}}
password-standards:
  everybody: {must: {length: 8}, lock: {after: 3, within: 15m, for: 30m}}
policies:
  legacy: {mode: enforced, why: w, owner: o, rules: [{when: client.kind is legacy, then: block, tell: No.}]}
  keys: {mode: enforced, why: w, owner: o, people: [group:keys], apps: [gangway], rules: [{then: require mfa}]}
rehearsals:
  ada-opens-post: {attempt: {person: ada, app: post, client.kind: browser}, expect: allowed}
"""
PEOPLE = [
    {"id": "ada", "kind": "employee", "factors": ["password", "passkey"]},
    {"id": "key", "groups": ["keys"], "factors": ["password", "security-key"]},
]
BROWSER = {"client.kind": "browser"}


@pytest.fixture
def live(tmp_path: Path) -> Iterator[Live]:
    for each in serving(tmp_path / "data"):
        with each.client() as operator:
            operator.groups.import_([b'{"id": "keys"}'])
            operator.people.import_([json.dumps(person).encode() + b"\n" for person in PEOPLE])
            operator.apps.import_([b'{"id": "post"}\n{"id": "gangway"}\n'])
            operator.rulebook.publish([File("r.yaml", RULEBOOK)], "to begin with")
        yield each


def _door(live: Live, sees: bool = True) -> Caddrel:
    return Caddrel(live.url, make_token(live.data, "front", "door", 30, "tests", sees=sees)[1])


def _ask(
    door: Caddrel, person: str = "ada", request_id: str = "", said: Mapping[str, Any] | None = None
) -> authzen.AccessDecision:
    asked = authzen.Evaluation(
        authzen.Entity("person", person), authzen.Action("sign-in"), authzen.Entity("app", "post"),
        {**BROWSER, **(said or {})},
    )  # fmt: skip
    return door.access.evaluate(asked, request_id)


def _wrong(door: Caddrel, person: str = "ada", said: Mapping[str, Any] | None = None) -> str:
    wrong = {"auth.credentials": "wrong", "auth.methods": ["pwd"], **(said or {})}
    return str(_ask(door, person, said=wrong).context["admin"]["reason"])


def test_wrong_credentials_are_let_in_nowhere_and_lock_out(live: Live) -> None:
    with _door(live) as door, live.client() as operator:
        refused = _ask(door, said={"auth.credentials": "wrong"})
        assert (refused.decision, "session" in refused.context) == (False, False)
        assert refused.context["admin"]["reason"] == "credentials"
        assert [_wrong(door) for _ in range(2)] == ["credentials", "credentials"]
        # The third was the last that was looked at; now a right one is not either.
        assert (
            _ask(door, said={"auth.credentials": "right", "auth.methods": ["pwd"]}).context["admin"]["reason"]
            == "locked-out"
        )
        assert _ask(door, said={"auth.credentials": "right", "auth.methods": ["swk", "fpt"]}).decision
        assert operator.passwords.lock_state("ada").locked
        operator.passwords.lift_lock("ada")
        assert _ask(door, said={"auth.credentials": "right", "auth.methods": ["pwd"]}).decision
        assert "lock-out of ada lifted" in operator.audit.list("lifted").items[0].note
        assert {c.reason for c in operator.signins.causes().causes} == {"credentials", "locked-out"}
        listed = operator.signins.list(reason="locked-out")
        assert [item.outcome for item in listed.items] == ["blocked"]
        trace = operator.signins.trace(listed.items[0].id)
        assert "too many wrong passwords" in "".join(piece.text for piece in trace.sentence)
        live.clock.forward(minutes=1)
        for _ in range(3):
            _wrong(door)
        live.clock.forward(minutes=31)
        assert _ask(door, said={"auth.credentials": "right", "auth.methods": ["pwd"]}).decision, "time unlocks"


def test_of_many_guesses_at_once_no_more_are_looked_at_than_may_be(live: Live) -> None:
    with _door(live) as door:
        with ThreadPoolExecutor(16) as pool:
            reasons = list(pool.map(lambda _: _wrong(door), range(16)))
        assert sorted(reasons) == ["credentials"] * 3 + ["locked-out"] * 13
        with ThreadPoolExecutor(16) as pool:
            tries = list(pool.map(lambda _: door.passwords.reserve_try("key"), range(16)))
        good = [lock for lock in tries if not lock.locked]
        assert len(good) == 3
        # Whoever tells that a try was good gives it back.
        assert _ask(
            door, "key", said={"auth.credentials": "right", "auth.methods": ["pwd"], "try": good[0].reserved}
        ).context
        assert not door.passwords.reserve_try("key").locked
        assert door.passwords.reserve_try("key").locked
        live.clock.forward(minutes=3)
        assert not door.passwords.reserve_try("key").locked, (
            "a try that nobody tells the end of does not count for ever"
        )
        with pytest.raises(Refused) as refused:
            _ask(door, said={"try": 7})
        assert refused.value.problem.errors[0].code == "bad-try"
        assert door.passwords.reserve_try("nobody").reserved, "a guesser does not learn who there is"


def test_a_try_has_its_moment_when_it_is_its_turn(live: Live) -> None:
    with _door(live):
        pass
    lockouts, ticking, drawn = live.runtime.log.lockouts, count(), random.Random(3)
    standards = list(live.data.rulebooks.need_current().rulebook.password_standards.values())

    def clock() -> datetime:
        # Whoever has asked for the moment first may well be last to go on with it.
        at = live.clock.now + timedelta(microseconds=next(ticking))
        time.sleep(drawn.random() / 50)
        return at

    found = at_once(*[lambda: lockouts.reserve("key", standards, clock)] * 16)
    assert sum(lock is None for lock, _ in found) == 3


def test_wrong_passwords_of_a_log_count_too_and_survive_a_restart(live: Live) -> None:
    lines = [
        {"id": f"s-{i}", "facts": {"person.id": "ada", "time.at": (live.clock.now - timedelta(minutes=i)).isoformat(),
                                   "auth.credentials": "WRONG"}}
        for i in range(3)
    ]  # fmt: skip
    with _door(live) as door, live.client() as operator:
        assert _ask(door, said={"auth.methods": ["pwd"]}).decision
        operator.signins.import_([json.dumps(line).encode() + b"\n" for line in lines])
        assert not _ask(door, said={"auth.methods": ["pwd"]}).decision
    again = wiring.open_data(live.folder, live.clock)
    assert again.runtime.log.lockouts.state("ada", list(_standards(again)), live.clock()) is not None
    again.close()


def _standards(opened: wiring.Opened) -> Any:
    return opened.runtime.data.rulebooks.need_current().rulebook.password_standards.values()


def test_words_on_no_list_are_told_everywhere_and_taken_for_harmless_nowhere(live: Live) -> None:
    said = {"person.id": "ada", "app.id": "post", "time.at": live.clock.now.isoformat()}
    strange = {"client.kind": "imap", "auth.methods": {"pwd": 5, "magic": 9}, "network.country": "Norway"}
    lines = [
        {"id": "a", "facts": {**said, **strange}},
        {"id": "b", "facts": {**said, "client.kind": "Legacy", "flow": "Device-Code"}},
        {"id": "c", "facts": {**said, "client.kind": "", "person.kind": "Contractor"}},
    ]
    with live.client() as client:
        result = client.signins.import_([json.dumps(line).encode() + b"\n" for line in lines])
        assert (result.added, result.broken) == (3, 0)
        told = {(word.fact, word.word): word.count for word in result.not_understood}
        assert told == {("client.kind", "imap"): 1, ("auth.methods", "magic"): 1, ("network.country", "Norway"): 1}
        traces = {id: client.signins.trace(id) for id in "abc"}
        assert [traces[id].decision.outcome for id in "abc"] == ["blocked"] * 3
        assert set(traces["a"].trace.not_understood) == set(strange)
        assert traces["a"].trace.facts["auth.methods"].value == {"pwd": 5}
        assert traces["b"].trace.facts["client.kind"].value == "legacy"
        assert "client.kind" not in traces["c"].trace.facts
        exported = {
            line["id"]: line["facts"] for line in map(json.loads, b"".join(client.signins.export()).splitlines())
        }
        assert exported["a"]["client.kind"] == "imap"
        assert exported["a"]["auth.methods"] == {"pwd": 5, "magic": None}
        assert client.signins.list(where="client.kind is unknown").counts["blocked"] == 2
        symptoms = {symptom.about: symptom for symptom in client.examine().symptoms}
        assert "“imap” 1 times" in symptoms["words"].says
        with pytest.raises(Refused) as refused:
            client.people.import_([b'{"id": "bo", "kind": "Kontraktor"}'])
        assert refused.value.problem.errors[0].code == "wrong-value"
        with pytest.raises(Refused):
            client.rehearse({"person": "ada", "app": "post", "client.kind": "imap"})
    with _door(live) as door:
        assert not _ask(door, said={"client.kind": "imap"}).decision
        assert not _ask(door, said={"client.kind": "LEGACY"}).decision
        assert not _ask(door, said={"auth.methods": ["Starter-Code"]}).context.get("session", {}).get("starter")
    with live.http() as http:
        text = http.get("/metrics").text
    assert 'caddrel_words_not_understood_total{fact="client.kind",word="imap"} 1.0' in text


def test_what_an_earlier_release_stored_is_read_again(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    for each in serving(folder):
        with each.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "first")
            facts = {"person.id": "ada", "app.id": "post", "time.at": each.clock.now.isoformat(), **BROWSER}
            client.signins.import_([json.dumps({"id": "old", "facts": facts}).encode()])
        each.data.inventory.put(
            [("people", {"id": "bo", "kind": "Guest", "factors": ["Passkey", "chip"]})], each.clock()
        )
    # As an earlier release would have left it.
    with closing(sqlite3.connect(folder / "signins.sqlite")) as log, log:
        log.execute("UPDATE bundles SET document = replace(document, '\"browser\"', '\"LEGACY\"')")
        log.execute("UPDATE decisions SET document = replace(document, ',\"meaning\":2', '')")
        log.execute("UPDATE decisions SET document = replace(document, '\"meaning\":2,', '')")
        log.execute("UPDATE bundles SET mac = NULL")
        log.execute("UPDATE decisions SET mac = NULL")
    for each in serving(folder):
        with each.client() as client:
            trace = client.signins.trace("old")
            assert (trace.meaning, trace.decision.outcome) == (1, "allowed")
            assert trace.present is not None
            assert trace.present.outcome == "blocked"
            record = client.signins.record("old")
            assert record.meaning == 1
            path = tmp_path / "old.json"
            path.write_text(run("trace", "old", "--json", env=each.environment()).stdout)
            done = run("decide", "--recheck", str(path), env=each.environment())
            assert done.returncode == 1
            assert "under meaning 1: allowed" in done.stdout
            assert f"Under meaning {MEANING}" in done.stdout
            # A late record makes nothing of it be decided anew.
            facts = {"person.id": "ada", "time.at": (each.clock.now - timedelta(days=1)).isoformat()}
            client.signins.import_([json.dumps({"id": "late", "facts": facts}).encode()])
            assert client.signins.trace("old").decision.outcome == "allowed"
            symptoms = {symptom.about: symptom.says for symptom in client.examine().symptoms}
            assert "bo: person.factors" in symptoms["inventory words"]
        person = each.data.inventories.current().people["bo"]
        assert person.facts.get("person.kind") == "guest"
        assert "person.factors" not in person.facts


def test_a_replay_of_a_request_is_the_same_to_the_letter(live: Live) -> None:
    with _door(live) as door:
        first = _ask(door, request_id="one", said={"auth.methods": ["pwd"]})
        session = first.context["session"]
        live.clock.forward(minutes=5)
        onward = _ask(door, request_id="two", said={"session": {"id": session["id"]}})
        live.clock.forward(minutes=5)
        _ask(door, request_id="three", said={"session": {"id": session["id"]}})
        live.data.door_sessions.end(session["id"], live.clock(), "administrator")
        assert _ask(door, request_id="one", said={"auth.methods": ["pwd"]}) == first
        assert _ask(door, request_id="two", said={"session": {"id": session["id"]}}) == onward
        assert session["id"].removeprefix("in-") not in {first.context["id"].removeprefix("d-")}


def test_what_is_published_is_what_was_reviewed(live: Live) -> None:
    with live.client("author") as author, live.client("publisher") as publisher, live.http() as http:
        seen = author.drafts.begin("next").info
        tag = {"If-Match": f'"{seen.version}"'}
        for action, body in (("publish", {"why": "w"}), ("plan", {"why": "w", "at": "2026-11-25T06:00:00Z"}),
                             ("shadow", {"on": True})):  # fmt: skip
            path = f"/api/v1/drafts/next/{action}"
            assert http.post(path, json={**body, "digest": seen.digest}).json()["code"] == "no-version"
            assert http.post(path, json=body, headers=tag).json()["code"] == "no-digest"
            assert http.post(path, json={**body, "digest": "0"}, headers=tag).json()["code"] == "draft-changed"
        author.drafts.put_object("next", 1, "policies.more", "more:\n  rules: [{then: block}]\n")
        with pytest.raises(Refused) as refused:
            publisher.drafts.publish(seen, "what I saw")
        assert refused.value.problem.code == "draft-changed"
        now = publisher.drafts.get("next").info

        def publish(_: int) -> str:
            try:
                with live.client("publisher") as one:
                    return str(one.drafts.publish(now, "at once").revision.number)
            except Refused as lost:
                return lost.problem.code

        with ThreadPoolExecutor(6) as pool:
            answers = list(pool.map(publish, range(6)))
        assert answers.count("2") == 1
        assert len(publisher.rulebook.history()) == 2

        def bare(_: int) -> str:
            try:
                with live.client("publisher") as one:
                    text = RULEBOOK + f"# {_}\n"
                    return str(one.rulebook.publish([File("r.yaml", text)], "without a base").revision.number)
            except Refused as lost:
                return lost.problem.code

        with ThreadPoolExecutor(6) as pool:
            answers = list(pool.map(bare, range(6)))
        numbers = [answer for answer in answers if answer.isdigit()]
        assert len(numbers) == len(set(numbers)) >= 1
        assert set(answers) - set(numbers) <= {"published-in-between"}


def _changed(client: Caddrel, name: str) -> DraftInfo:
    """Return a draft that says something else than the current revision."""
    begun = client.drafts.begin(name).info
    return client.drafts.save(name, begun.version, [File("r.yaml", RULEBOOK + "# changed\n")]).info


def test_a_plan_is_carried_out_only_while_its_planner_may(live: Live) -> None:
    accounts.make_account(live.data, "maren", "publisher", "")
    with live.client() as operator:
        info = _changed(operator, "later")
        made = operator.tokens.create("goes", "publisher", 3)
        with Caddrel(live.url, made.token) as goes:
            goes.drafts.plan(info, "2026-11-24T06:00:00Z", "in time")
        assert next(t.plans for t in operator.tokens.all() if t.name == "goes") == ["later"]
        operator.tokens.revoke(made.info.id)
        live.clock.now += timedelta(days=2)
        live.runtime.planner.publish_due()
        assert operator.drafts.get("later").info.failed.startswith("planner-may-not")
        assert len(operator.rulebook.history()) == 1


def test_a_planner_survives_a_disk_that_is_full(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    from caddrel.service.rulebooks import scheduled_publish
    from caddrel.store.engine import NoRoom

    monkeypatch.setattr(scheduled_publish, "LOOK_EVERY", 0.01)
    with live.client() as operator:
        operator.drafts.plan(_changed(operator, "later"), "2026-11-24T06:00:00Z", "in time")
        write = live.data.audit.add
        failures = iter([True, True])

        def full(*args: Any, **kwargs: Any) -> Any:
            if next(failures, None):
                raise NoRoom("book.sqlite")
            return write(*args, **kwargs)

        monkeypatch.setattr(live.data.audit, "add", full)
        live.clock.now += timedelta(days=2)
        live.runtime.planner.wake()
        thread = live.runtime.planner._thread
        if thread is not None:
            thread.join(30)
        assert len(operator.rulebook.history()) == 2


def test_rehearsals_that_fail_and_keys_that_are_lost_refuse_publishing(live: Live) -> None:
    blocking = RULEBOOK.replace(
        "rehearsals:", "  none: {mode: enforced, why: w, owner: o, apps: [post], rules: [{then: block}]}\nrehearsals:"
    )
    with live.client() as client:
        with pytest.raises(Refused) as refused:
            client.rulebook.publish([File("r.yaml", blocking)], "nobody opens post")
        assert refused.value.problem.code == "rehearsals-fail"
        made = client.rulebook.publish(
            [File("r.yaml", blocking)], "nobody opens post", accept_failing_rehearsals="they are mended next"
        )
        assert "failing rehearsals: they are mended next" in made.revision.override
        client.rulebook.publish([File("r.yaml", RULEBOOK)], "back")
        with pytest.raises(Refused) as refused:
            client.rulebook.publish([File("r.yaml", RULEBOOK.replace("[group:keys], assume", "[], assume"))], "no keys")
        assert refused.value.problem.code == "lockout-risk"
        with pytest.raises(Refused) as refused:
            client.people.import_([b'{"id": "key", "groups": []}'])
        assert refused.value.problem.code == "lockout-risk"
        client.people.import_([b'{"id": "ada", "groups": ["keys"], "factors": ["passkey", "password"]}'])
        client.people.import_([b'{"id": "key", "groups": []}'])
        notes = [entry.note for entry in client.audit.list("group keys").items]
        assert any("key lost the group keys" in note for note in notes)
        assert any("ada got the group keys" in note for note in notes)


def test_rulebooks_that_cost_too_much_are_refused_and_the_cost_is_shown(live: Live) -> None:
    proofs = "".join(f"  p{i}: {{any_of: [[hwk], [swk]]}}\n" for i in range(20))
    pairs = "".join(
        f"  r{i}-{j}: {{mode: enforced, rules: [{{then: require proof p{i} or proof p{j}}}]}}\n"
        for i in range(20)
        for j in range(i)
    )
    text = f"caddrel: 1\nproofs:\n{proofs}policies:\n{pairs}"
    with live.client() as client:
        found = client.rulebook.check([File("r.yaml", text)])
        assert found.ok
        assert found.cost is not None
        assert found.cost.fits
        assert found.cost.milliseconds is not None
        assert len(found.diagnostics) <= 200
        assert found.more == 0 or len(found.diagnostics) == 200
        shade = client.drafts.begin("shade").info
        proofs = "".join(f"  p{i}: {{any_of: [[hwk]]}}\n" for i in range(2_000))
        ruled = [", ".join(f"{{then: require proof p{i + k}}}" for k in range(20)) for i in range(0, 2_000, 20)]
        policies = "".join(f"  q{i}: {{rules: [{rules}]}}\n" for i, rules in enumerate(ruled))
        many = f"caddrel: 1\nproofs:\n{proofs}policies:\n{policies}"
        shade = client.drafts.save("shade", shade.version, [File("r.yaml", many)]).info
        check = client.rulebook.check(draft="shade")
        assert not check.ok
        assert "too-costly" in {found.code for found in check.diagnostics}
        for refusing in (lambda: client.drafts.shadow(shade), lambda: client.drafts.publish(shade, "w")):
            with pytest.raises(Refused) as refused:
                refusing()
            assert refused.value.problem.errors[0].code == "too-costly"


def test_a_person_has_so_many_drafts_and_no_more(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    from caddrel.service.rulebooks import drafts as drafting

    monkeypatch.setattr(drafting, "MOST_OPEN", 2)
    with live.client("author") as author:
        for name in ("one", "two"):
            author.drafts.begin(name)
        with pytest.raises(Refused) as refused:
            author.drafts.begin("three")
        assert refused.value.problem.code == "too-many-drafts"
        monkeypatch.setattr(drafting, "MOST_TOGETHER", 1000)
        with pytest.raises(Refused) as refused:
            author.drafts.save("one", 1, [File("r.yaml", RULEBOOK + "#" * 2000)])
        assert refused.value.problem.code == "too-large"


def test_what_is_heavy_is_done_so_often_at_once(live: Live) -> None:
    for _ in range(2):
        live.runtime.heavy.take("export", "one")
    with live.http() as http:
        assert http.get("/api/v1/signins/export").status_code == 200
        id = next(t.id for t in live.data.accounts.all_tokens() if t.name == "tests")
        for _ in range(2):
            live.runtime.heavy.take("export", id)
        answer = http.get("/api/v1/signins/export")
        assert (answer.status_code, answer.json()["code"]) == (429, "too-many-at-once")
        for who in ("one", "one", id, id):
            live.runtime.heavy.give_back("export", who)
        with http.stream("GET", "/api/v1/signins/export") as stream:
            stream.read()
        assert not live.runtime.heavy._held


def test_broken_lines_without_end_stop_an_import(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    from caddrel.service.signins import importer

    monkeypatch.setattr(importer, "MOST_BROKEN", 50)
    with live.client() as client:
        with pytest.raises(Refused) as refused:
            client.signins.import_([b"0\n"] * 200)
        assert refused.value.problem.code == "too-many-broken"
        with pytest.raises(Refused) as refused:
            client.signins.import_([gzip.compress(b"\n" * (64 << 20))])
        assert refused.value.problem.code == "too-large"


def _trail(folder: Path) -> Iterator[sqlite3.Connection]:
    with closing(sqlite3.connect(folder / "book.sqlite")) as book, book:
        book.execute("DROP TRIGGER audit_no_update")
        book.execute("DROP TRIGGER audit_no_delete")
        yield book


@pytest.mark.parametrize(
    ("change", "broken"),
    [
        ("UPDATE audit SET note = 'nothing' WHERE seq = 2", True),
        ("DELETE FROM audit WHERE seq = 2", True),
        ("DELETE FROM audit WHERE seq > 2", True),
        ("DELETE FROM audit", True),
        ("SELECT 1", False),
    ],
)
def test_a_trail_that_was_changed_is_found(tmp_path: Path, change: str, broken: bool) -> None:
    folder = tmp_path / "data"
    for each in serving(folder):
        with each.client() as client:
            for i in range(4):
                client.accounts.put(f"a{i}", "viewer")
            kept = client.audit.checkpoint()
            head = kept.checkpoint.split(" ")[1]
    for book in _trail(folder):
        book.execute(change)
    for each in serving(folder):
        with each.client() as client:
            assert client.audit.verify().whole is not broken
            # Whoever has the database alone cannot write a chain that the key does not know.
            if change == "SELECT 1":
                assert client.audit.verify(expect=head).whole
                assert not client.audit.verify(expect=head.partition(":")[0] + ":" + "0" * 64).whole
                with pytest.raises(Refused):
                    client.audit.verify(expect="7")
                forged = AuditStore(each.data.audit._database, b"another key")
                assert forged.verify()[1] == 1
                done = run("audit", "verify", "--log", env=each.environment())
                assert done.returncode == 0
                assert "is whole" in done.stdout


@pytest.mark.parametrize(
    "change",
    [
        "UPDATE records SET own = replace(own, 'reported', 'computed') WHERE id = 's-1'",
        "UPDATE signins SET outcome = 'other' WHERE seq = 2",
        "UPDATE decisions SET document = replace(document, 'outcome', 'otucome')",
        "UPDATE bundles SET document = replace(document, 'ada', 'bob')",
        "DELETE FROM records WHERE id = 's-1'",
        "UPDATE signins SET at = at + 1",
        "UPDATE signins SET let_in = 1 - let_in WHERE seq = 1",
        "UPDATE signins SET auth_age = 7.5 WHERE seq = 3",
        "UPDATE decisions SET document = '{}', mac = NULL",
        "UPDATE records SET mac = NULL WHERE id = 's-2'",
        "UPDATE log_seal SET sealed = sealed - 1",
        "DELETE FROM log_seal",
        "DELETE FROM records",
    ],
)
def test_a_log_that_was_changed_is_found(tmp_path: Path, change: str) -> None:
    folder = tmp_path / "data"
    for each in serving(folder):
        with each.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "first")
            lines = [
                {
                    "id": f"s-{i}",
                    "facts": {"person.id": "ada", "client.kind": kind, "time.at": each.clock.now.isoformat()},
                }
                for i, kind in enumerate(["browser", "browser", "legacy", "browser"])
            ]
            client.signins.import_([json.dumps(line).encode() + b"\n" for line in lines])
            assert client.audit.verify(log=True).log.whole  # type: ignore[union-attr]
            client.jobs.forget("1d")
            assert client.audit.verify(log=True).log.whole  # type: ignore[union-attr]
    with closing(sqlite3.connect(folder / "signins.sqlite")) as log, log:
        log.execute(change)
    for each in serving(folder):
        with each.client() as client:
            found = client.audit.verify(log=True)
            assert found.log is not None
            assert not found.log.whole
            assert found.log.wrong


def test_files_are_private_and_a_folder_is_served_once(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    folder.mkdir(mode=0o755)
    (folder / "book.sqlite").touch(mode=0o644)
    for _ in serving(folder):
        modes = {path.name: path.stat().st_mode & 0o777 for path in folder.iterdir()}
        assert set(modes.values()) == {0o600}
        assert {"book.sqlite", "signins.sqlite-wal", "folder.key"} <= set(modes)
        assert folder.stat().st_mode & 0o777 == 0o700
        with wiring.holding(folder):
            done = run("serve", "--data", str(folder), "--bind", "127.0.0.1:0")
            assert done.returncode == 2
            assert "is served already, by process" in done.stderr
    for words in (("account", "enter"), ("rescue",)):
        (tmp_path / "empty").mkdir(exist_ok=True)
        done = run(*words, "--data", str(tmp_path / "empty"), here=True)
        assert done.returncode == 2
        assert "no data folder" in done.stderr
        (tmp_path / "bad").mkdir(exist_ok=True)
        (tmp_path / "bad" / "book.sqlite").write_text("this is none")
        done = run(*words, "--data", str(tmp_path / "bad"), here=True)
        assert done.returncode == 2
        assert "is no database" in done.stderr
        assert "Traceback" not in done.stderr
    done = run("rescue", "--data", str(folder), "--to", "99", "--why", "x")
    assert done.returncode == 2
    assert "revision 99" in done.stderr
    (folder / "folder.key").write_text("short")
    done = run("rescue", "--data", str(folder))
    assert "holds no key" in done.stderr


def test_a_clock_that_is_set_back_lengthens_nothing() -> None:
    wall, steady = Clock(), iter(range(0, 10_000, 10))
    clock = wiring.SteadyClock(wall, lambda: float(next(steady)))
    first = clock()
    wall.now -= timedelta(days=1)
    assert clock() == first + timedelta(seconds=10)
    wall.now += timedelta(days=3)
    assert clock() == wall.now


def test_ids_cannot_be_told_from_those_before(live: Live) -> None:
    from caddrel.service.auth.secrets import new_id

    made = [new_id(20) for _ in range(2_000)]
    assert len(set(made)) == 2_000
    assert {len(id) for id in made} == {20}
    with _door(live) as door:
        one = _ask(door, request_id="known").context["id"]
        assert live.data.keys.of("ids") != live.data.keys.of("log")
        assert [record.id for record in live.data.signins.every(Query())] == [one]


def test_the_service_says_when_it_is_ready_and_when_its_disk_is_full(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    from caddrel.service.views import access as views

    with live.http("") as http:
        assert http.get("/readyz").json()["status"] == "ready"
        monkeypatch.setattr(views, "has_room", lambda _: False)
        assert (http.get("/healthz").status_code, http.get("/readyz").status_code) == (503, 503)


def test_starter_codes_are_revoked(live: Live) -> None:
    with live.client() as operator:
        made = operator.starter_codes.issue("ada")
        assert [code.revoked for code in operator.starter_codes.revoke(made.info.id)] == ["2026-11-23T09:00:00Z"]
        with pytest.raises(Refused):
            operator.starter_codes.revoke(made.info.id)


def test_text_of_others_never_moves_the_cursor(live: Live) -> None:
    evil = "ada\\u001b[2Jx\\u202egnp"
    with live.client() as client:
        client.signins.import_(
            [f'{{"id": "evil", "facts": {{"person.id": "{evil}", "time.at": "2026-11-20T08:00:00Z"}}}}'.encode()]
        )
    for words in (("signins", "list"), ("trace", "evil")):
        shown = run(*words, env=live.environment()).stdout
        assert "\x1b" not in shown
        assert "\u202e" not in shown


@pytest.mark.parametrize(("trusted", "address"), [("", "127.0.0.1"), ("127.0.0.1", "192.0.2.9")])
def test_an_address_is_taken_from_the_trusted_proxy_alone(tmp_path: Path, trusted: str, address: str) -> None:
    wiring.log_nothing()
    opened = wiring.open_data(tmp_path)
    server = wiring.build_server(
        opened, "127.0.0.1", 0, public_url="https://caddrel.kelpline.example", trusted_proxy=trusted
    )
    token = make_token(opened.runtime.data, "nightly", "viewer", 1, "tests")[1]
    server.start()
    try:
        headers = {
            "Authorization": f"Bearer {token}", "Host": "caddrel.kelpline.example",
            "X-Forwarded-For": "192.0.2.9", "X-Forwarded-Proto": "https",
        }  # fmt: skip
        assert httpx.get(f"{server.url}/api/v1/people", headers=headers, timeout=PATIENCE).status_code == 200
        assert httpx.get(f"{server.url}/api/v1/tokens", headers=headers, timeout=PATIENCE).status_code == 403
        refused = opened.runtime.data.audit.page(limit=1)[0]
    finally:
        server.stop()
    assert refused.address == address
