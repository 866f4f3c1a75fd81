"""Proofs over the service: what the demo's drafts do that nobody saw, publishing refused, a process that ends."""

from __future__ import annotations

import json
import re
import shlex
import shutil
from functools import partial
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving, until

from caddrel.client import Refused
from caddrel.client.caller import Caller
from caddrel.demo.fill import ADDRESSES
from caddrel.service.proving.proof_jobs import MOST_EACH
from caddrel.wire.decisions import File
from caddrel.wire.jobs import Job
from caddrel.wire.proofs import GuaranteeRequest, ProofQuestion
from caddrel.wire.rulebooks import Side

PAGE = (Path(__file__).parents[3] / "docs" / "proving.md").read_text(encoding="utf-8")
SETTLED = {"auth.credentials", "auth.locked_out"}
GUESTS, SUNDBY = Side(draft="guests-at-the-berths"), Side(draft="sundby-is-rebuilt")


def test_what_the_drafts_of_the_demo_do_is_found(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        (answer,) = [each for each in client.proofs.guarantees(GUESTS) if each.answer != "holds"]
        assert (answer.answer, answer.guarantee) == ("fails", "guests-have-accepted")
        assert answer.counterexample is not None
        assert answer.remedy is not None
        story = "".join(piece.text for piece in answer.counterexample.story)
        assert "could open Berthplan" in story
        assert answer.remedy.mends
        idle = client.proofs.idle(GUESTS)
        assert ("never-fires", "berths-for-guests", "nobody-else") in {(i.kind, i.policy, i.rule) for i in idle.items}
        assert ("changes-nothing", "guests-prove-it") in {(i.kind, i.policy) for i in idle.items}
        meaning = client.proofs.meaning(Side(), SUNDBY)
        locked = next(each for each in meaning.changes if (each.before, each.after) == ("allowed", "blocked"))
        assert (meaning.exact, locked.apps) == (True, ["farebox"])
        assert [(ref.policy, ref.rule) for ref in locked.because.after] == [("farebox-at-the-counter", "elsewhere")]
        # What is shown is an attempt that the service itself decides so.
        given = {name: value for name, value in locked.witness.facts.items() if name not in SETTLED}
        assert client.rehearse(facts=given, draft="sundby-is-rebuilt").decision.outcome == "blocked"
        assert client.proofs.meaning(Side(), Side()).same
        with pytest.raises(Refused, match="there is no guarantee"):
            client.proofs.guarantees(GUESTS, "guests-have-accept")


def test_what_policies_have_to_do_with_somebody_and_what_one_adds(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        found = client.proofs.about("ines.faro", "farebox")
        parts = {part.policy: part for part in found.policies}
        assert found.whole
        assert not parts["guests-accept-terms"].speaks
        assert [each.outcome for each in parts["hidden-origins"].decides] == ["blocked"]
        assert parts["new-countries"].mode == "shadow"
        for each in found.outcomes:
            given = {name: value for name, value in each.facts.items() if name not in SETTLED}
            assert client.rehearse(facts=given).decision.outcome == each.outcome
        assert {part.policy for part in client.proofs.about(app="farebox", side=SUNDBY).policies} >= set(parts)
        for person, app, message in (("nobody", "", "no person"), ("", "fairbox", "no app"), ("", "", "name a person")):
            with pytest.raises(Refused, match=message):
                client.proofs.about(person, app)
        adds = client.proofs.adds("stale-desktops")
        assert {(each.before, each.after) for each in adds.changes} == {
            ("allowed", "blocked"),
            ("challenged", "blocked"),
        }
        assert adds.exact
        assert "without it" in adds.sentence
        assert client.proofs.adds("guests-prove-it", GUESTS).same
        with pytest.raises(Refused, match="no policy"):
            client.proofs.adds("stale-desktop")


def test_the_remedy_of_a_draft_mends_it(kelpline_folder: Path, tmp_path: Path) -> None:
    shutil.copytree(kelpline_folder, tmp_path / "data")
    for live in serving(tmp_path / "data", address_files=[ADDRESSES]):
        with live.client() as client:
            (answer,) = client.proofs.guarantees(GUESTS, "guests-have-accepted")
            assert answer.remedy is not None
            seen = client.drafts.get("guests-at-the-berths").info
            with pytest.raises(Refused) as refused:
                client.drafts.publish(seen, "guests see the berths")
            assert refused.value.problem.code == "guarantees-fail"
            assert "guarantees.guests-have-accepted" in {each.path for each in refused.value.problem.errors}
            client.drafts.put_object(seen.name, seen.version, answer.remedy.path, answer.remedy.text)
            assert {each.answer for each in client.proofs.guarantees(GUESTS)} == {"holds"}
            mended = client.drafts.get("guests-at-the-berths").info
            assert client.drafts.publish(mended, "guests see the berths, once they have accepted").revision.number == 3


RULEBOOK = "caddrel: 1\nguarantees: {g: {for: {apps: [post]}, at_least: require mfa}}\n"


def test_publishing_what_breaks_a_guarantee_needs_a_reason(empty: Live, tmp_path: Path) -> None:
    (tmp_path / "r.yaml").write_text(RULEBOOK, encoding="utf-8")
    with empty.client() as client:
        with pytest.raises(Refused) as refused:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "first")
        problem = refused.value.problem
        assert (problem.code, problem.status) == ("guarantees-fail", 409)
        assert "could open post" in problem.errors[0].message
        assert problem.errors[0].span is not None
        env = empty.environment()
        publish = ("rulebook", "publish", str(tmp_path / "r.yaml"), "--why", "first")
        assert run(*publish, env=env).returncode == 3
        done = run(*publish, "--accept-failing-guarantees", "it is mended next week", env=env)
        assert done.returncode == 0, done.stderr
        assert client.rulebook.history()[0].override == "failing guarantees: it is mended next week"


def test_what_one_change_does_is_told_by_itself(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        whole = client.proofs.meaning(Side(), SUNDBY)
        alone = client.proofs.meaning(Side(), SUNDBY, "places.terminals")
        assert ("allowed", "blocked") in {(each.before, each.after) for each in alone.changes}
        assert {each.after for each in alone.changes} == {each.after for each in whole.changes}
        assert client.proofs.meaning(Side(), SUNDBY, "policies.farebox-at-the-counter").changes == []
        with pytest.raises(Refused) as refused:
            client.proofs.meaning(Side(), SUNDBY, "places.terminal")
        assert "places.terminals" in refused.value.problem.errors[0].hint


def test_what_does_nothing_is_taken_out_and_nothing_differs(kelpline_folder: Path, tmp_path: Path) -> None:
    shutil.copytree(kelpline_folder, tmp_path / "data")
    for live in serving(tmp_path / "data", address_files=[ADDRESSES]):
        env = live.environment()
        with live.client() as client:
            files = client.drafts.get("guests-at-the-berths").files
            before = Side(files=files)
            rule = ("--policy", "berths-for-guests", "--rule", "nobody-else")
            done = run("draft", "tidy", "guests-at-the-berths", *rule, env=env)
            assert "policies.berths-for-guests: taken out, as rule nobody-else" in done.stdout.replace("\n", " ")
            assert "nobody-else" not in client.drafts.get("guests-at-the-berths").files[0].text
            assert client.proofs.meaning(before, GUESTS).same
            gone = json.loads(run("draft", "tidy", "guests-at-the-berths", "--json", env=env).stdout)["taken_out"]
            assert gone
            # Of policies that each do nothing beside the other one is left.
            assert client.proofs.meaning(before, GUESTS).same
            assert not [each for each in client.proofs.idle(GUESTS).items if each.change and each.change.same]


def test_a_hundred_questions_wait_and_are_left(empty: Live) -> None:
    asked = ProofQuestion(prove=GuaranteeRequest(Side(files=[File("r.yaml", RULEBOOK)])))
    # What takes very long goes first: all others wait until it is left.
    long = ProofQuestion(idle=GuaranteeRequest(Side(files=[File("r.yaml", _pigeons(10))])))
    with empty.client("viewer") as client, empty.client("author") as other:
        caller = client.proofs._caller
        first = caller.post("/api/v1/rulebook/proofs", long, Job)
        jobs = [caller.post("/api/v1/rulebook/proofs", asked, Job) for _ in range(99)]
        assert {job.state for job in jobs} == {"waiting"}
        # Those of others are nobody's business.
        with pytest.raises(Refused, match="there is no job"):
            other.proofs._caller.delete(f"/api/v1/rulebook/proofs/{jobs[-1].id}", Job)
        left = [caller.delete(f"/api/v1/rulebook/proofs/{job.id}", Job) for job in (*jobs[10:], first)]
        ended = [until(partial(_ended, caller, job.id)) for job in (*jobs[:10], *left)]
        assert [job.state for job in ended] == ["done"] * 10 + ["cancelled"] * 90
        assert ended[0].result["guarantees"][0]["answer"] == "fails"
        # What is asked at once is answered meanwhile, and afterwards.
        assert [each.answer for each in client.proofs.guarantees(Side(files=[File("r.yaml", RULEBOOK)]))] == ["fails"]
        with pytest.raises(Refused, match="ask one question"):
            caller.post("/api/v1/rulebook/proofs", ProofQuestion(), Job)


def _ended(caller: Caller, id: str) -> Job | None:
    job = caller.get(f"/api/v1/rulebook/proofs/{id}", Job)
    return job if job.ended else None


def _pigeons(many: int) -> str:
    """Return a rulebook with a condition that is never true, which takes very long to prove."""
    holes = range(many)
    sits = [" or ".join(f"person.groups has p{p}-{h}" for h in holes) for p in range(many + 1)]
    pairs = [(h, p, q) for h in holes for p in range(many + 1) for q in range(p)]
    alone = [f"not (person.groups has p{p}-{h} and person.groups has p{q}-{h})" for h, p, q in pairs]
    when = " and ".join([*(f"({each})" for each in sits), *alone])
    return f"caddrel: 1\npolicies:\n  p:\n    mode: enforced\n    rules:\n      - when: {when}\n        then: block\n"


def test_a_question_is_left_midway(empty: Live) -> None:
    asked = ProofQuestion(idle=GuaranteeRequest(Side(files=[File("r.yaml", _pigeons(10))])))
    with empty.client("viewer") as client, empty.client("author") as other:
        caller = client.proofs._caller
        job = caller.post("/api/v1/rulebook/proofs", asked, Job)
        waits = caller.post("/api/v1/rulebook/proofs", asked, Job)
        path = f"/api/v1/rulebook/proofs/{job.id}"
        until(lambda: caller.get(path, Job).state == "running")
        assert caller.delete(f"/api/v1/rulebook/proofs/{waits.id}", Job).state == "cancelled"
        # Whoever asks very much holds up themselves; one that is left is held until it is reached.
        short = ProofQuestion(prove=GuaranteeRequest(Side(files=[File("r.yaml", RULEBOOK)])))
        more = [caller.post("/api/v1/rulebook/proofs", short, Job) for _ in range(MOST_EACH - 2)]
        with pytest.raises(Refused, match="too much is waiting"):
            caller.post("/api/v1/rulebook/proofs", short, Job)
        theirs = other.proofs._caller.post("/api/v1/rulebook/proofs", short, Job)
        for each in more:
            caller.delete(f"/api/v1/rulebook/proofs/{each.id}", Job)
        caller.delete(path, Job)
        assert until(partial(_ended, other.proofs._caller, theirs.id)).state == "done"
        assert until(partial(_ended, caller, job.id)).state == "cancelled"
        # The next one is proven by another process.
        assert [each.answer for each in client.proofs.guarantees(Side(files=[File("r.yaml", RULEBOOK)]))] == ["fails"]


def test_since_when_each_holds_is_kept_and_watched(empty: Live) -> None:
    holds = RULEBOOK + "policies:\n  p: {mode: MODE, rules: [{then: require mfa}]}\n"
    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", holds.replace("MODE", "enforced"))], "first")
        (first,) = client.proofs.guarantees()
        assert (first.answer, first.since[:10]) == ("holds", empty.clock().isoformat()[:10])
        assert [item for item in client.watch.look().items if item.kind == "guarantee"] == []
        empty.clock.forward(days=3)
        assert client.proofs.guarantees()[0].since == first.since
        accept = "it is mended next week"
        client.rulebook.publish(
            [File("r.yaml", holds.replace("MODE", "off"))], "second", accept_failing_guarantees=accept
        )
        # Nobody asks: it is proven again by itself.
        watched = until(lambda: next((i for i in client.watch.look().items if i.key == "guarantee:g"), None))
        assert (watched.state, watched.detail) == ("wrong", "It held until then.")
        (now,) = client.proofs.guarantees()
        assert (now.answer, now.since > first.since) == ("fails", True)
        assert {each.since != "" for each in client.proofs.check_up()} == {True}


def test_a_process_that_ends_is_begun_anew(empty: Live) -> None:
    side = Side(files=[File("r.yaml", RULEBOOK)])
    with empty.client() as client:
        assert [each.answer for each in client.proofs.guarantees(side)] == ["fails"]
        process = empty.runtime.prover._process
        assert process is not None
        process.kill()
        process.has_ended(None)
        assert [each.answer for each in client.proofs.guarantees(side)] == ["fails"]
        with pytest.raises(Refused) as refused:
            client.proofs.guarantees(Side(files=[File("r.yaml", "caddrel: 1\nguarantees: {g: {}}\n")]))
        assert refused.value.problem.errors


def test_the_commands_of_the_page_run(kelpline_folder: Path, tmp_path: Path) -> None:
    commands = re.findall(r"^caddrel .*", PAGE, re.M)
    assert len(commands) >= 10
    said = {}
    # Some of them change a draft: this one is nobody else's.
    shutil.copytree(kelpline_folder, tmp_path / "data")
    for live in serving(tmp_path / "data", address_files=[ADDRESSES]):
        for command in commands:
            done = run(*shlex.split(command)[1:], env=live.environment())
            # Most of them find something, which is a no.
            assert done.returncode in {0, 1}, done.stderr
            said[command] = done.stdout
    assert "What mends it, proven to" in said["caddrel prove --rulebook draft:guests-at-the-berths"]
    told = json.loads(
        said["caddrel rulebook compare current draft:sundby-is-rebuilt --meaning --fail-on loosened --json"]
    )
    assert {"from", "to", "outstanding", "apps", "people", "because", "witness"} <= set(told["meaning"]["changes"][0])
    assert "safeguards fail." in said["caddrel check-up"]
    assert "never-fires" in said["caddrel rulebook check draft:guests-at-the-berths --prove"]
