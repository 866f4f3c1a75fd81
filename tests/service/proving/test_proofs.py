"""Proofs over the service: what the demo's drafts do that nobody saw, publishing refused, a process that ends."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving

from caddrel.client import Refused
from caddrel.demo.fill import ADDRESSES
from caddrel.wire.decisions import File
from caddrel.wire.rulebooks import Side

PAGE = (Path(__file__).parents[3] / "docs" / "proving.md").read_text(encoding="utf-8")
SETTLED = {"auth.credentials", "auth.locked_out"}
GUESTS, SUNDBY = Side(draft="guests-at-the-berths"), Side(draft="sundby-is-rebuilt")


def test_what_the_drafts_of_the_demo_do_is_found(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        (answer,) = client.proofs.guarantees(GUESTS)
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
            (answer,) = client.proofs.guarantees(GUESTS)
            assert answer.remedy is not None
            seen = client.drafts.get("guests-at-the-berths").info
            with pytest.raises(Refused) as refused:
                client.drafts.publish(seen, "guests see the berths")
            assert refused.value.problem.code == "guarantees-fail"
            assert "guarantees.guests-have-accepted" in {each.path for each in refused.value.problem.errors}
            client.drafts.put_object(seen.name, seen.version, answer.remedy.path, answer.remedy.text)
            assert [each.answer for each in client.proofs.guarantees(GUESTS)] == ["holds"]
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


def test_a_process_that_ends_is_begun_anew(empty: Live) -> None:
    side = Side(files=[File("r.yaml", RULEBOOK)])
    with empty.client() as client:
        assert [each.answer for each in client.proofs.guarantees(side)] == ["fails"]
        process = empty.runtime.prover._process
        assert process is not None
        process.kill()
        process.wait()
        assert [each.answer for each in client.proofs.guarantees(side)] == ["fails"]
        with pytest.raises(Refused) as refused:
            client.proofs.guarantees(Side(files=[File("r.yaml", "caddrel: 1\nguarantees: {g: {}}\n")]))
        assert refused.value.problem.errors


def test_the_commands_of_the_page_run(kelpline: Live) -> None:
    commands = re.findall(r"^caddrel .*", PAGE, re.M)
    assert len(commands) >= 8
    said = {}
    for command in commands:
        done = run(*command.split()[1:], env=kelpline.environment())
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
