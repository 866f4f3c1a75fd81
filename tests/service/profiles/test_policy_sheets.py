"""A policy on a page, for somebody who does not know the language; and its reviews."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving

from caddrel.client import Refused
from caddrel.wire.decisions import File

HOSTILE = "<b>x</b> *y* [z](https://example) | `w`"
RULEBOOK = f"""
caddrel: 1
settings: {{contact: help@kelpline.example}}
places:
  office: {{title: The office, networks: [192.0.2.0/24]}}
  quay: {{title: The quay, places: [office], countries: [NO]}}
standards:
  tablet: {{title: Tablet, checks: {{lock: {{title: It locks, must: device.screen_lock, fix: Switch the lock on.}}}}}}
policies:
  crew:
    title: {json.dumps(HOSTILE)}
    mode: enforced
    why: {json.dumps(HOSTILE)}
    owner: Fleet office
    people: [group:crew]
    apps: [post]
    rules:
      - {{id: ashore, when: not from quay, then: block, tell: "Ask {{contact}}."}}
      - {{id: aboard, when: device passes tablet, then: allow}}
      - {{id: else, then: require mfa}}
  other: {{title: Other, mode: shadow, rules: [{{then: abstain}}]}}
rehearsals:
  abroad:
    attempt: {{person.groups: [crew], app.id: post, network.country: SE, network.ip: 198.51.100.1}}
    expect: blocked
"""


@pytest.fixture
def live(tmp_path: Path) -> Iterator[Live]:
    for each in serving(tmp_path / "data"):
        with each.client() as operator:
            operator.groups.import_([b'{"id": "crew", "title": "Crew"}\n'])
            operator.people.import_([b'{"id": "ines", "title": "Ines", "groups": ["crew"]}\n{"id": "bo"}\n'])
            operator.apps.import_([b'{"id": "post", "title": "Post"}\n'])
            operator.rulebook.publish([File("r.yaml", RULEBOOK)], "to begin with")
        yield each


def test_a_sheet_spells_a_policy_out(live: Live) -> None:
    with live.client("viewer") as viewer:
        sheet = viewer.sheets.policy("crew")
        assert (sheet.revision, sheet.owner, sheet.contact) == (1, "Fleet office", "help@kelpline.example")
        assert (sheet.people.count, sheet.people.total, sheet.people.first[0].title) == (1, 2, "Ines")
        assert [(each.kind, each.id) for each in sheet.parts] == [
            ("place", "quay"), ("place", "office"), ("standard", "tablet"),
        ]  # fmt: skip
        assert [each.tell for each in sheet.rules] == ["Ask help@kelpline.example.", "", ""]
        assert [bool(each.when) for each in sheet.rules] == [True, True, False]
        assert [(each.id, each.ok) for each in sheet.rehearsals] == [("abroad", True)]
        assert [each.revision for each in sheet.changes] == [1]
        assert sheet.effect is not None
        assert sheet.effect.people == 0
        assert [each.id for each in viewer.sheets.all().sheets] == ["other", "crew"]
        with pytest.raises(Refused) as refused:
            viewer.sheets.policy("nobody")
        assert refused.value.problem.status == 404


def test_changes_are_those_of_the_policy(live: Live) -> None:
    with live.client() as operator:
        operator.rulebook.publish(
            [File("r.yaml", RULEBOOK.replace("title: Other,", "title: Another,"))], "another title"
        )
        operator.rulebook.publish([File("r.yaml", RULEBOOK.replace("group:crew", "everyone"))], "for everybody")
        assert [(each.revision, each.why) for each in operator.sheets.policy("crew").changes] == [
            (3, "for everybody"), (1, "to begin with"),
        ]  # fmt: skip


def test_a_review_is_of_the_policy_as_it_was(live: Live) -> None:
    def states() -> dict[str, str]:
        with live.client("viewer") as viewer:
            return {each.policy: each.state for each in viewer.sheets.due()}

    with live.client("author") as author, live.client() as operator:
        assert states() == {"crew": "never", "other": "never"}
        digest = author.sheets.policy("crew").digest
        author.sheets.review("crew", digest, "180d", "as agreed")
        assert states()["crew"] == "good"
        # Another layout is the same policy; a part of it that changes is another.
        operator.rulebook.publish([File("r.yaml", RULEBOOK.replace("not from quay", "not  from   quay"))], "spaces")
        assert states()["crew"] == "good"
        operator.rulebook.publish(
            [File("r.yaml", RULEBOOK.replace("192.0.2.0/24", "192.0.2.0/25"))], "a smaller office"
        )
        assert states()["crew"] == "changed"
        with pytest.raises(Refused) as refused:
            author.sheets.review("crew", digest)
        assert refused.value.problem.code == "policy-changed"
        author.sheets.review("crew", author.sheets.policy("crew").digest, "30d")
    live.clock.forward(days=31)
    with live.client("author") as author, live.client() as operator:
        assert states()["crew"] == "due"
        (item,) = [each for each in operator.watch.look().items if each.kind == "review"]
        assert "is to be reviewed again by Fleet office" in "".join(piece.text for piece in item.says)
        for again in ("yesterday", "2020-01-01T00:00:00Z", "-3d"):
            with pytest.raises(Refused) as refused:
                author.sheets.review("crew", author.sheets.policy("crew").digest, again)
            assert refused.value.problem.code == "bad-review"
        assert [each.policy for each in author.sheets.due("fleet OFFICE")] == ["crew"]
    with live.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.sheets.review("crew", digest)
    assert refused.value.problem.status == 403


def test_sheets_are_written_as_documents_that_hold_no_markup_of_users(live: Live, tmp_path: Path) -> None:
    env = live.environment()
    text = run("rulebook", "sheet", "crew", env=env).stdout
    assert r"# \<b\>x\</b\> \*y\* \[z\]" in text
    assert "“Ask help@kelpline.example.”" in text
    for name, begins in (("all.html", b"<!doctype html>"), ("all.md", b"# The rulebook"), ("all.pdf", b"%PDF-")):
        done = run("rulebook", "sheet", "--out", str(tmp_path / name), env=env)
        assert (done.returncode, done.stdout.replace("\n", "")) == (0, f"2 policies are in {tmp_path / name}.")
        assert (tmp_path / name).read_bytes().startswith(begins)
    page = (tmp_path / "all.html").read_text(encoding="utf-8")
    assert "<b>x</b>" not in page
    assert "&lt;b&gt;x&lt;/b&gt;" in page
    assert 'href="#crew"' in page
    again = tmp_path / "again.pdf"
    run("rulebook", "sheet", "--out", str(again), env=env)
    assert again.read_bytes() == (tmp_path / "all.pdf").read_bytes()
    assert run("rulebook", "sheet", "--format", "pdf", env=env).returncode == 2
    assert json.loads(run("rulebook", "sheet", "crew", "--json", env=env).stdout)["id"] == "crew"


def test_reviews_by_command(live: Live) -> None:
    env = live.environment()
    assert run("rulebook", "reviews", "--due", env=env).returncode == 1
    for policy in ("crew", "other"):
        assert run("rulebook", "reviewed", policy, "--again", "90d", env=env).returncode == 0
    done = run("rulebook", "reviews", "--due", "--json", env=env)
    assert (done.returncode, json.loads(done.stdout)) == (0, {"items": []})
