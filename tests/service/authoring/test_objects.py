"""What an editor asks while somebody writes; small changes at once; publishing at a time; drafts in shadow."""

from __future__ import annotations

import io
import time
import zipfile
from typing import Any

import httpx
import pytest
from tests.command import run
from tests.conftest import PATIENCE, Live

from caddrel.client import Caddrel, Refused
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.authoring import Edit
from caddrel.wire.decisions import File

TEXT = """
caddrel: 1
settings:
  contact: help@example.org
attributes:
  person.attributes.shift: text
places:
  office: {title: The office, networks: [192.0.2.0/26], countries: [NO]}
standards:
  tablet:
    title: Tablet
    checks:
      encrypted: {must: device.encrypted, fix: Turn on encryption.}
      new: {must: device.os_version is at least 15, fix: Install the update.}
schedules:
  shore-hours: {zone: Atlantic/Reykjavik, hours: {mon-fri: ["07:00-19:00"]}}
proofs:
  strong-key: {any_of: [[hwk]]}
policies:
  # for the harbour
  farebox:
    title: Farebox
    people: [group:harbour] # the pilot group
    except_people: [{where: person.attributes.shift is night}]
    apps: [farebox, "label:money"]
    rules:
      - id: tablet
        when: not device passes tablet and not from office
        then: block
        tell: "{app} needs a tablet. {fixes} Ask {contact}: {reference}"
        link: https://help.example.org/tablet
      - {id: rest, then: require mfa}
  other: {mode: enforced, rules: [{then: allow}]}
"""
PEOPLE = b"""\
{"id": "ada", "title": "Ada", "kind": "employee", "groups": ["quay"], "roles": ["clerk"], "unit": "/port/east"}
{"id": "bo", "kind": "employee", "groups": ["harbour"], "attributes": {"shift": "night"}, "unit": "/port"}
{"id": "cy", "title": "Cy", "kind": "contractor", "groups": []}
"""


@pytest.fixture
def live(empty: Live) -> Live:
    with empty.client() as operator:
        operator.groups.import_(
            [b'{"id": "harbour", "title": "The harbour"}\n{"id": "quay", "member_of": ["harbour"]}']
        )
        operator.people.import_([PEOPLE])
        operator.apps.import_(
            [
                b'{"id": "farebox", "title": "Farebox", "labels": []}\n{"id": "till", "labels": ["money"]}\n',
                b'{"id": "mail", "labels": []}',
            ]
        )
        operator.devices.import_(
            [b'{"id": "t1", "person": "ada", "encrypted": true, "os_version": "15"}\n{"id": "t2", "encrypted": true}']
        )
        operator.rulebook.publish([File("r.yaml", TEXT)], "the first")
        operator.drafts.begin("mine")
    return empty


def test_an_object_is_looked_at_with_all_that_it_says_and_does(live: Live) -> None:
    with live.client("viewer") as viewer:
        found = viewer.drafts.look("mine", "policies.farebox")
        assert "".join(piece.text for piece in found.words).startswith("The group harbour except those of whom")
        assert found.covers is not None
        assert (found.covers.people, found.covers.apps) == (1, 2)
        blocked, asked = found.told
        fixes = "Turn on encryption. Install the update."
        assert blocked.text == f"Farebox needs a tablet. {fixes} Ask help@example.org: 00000-00000"
        assert (blocked.outcome, blocked.link) == ("blocked", "https://help.example.org/tablet")
        assert (asked.outcome, asked.text) == ("challenged", "One more step is needed to open Farebox.")
        assert (found.value["rules"][1], found.changed, found.problems) == (
            {"id": "rest", "then": "require mfa"},
            False,
            [],
        )
        page = viewer.drafts.covered("mine", "policies.farebox", "people")
        # Whether she works at night is not known, so it may be about her.
        assert [(each.id, each.title, each.note) for each in page.items] == [("ada", "Ada", "not known for certain")]
        first = viewer.drafts.covered("mine", "policies.farebox", "apps", limit=1)
        assert (first.count, first.items[0].id, first.following) == (2, "farebox", "farebox")
        assert viewer.drafts.covered("mine", "policies.farebox", "apps", "farebox").items[0].id == "till"
        standard = viewer.drafts.look("mine", "standards.tablet")
        assert standard.standing is not None
        assert standard.standing.lines[0] == "1 of 2 devices pass it today."
        assert [(d.id, d.note) for d in standard.standing.devices] == [("t2", "new (not known)")]
        assert [(use.kind, use.id) for use in standard.used_by] == [("policy", "farebox")]
        standing = viewer.drafts.look("mine", "schedules.shore-hours").standing
        assert standing is not None
        hours = standing.lines
        assert hours == [
            "It is Monday 2026-11-23, 09:00 in Atlantic/Reykjavik: open now; that day it is open 07:00-19:00."
        ]
        inside = viewer.drafts.holds("mine", "places.office", "192.0.2.7").lines
        assert inside[:2] == ["192.0.2.7 is in it.", "networks 192.0.2.0/26: yes"]
        assert "may be in it" in viewer.drafts.holds("mine", "places.office", "203.0.113.7").lines[0]
        for path, code in (("places.none", "not-found"), ("policies.none", "not-found"), ("nothing", "bad-rulebook")):
            with pytest.raises(Refused) as refused:
                viewer.drafts.look("mine", path)
            assert refused.value.problem.code == code
        with pytest.raises(Refused) as refused:
            viewer.drafts.holds("mine", "places.office", "nowhere")
        assert refused.value.problem.code == "bad-address"


def test_what_is_wrong_with_one_object_does_not_hide_the_others(live: Live) -> None:
    with live.client("author") as author:
        author.drafts.put_value("mine", 1, "policies.broken", {"rules": [{"when": "from nowhere", "then": "blok"}]})
        broken = author.drafts.look("mine", "policies.broken")
        assert [(p.path, p.code) for p in broken.problems] == [
            ("policies.broken.rules[0].when", "unknown-place"), ("policies.broken.rules[0].then", "unknown-effect")
        ]  # fmt: skip
        assert (broken.words, broken.covers, broken.value["rules"][0]["then"]) == ([], None, "blok")
        good = author.drafts.look("mine", "policies.farebox")
        assert good.words
        assert not good.problems
        assert author.drafts.look("mine", "standards.tablet").used_by[0].id == "farebox"


def test_values_are_put_and_the_rest_of_the_text_stays(live: Live) -> None:
    with live.client("author") as author:
        value = author.drafts.look("mine", "policies.farebox").value
        saved = author.drafts.put_value("mine", 1, "policies.farebox", {**value, "mode": "enforced"}, "fares")
        assert (saved.path, saved.info.version, saved.info.changed) == ("policies.fares", 2, 2)
        text = author.drafts.get("mine").files[0].text
        assert text == TEXT.replace(
            "  farebox:\n    title: Farebox\n", "  fares:\n    title: Farebox\n    mode: enforced\n"
        )
        for value, code in (({"a": 1}, "bad-rulebook"), ([None], "bad-rulebook")):
            with pytest.raises(Refused) as refused:
                author.drafts.put_value("mine", 2, "policies.fares", value)
            assert refused.value.problem.code == code
            assert refused.value.problem.errors[0].code == "bad-value"
        with pytest.raises(Refused) as refused:
            author.drafts.put_value("mine", 2, "policies.fares", {"rules": []}, "other")
        assert refused.value.problem.errors[0].code == "given-twice"


UNDERSTOOD = [
    ("condition", "not  during shore-hours", "not during shore-hours", "it is outside shore-hours", []),
    ("condition", "from offfice", "from offfice", "", [("unknown-place", 6, 13)]),
    ("condition", "person.attributes.shift is night and", "person.attributes.shift is night and", "", [("", 0, 0)]),
    ("effect", "require proof strong-key or mfa", "require proof strong-key or mfa", "needs the proof", []),
    ("effect", "requier mfa", "requier mfa", "", [("unknown-effect", 1, 8)]),
    ("condition", " ", "", "", []),
]


@pytest.mark.parametrize(("kind", "text", "canonical", "words", "problems"), UNDERSTOOD)
def test_the_language_is_understood_as_one_types(
    live: Live, kind: str, text: str, canonical: str, words: str, problems: list[Any]
) -> None:
    with live.client("viewer") as viewer:
        found = viewer.drafts.understand(kind, text=text, draft="mine")
        assert found.text == canonical
        assert words in "".join(piece.text for piece in found.words)
        assert len(found.problems) == len(problems)
        for problem, (code, start, end) in zip(found.problems, problems, strict=True):
            if code:
                assert problem.span is not None
                assert (problem.code, problem.span.column, problem.span.end_column) == (code, start, end)
        if found.tree is not None:
            assert viewer.drafts.understand(kind, tree=found.tree, draft="mine").text == canonical


def test_what_cannot_be_understood_is_refused(live: Live) -> None:
    with live.client("viewer") as viewer:
        for asked in ({"text": "x", "tree": {}}, {}, {"tree": {"kind": "all", "parts": []}}):
            with pytest.raises(Refused) as refused:
                viewer.drafts.understand("condition", **asked)
            assert refused.value.problem.code == "bad-language"
        with pytest.raises(Refused) as refused:
            viewer.drafts.understand("condition", text="x" * 30_000)
        assert refused.value.problem.code == "too-large"
        only = viewer.drafts.understand("condition", text="from office", only="person.")
        assert [problem.code for problem in only.problems] == ["where-too-wide"]
        language = viewer.drafts.language()
        assert {row.op for row in language.operators} >= {"is", "has any of", "is known"}
        assert language.named["device passes"] == "standards"


def test_selectors_are_found_with_how_many_they_cover(live: Live) -> None:
    with live.client("viewer") as viewer:
        found = {each.selector: each.count for each in viewer.drafts.selectors("people")}
        assert found["everyone"] == 3
        assert (found["group:harbour"], found["group:quay"], found["unit:/port"]) == (2, 1, 2)
        assert (found["role:clerk"], found["kind:contractor"], found["kind:service"]) == (1, 1, 0)
        assert [each.selector for each in viewer.drafts.selectors("people", "the HARB")] == ["group:harbour"]
        assert {each.selector for each in viewer.drafts.selectors("apps")} == {
            "every-app",
            "label:money",
            "farebox",
            "till",
            "mail",
        }
        with pytest.raises(Refused) as refused:
            viewer.drafts.selectors("devices")
        assert refused.value.problem.code == "bad-parameter"


def test_modes_are_changed_together_and_a_pilot_becomes_everyone(live: Live) -> None:
    env = live.environment()
    done = run("rulebook", "mode", "shadow", "farebox", "other", "--why", "quiet", env=env)
    assert done.stdout == "Revision 2 is current: quiet\n"
    done = run("rulebook", "widen", "farebox", "--why", "no trouble", env=env)
    assert done.returncode == 0
    with live.client("publisher") as publisher, live.client("author") as author:
        text = publisher.rulebook.get().files[0].text
        assert "\n    people:" not in text
        assert "except_people: [{where: person.attributes.shift is night}]" in text
        assert text.count("mode: shadow") == 2
        with pytest.raises(Refused, match="publisher"):
            author.rulebook.edit([Edit("policies.other", "mode", "off")], "mine")
        for edit, code in (
            (Edit("policies.other", "mode", "shadow"), "nothing-changes"),
            (Edit("policies.none", "mode", "off"), "not-found"),
            (Edit("policies.other", "mode", "perhaps"), "bad-rulebook"),
        ):
            with pytest.raises(Refused) as refused:
                publisher.rulebook.edit([edit], "why not")
            assert refused.value.problem.code == code
        assert publisher.rulebook.history()[0].number == 3
    assert run("rulebook", "mode", "off", "--labelled", "none", "--why", "x", env=env).returncode == 3
    assert run("rulebook", "mode", "off", "--why", "x", env=env).returncode == 2


def test_a_revision_is_exported_as_a_file_or_a_folder(live: Live) -> None:
    with httpx.Client(
        base_url=live.url, headers={"Authorization": f"Bearer {live.token}"}, verify=False, timeout=PATIENCE
    ) as http:
        assert http.get("/api/v1/rulebook/export").text == TEXT
        packed = http.get("/api/v1/rulebook/export?form=folder")
        assert packed.headers["Content-Type"] == "application/zip"
        with zipfile.ZipFile(io.BytesIO(packed.content)) as folder:
            names = folder.namelist()
            sources = [Source(name, folder.read(name).decode()) for name in names]
        assert "rulebook-1/policies.yaml" in names
        before = read_rulebook(Source("r.yaml", TEXT)).or_raise()
        assert read_rulebook(sources).or_raise().policies == before.policies
        assert http.get("/api/v1/rulebook/export?form=disk").json()["code"] == "bad-parameter"


def test_a_draft_is_published_when_it_is_due(live: Live) -> None:
    env = live.environment()
    with live.client("publisher") as publisher:
        publisher.drafts.put_object("mine", 1, "policies.other", None)
        for at, code in (("tomorrow", "bad-moment"), ("2026-11-23T08:00:00Z", "bad-moment")):
            with pytest.raises(Refused) as refused:
                publisher.drafts.plan(publisher.drafts.get("mine").info, at, "in time")
            assert refused.value.problem.code == code
        assert run("draft", "plan", "mine", "--at", "2026-11-24T06:00:00Z", "--why", "in time", env=env).returncode == 0
        with pytest.raises(Refused) as refused:
            publisher.drafts.put_object("mine", 2, "policies.farebox", None)
        assert refused.value.problem.code == "draft-planned"
        assert "not planned" in run("draft", "unplan", "mine", env=env).stdout
        with pytest.raises(Refused) as refused:
            publisher.drafts.unplan("mine")
        assert refused.value.problem.code == "not-planned"
        planned = publisher.drafts.plan(publisher.drafts.get("mine").info, "2026-11-24T06:00:00Z", "in time")
        assert planned.plan is not None
        assert planned.plan.at == "2026-11-24T06:00:00Z"
        live.runtime.planner.publish_due()
        assert publisher.rulebook.history()[0].number == 1
        live.clock.forward(hours=22)
        live.runtime.planner.wake()
        _until(lambda: publisher.rulebook.history()[0].number == 2)
        made = publisher.rulebook.history()[0]
        assert (made.why, made.published_by) == ("in time", "token test publisher")
        # What cannot be published when it is due keeps the reason.
        publisher.drafts.begin("late")
        publisher.drafts.put_object("late", 1, "schedules.shore-hours", None)
        publisher.drafts.plan(publisher.drafts.get("late").info, "2026-11-25T06:00:00Z", "late")
        publisher.rulebook.publish([File("r.yaml", TEXT)], "in between")
        live.clock.forward(hours=24)
        live.runtime.planner.wake()
        _until(lambda: next(d for d in publisher.drafts.all() if d.name == "late").failed)
        late = next(d for d in publisher.drafts.all() if d.name == "late")
        assert (late.plan, late.failed.split(":")[0]) == (None, "published-in-between")
    with live.client() as operator:
        found = [(e.did, e.outcome) for e in operator.audit.list().items if e.did.startswith("publish at")]
        assert [outcome for _, outcome in found] == ["published-in-between", "done"]


def _until(holds: Any) -> None:
    end = time.monotonic() + PATIENCE
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.05)


def test_a_draft_in_shadow_is_logged_beside_live_decisions(live: Live) -> None:
    asked = (authzen.Entity("person", "ada"), authzen.Action("sign-in"), authzen.Entity("app", "farebox"))
    told = {"auth.methods": {"pwd": 1}}
    with live.client("publisher") as publisher, live.client("author") as author:
        author.drafts.put_value("mine", 1, "policies.other", {"mode": "enforced", "rules": [{"then": "require mfa"}]})
        with pytest.raises(Refused, match="publisher"):
            author.drafts.shadow(author.drafts.get("mine").info)
        assert publisher.drafts.shadow_report("mine").since is None
        assert publisher.drafts.shadow(publisher.drafts.get("mine").info).shadowed == "2026-11-23T09:00:00Z"
        token = make_token(live.data, "front", "door", 30, "tests", reports=("auth",))[1]
        with Caddrel(live.url, token) as door:
            door.access.evaluate(authzen.Evaluation(*asked, told))
            # What an author saves since does not count, until a publisher puts that in shadow.
            other = "other:\n  mode: enforced\n  rules: [{then: block}]\n"
            author.drafts.put_object("mine", 2, "policies.other", other)
            door.access.evaluate(authzen.Evaluation(*asked, told))
            live.runtime.shadows.settle()
            publisher.drafts.shadow(publisher.drafts.get("mine").info)
            last = door.access.evaluate(authzen.Evaluation(*asked, told))
            assert last.decision
            assert "drafts" not in last.context
        report = publisher.drafts.shadow_report("mine")
        flows = [(flow.outcome, flow.would, flow.count) for flow in report.flows]
        assert flows == [("allowed", "challenged", 2), ("allowed", "blocked", 1)]
        traced = publisher.signins.trace(report.flows[1].example)
        assert (traced.drafts, traced.decision.outcome, traced.same) == ({"mine": "blocked"}, "allowed", True)
        shown = run("draft", "shadow", "mine", env=live.environment()).stdout
        assert "challenged" in shown
        assert "the draft mine, in shadow then" in run("trace", report.flows[1].example, env=live.environment()).stdout
        for i in range(4):
            author.drafts.begin(f"more-{i}")
            if i < 3:
                publisher.drafts.shadow(publisher.drafts.get(f"more-{i}").info)
        with pytest.raises(Refused) as refused:
            publisher.drafts.shadow(publisher.drafts.get("more-3").info)
        assert refused.value.problem.code == "too-many-shadowed"
        assert "not in shadow any more" in run("draft", "shadow", "mine", "--off", env=live.environment()).stdout
        live.clock.forward(minutes=1)
        with Caddrel(live.url, token) as door:
            door.access.evaluate(authzen.Evaluation(*asked, told))
        publisher.drafts.shadow(publisher.drafts.get("mine").info)
        assert publisher.drafts.shadow_report("mine").flows == []


def test_a_policy_is_written_field_by_field_from_the_command_line(live: Live) -> None:
    def draft(*words: str) -> Any:
        return run("draft", *words, env=live.environment())

    misspelt = draft("set", "mine", "policies.key", "people", "[kind:contractor]")
    assert misspelt.returncode == 2
    assert "--new" in misspelt.stderr
    assert draft("set", "mine", "policies.keys", "people", "[kind:contractor]", "--new").returncode == 0
    assert draft("set", "mine", "policies.keys", "apps", "[farebox]").returncode == 0
    rules = '[{when: not during shore-hours, then: require proof strong-key, tell: "Use your key for {app}."}]'
    assert "version 4" in draft("set", "mine", "policies.keys", "rules", rules).stdout
    shown = " ".join(draft("look", "mine", "policies.keys").stdout.split())
    assert "Contractors, opening Farebox: needs the proof strong-key when it is outside shore-hours" in shown
    assert "It covers 1 person and 1 app." in shown
    assert "the door shows: Use your key for Farebox." in shown
    assert draft("look", "mine", "policies.keys", "--covers", "people").stdout == "cy  Cy\n"
    assert draft("set", "mine", "policies.keys", "rules", "--remove").returncode == 0
    assert "missing-key" in draft("look", "mine", "policies.keys").stdout
    assert draft("set", "mine", "policies.keys", "rules").returncode == 2
    assert draft("set", "mine", "policies.keys", "rules", "[a").returncode == 2
    assert draft("look", "mine", "policies.none").returncode == 3
    assert "used by the policy farebox" in draft("look", "mine", "places.office").stdout
