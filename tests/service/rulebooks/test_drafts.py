"""Drafts: edited object by object, never overwritten, moved onto newer revisions, published, recovered."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live, serving
from tests.service.rulebooks.test_publish import OPEN, SHUT

from caddrel.client import Refused
from caddrel.wire.decisions import File
from caddrel.wire.rulebooks import Side

TEXT = OPEN + "  other:\n    mode: shadow # for now\n    rules: [{id: all, then: block}]\n"
IN = """\
in:
  title: Keyholders get in
  mode: enforced
  people: [group:keepers]
  apps: [tower]
  rules: [{then: require mfa within 1h}]
"""


@pytest.fixture
def live(guarded: Callable[[str], Live]) -> Live:
    return guarded(TEXT)


def test_a_draft_is_written_object_by_object_rehearsed_and_published(live: Live) -> None:
    with live.client("author") as author, live.client("publisher") as publisher:
        begun = author.drafts.begin("shorter")
        assert (begun.info.version, begun.info.base, begun.info.changed, begun.info.behind) == (1, 1, 0, False)
        assert [each.path for each in begun.objects] == [
            "settings", "apps.tower", "places.office", "policies.in", "policies.other"
        ]  # fmt: skip
        saved = author.drafts.put_object("shorter", 1, "policies.in", IN)
        assert (saved.path, saved.text, saved.info.changed) == ("policies.in", IN, 1)
        assert "mode: shadow # for now" in author.drafts.get("shorter").files[0].text
        gone = author.drafts.put_object("shorter", 2, "policies.other", None)
        assert (gone.path, gone.text, gone.info.changed) == ("policies.other", None, 2)
        now = author.drafts.get("shorter")
        assert [(each.path, each.text) for each in now.objects if each.changed][1] == ("policies.other", "")
        # A draft stands wherever a rulebook is asked for.
        assert author.rulebook.check(draft="shorter").policies == 1
        told = author.rehearse({"person": "key", "app": "tower", "auth.methods": "pwd:2h,swk:2h"}, draft="shorter")
        assert told.decision.outcome == "challenged"
        changes = author.rulebook.compare(Side(), Side(draft="shorter")).objects
        assert [(c.id, c.change) for c in changes] == [("in", "changed"), ("other", "removed")]
        with pytest.raises(Refused, match="publisher"):
            author.drafts.publish(author.drafts.get("shorter").info, "an hour is enough")
        made = publisher.drafts.publish(publisher.drafts.get("shorter").info, "an hour is enough")
        assert made.revision.number == 2
        # One that was published says as what; one that was discarded does not, though it holds the same documents.
        twin = author.drafts.begin("twin")
        author.drafts.discard(twin.info.name)
        done = {d.name: (d.discarded is not None, d.published) for d in author.drafts.all()}
        assert done == {"shorter": (True, 2), "twin": (True, None)}
        again = author.drafts.recover("shorter")
        assert (again.info.behind, again.info.changed) == (True, 2)


def test_a_save_that_did_not_see_the_one_before_is_refused_with_both(live: Live) -> None:
    with live.client("author") as one, live.client("author") as two:
        one.drafts.begin("both")
        one.drafts.put_object("both", 1, "policies.in", IN)
        with pytest.raises(Refused) as refused:
            two.drafts.put_object("both", 1, "policies.in", IN.replace("1h", "2h"))
        problem = refused.value.problem
        assert (problem.status, problem.code) == (412, "draft-changed")
        assert problem.title == "token test author saved this draft in between"
        (found,) = problem.errors
        assert (found.path, "within 1h" in found.message, "within 2h" in found.hint) == ("policies.in", True, True)
        assert "within 1h" in one.drafts.get("both").files[0].text
        two.drafts.put_object("both", 2, "policies.in", IN.replace("1h", "2h"))
        assert one.drafts.get("both").info.version == 3
    with live.http() as http:
        assert http.get("/api/v1/drafts/both").headers["ETag"] == '"3"'
        bare = http.put("/api/v1/drafts/both", json={"files": [{"name": "r.yaml", "text": "x"}]})
        assert (bare.status_code, bare.json()["code"]) == (428, "no-version")
        for tag in ("3", '"x"', "*", '"3", "4"'):
            answer = http.put("/api/v1/drafts/both", json={"files": []}, headers={"If-Match": tag})
            assert answer.status_code == 428


def test_a_draft_is_moved_onto_a_newer_revision(live: Live) -> None:
    with live.client() as operator:
        operator.drafts.begin("mine")
        operator.drafts.put_object("mine", 1, "policies.in", IN)
        operator.drafts.put_object("mine", 2, "policies.third", "third:\n  rules: [{then: block}]\n")
        newer = TEXT.replace("192.0.2.0/26", "192.0.2.0/25")
        operator.rulebook.publish([File("r.yaml", newer)], "a larger office")
        assert operator.drafts.get("mine").info.behind
        with pytest.raises(Refused, match="in between"):
            operator.drafts.publish(operator.drafts.get("mine").info, "too early")
        moved = operator.drafts.move("mine", 3)
        assert (moved.conflicts, moved.draft.base, moved.draft.changed, moved.draft.behind) == ([], 2, 2, False)
        assert "192.0.2.0/25" in operator.drafts.get("mine").files[0].text
        # Both change the same policy: nothing is moved until somebody says whose to take.
        operator.rulebook.publish([File("r.yaml", newer.replace("require mfa", "require mfa within 4h"))], "four hours")
        stuck = operator.drafts.move("mine", 4)
        assert [c.path for c in stuck.conflicts] == ["policies.in"]
        assert "within 1h" in (stuck.conflicts[0].mine or "")
        assert "within 4h" in (stuck.conflicts[0].theirs or "")
        assert stuck.draft.base == 2
        with pytest.raises(Refused, match="no side"):
            operator.drafts.move("mine", 4, {"policies.in": "both"})
        assert operator.drafts.move("mine", 4, {"policies.in": "theirs"}).draft.base == 3
        text = operator.drafts.get("mine").files[0].text
        assert "within 4h" in text
        assert "third:" in text
        operator.drafts.publish(operator.drafts.get("mine").info, "a third")


@pytest.mark.parametrize(
    ("path", "text", "code"),
    [
        ("policies", "a: {}", "bad-path"),
        ("policies.in", "nothing", "not-one-object"),
        ("policies.in", "other:\n  rules: [{then: block}]", "given-twice"),
        ("policies.in", "in: {rules: [", "not-yaml"),
    ],
)
def test_an_edit_that_cannot_be_made_is_refused_and_nothing_is_lost(
    live: Live, path: str, text: str, code: str
) -> None:
    with live.client("author") as author:
        author.drafts.begin("careful")
        with pytest.raises(Refused) as refused:
            author.drafts.put_object("careful", 1, path, text)
        assert refused.value.problem.errors[0].code == code
        assert author.drafts.get("careful").files[0].text == TEXT


def test_a_draft_may_be_wrong_while_it_is_written_and_is_not_published_so(live: Live) -> None:
    with live.client() as operator:
        operator.drafts.begin("wrong")
        operator.drafts.put_object("wrong", 1, "policies.in", "in:\n  rules: [{then: blok}]\n")
        assert not operator.rulebook.check(draft="wrong").ok
        with pytest.raises(Refused) as refused:
            operator.drafts.publish(operator.drafts.get("wrong").info, "why not")
        assert refused.value.problem.code == "bad-rulebook"
        operator.drafts.save("wrong", 2, [File("r.yaml", SHUT)])
        with pytest.raises(Refused, match="could not any more"):
            operator.drafts.publish(operator.drafts.get("wrong").info, "why not")
        operator.drafts.discard("wrong")
        for call in (lambda: operator.drafts.get("wrong"), lambda: operator.rulebook.check(draft="wrong")):
            with pytest.raises(Refused, match="no draft"):
                call()
        with pytest.raises(Refused, match="already") as refused:
            operator.drafts.begin("wrong")
        assert refused.value.problem.code == "draft-exists"
        operator.drafts.recover("wrong")
        with pytest.raises(Refused, match="discarded draft"):
            operator.drafts.recover("wrong")
        for name in ("", "Capital", "a b", "x" * 61, "../x"):
            with pytest.raises(Refused, match="needs a name") as refused:
                operator.drafts.begin(name)
            assert refused.value.problem.code == "bad-draft"
        with pytest.raises(Refused, match="revision 7"):
            operator.drafts.begin("other", revision=7)
        with pytest.raises(Refused, match="files"):
            operator.drafts.begin("other", files=[])


def test_a_draft_from_the_command_line(live: Live, tmp_path: Path) -> None:
    def draft(*words: str, **more: Any) -> Any:
        return run("draft", *words, env=live.environment(), **more)

    policy = tmp_path / "in.yaml"
    policy.write_text(IN, encoding="utf-8")
    assert "There is no draft" in draft("list").stdout
    assert "nothing changed yet" in draft("begin", "shorter").stdout
    done = draft("put", "shorter", "policies.in", str(policy))
    assert done.stdout == "Draft shorter, version 2, on revision 1: policies.in put.\n"
    assert draft("show", "shorter", "policies.in").stdout == IN
    assert draft("show", "shorter", "policies.inn").returncode == 2
    assert "within 1h" in draft("show", "shorter").stdout
    assert "shorter" in draft("list").stdout
    done = run("rulebook", "compare", "current", "draft:shorter", env=live.environment())
    assert (done.returncode, "1 object differs from revision 1 to draft shorter" in done.stdout) == (1, True)
    assert run("rulebook", "check", "draft:shorter", env=live.environment()).returncode == 0
    done = run("rehearse", "person=key", "app=tower", "--rulebook", "draft:shorter", env=live.environment())
    assert "Tower" in done.stdout
    assert draft("put", "shorter", "policies.other", "--remove", "--version", "1").returncode == 3
    assert draft("put", "shorter", "policies.other").returncode == 2
    assert "on revision 1" in draft("move", "shorter").stdout
    assert draft("publish", "shorter", "--why", "an hour").stdout.startswith("Revision 2 is current")
    assert draft("recover", "shorter").returncode == 0
    whole = tmp_path / "r.yaml"
    whole.write_text(TEXT.replace("require mfa", "require mfa within 3h"), encoding="utf-8")
    assert draft("save", "shorter", str(whole)).returncode == 0
    done = draft("move", "shorter")
    assert (done.returncode, "policies.in was changed here and there." in done.stdout) == (1, True)
    assert draft("move", "shorter", "--take", "policies.in=mine").returncode == 0
    assert draft("discard", "shorter").returncode == 0
    assert "discarded" in draft("list").stdout


def test_a_rulebook_of_two_megabytes_is_pasted_into_a_draft(tmp_path: Path) -> None:
    rules = "    rules:\n" + "".join(
        f"      - {{when: person.groups has group-{i} and network.country is NO, then: require mfa}}\n"
        for i in range(6)
    )
    note = "Whoever reads this knows why. " * 46
    policies = "".join(f"  policy-{i}:\n    title: Policy {i}\n    note: {note}\n{rules}" for i in range(1000))
    text = f"caddrel: 1\npolicies:\n{policies}"
    assert len(text) > 1_900_000
    for live in serving(tmp_path / "data"):
        with live.client() as operator:
            operator.rulebook.publish([File("r.yaml", "caddrel: 1\n")], "the first")
            operator.drafts.begin("large")
            saved = operator.drafts.save("large", 1, [File("r.yaml", text)])
            assert (saved.info.changed, len(saved.objects)) == (1000, 1000)
            one = operator.drafts.put_value("large", 2, "policies.policy-500", {"rules": [{"then": "blok"}]})
            assert (one.info.version, one.info.changed) == (3, 1000)
            found = operator.rulebook.check(draft="large")
            assert [(d.code, d.path) for d in found.diagnostics if d.severity == "error"] == [
                ("unknown-effect", "policies.policy-500.rules[0].then")
            ]
            with pytest.raises(Refused) as refused:
                operator.drafts.save("large", 3, [File("r.yaml", text * 5)])
            assert (refused.value.problem.status, refused.value.problem.code) == (413, "too-large")
            assert operator.drafts.get("large").info.version == 3


def test_a_draft_of_an_older_release_is_told_and_mended(live: Live) -> None:
    old = "caddrel: 0\npolicies:\n  in:\n    mode: live\n    apply: yes\n    rules: [{id: all, then: block}]\n"
    live.data.drafts.begin("old", 1, [("r.yaml", old)], "somebody", live.clock())
    with live.client("publisher") as publisher:
        assert publisher.drafts.look("old", "policies.in").value["apply"] == "yes"
        codes = {d.code for d in publisher.rulebook.check(draft="old").diagnostics}
        assert {"unknown-format", "unknown-key", "wrong-value"} <= codes
        with pytest.raises(Refused) as refused:
            publisher.drafts.publish(publisher.drafts.get("old").info, "as it was")
        assert refused.value.problem.code == "bad-rulebook"
        publisher.drafts.put_value("old", 1, "policies.in", {"mode": "shadow", "rules": [{"then": "block"}]})
        text = publisher.drafts.get("old").files[0].text
        assert "apply" not in text
        publisher.drafts.save("old", 2, [File("r.yaml", text.replace("caddrel: 0", "caddrel: 1"))])
        assert publisher.rulebook.check(draft="old").ok


def test_draft_revision_and_file_stand_for_each_other(live: Live, tmp_path: Path) -> None:
    file = tmp_path / "r.yaml"
    file.write_text(TEXT, encoding="utf-8")
    attempts = tmp_path / "a.ndjson"
    attempts.write_text(
        '{"facts": {"person.id": "key", "app.id": "tower", "operation": "sign-in"}}\n', encoding="utf-8"
    )
    with live.client() as operator:
        operator.drafts.begin("same")
    answers = set()
    # What the service has is decided with its inventory, a file with one that is named.
    inventory = tmp_path / "inventory.json"
    inventory.write_text(run("inventory", "export", env=live.environment()).stdout, encoding="utf-8")
    for given in (str(file), "draft:same", "1", "current"):
        named = ["--inventory", str(inventory)] if given == str(file) else []
        done = run("decide", "--rulebook", given, "--attempts", str(attempts), *named, env=live.environment())
        assert done.returncode == 0, done.stderr
        answers.add(done.stdout)
        assert run("rulebook", "check", given, env=live.environment()).returncode == 0
        done = run("rehearse", "person=key", "app=tower", "--rulebook", given, env=live.environment())
        assert "Tower" in done.stdout
        assert run("rulebook", "compare", given, "1", env=live.environment()).returncode == 0
    assert len(answers) == 1
    for given, code in (("draft:none", 3), ("99", 3), ("none.yaml", 2)):
        done = run("decide", "--rulebook", given, "--attempts", str(attempts), env=live.environment())
        assert done.returncode == code


def test_the_first_revision_is_written_as_a_draft(empty: Live) -> None:
    env = empty.environment()
    begun = run("draft", "begin", "first", env=env)
    assert "before the first revision: nothing changed yet" in begun.stdout
    policy = ("draft", "set", "first", "policies.money")
    assert run(*policy, "apps", "[farebox]", "--new", env=env).returncode == 0
    assert run(*policy, "rules", "[{then: require mfa}]", env=env).returncode == 0
    assert "Farebox" in run("draft", "look", "first", "policies.money", env=env).stdout.replace("farebox", "Farebox")
    assert run("rulebook", "check", "draft:first", env=env).returncode == 0
    with empty.client() as client:
        before = client.rulebook.compare(Side(), Side(draft="first"))
        assert (before.before, [each.change for each in before.objects]) == ("nothing", ["added"])
        shown = client.drafts.get("first")
        assert (shown.info.base, shown.info.behind, [each.path for each in shown.objects]) == (
            0,
            False,
            ["policies.money"],
        )
    started = run("rulebook", "starts", "small-office", env=env).stdout
    assert run("draft", "begin", "other", "-", env=env, stdin=started).returncode == 0
    assert (
        run("draft", "publish", "first", "--why", "the first", env=env).stdout == "Revision 1 is current: the first\n"
    )
    refused = run("draft", "publish", "other", "--why", "too late", env=env)
    assert (refused.returncode, "revision 1" in refused.stderr) == (3, True)
    moved = run("draft", "move", "other", env=env)
    assert moved.returncode == 0, moved.stdout
    assert "on revision 1" in moved.stdout


def test_a_draft_that_changes_nothing_makes_no_revision(live: Live) -> None:
    with live.client() as operator:
        operator.drafts.begin("idle")
        before = operator.rulebook.history()
        info = operator.drafts.get("idle").info
        for publish in (
            lambda: operator.drafts.publish(info, "nothing at all"),
            lambda: operator.drafts.plan(info, "2027-01-04T06:00:00Z", "nothing, later"),
        ):
            with pytest.raises(Refused) as refused:
                publish()
            assert (refused.value.problem.status, refused.value.problem.code) == (409, "nothing-changed")
        assert operator.rulebook.history() == before
        # It is there still, to be written further or discarded.
        assert "idle" in {each.name for each in operator.drafts.all()}
