"""Tightening curves over the stored log: each choice against deciding every record alone; as a job, by command."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Caddrel, Refused
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.record import facts_from_json
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.store.queries import Query
from caddrel.wire.decisions import File
from caddrel.wire.limits import Tightening, TighteningRequest
from caddrel.wire.rulebooks import Side

SINCE, UNTIL = "2026-11-06", "2026-11-07"
PATCHED = "standards.crew-tablet.patched"


def _curve(client: Caddrel, request: TighteningRequest) -> Tightening:
    *_, job = client.jobs.follow(client.tightenings.start(request).id)
    assert job.state == "done", job
    return client.tightenings.result(job.id)


def _by_itself(live: Live, text: str) -> dict[str, tuple[str | None, int, int]]:
    """Return by id the person, what came of a record, and what comes of it under a rulebook, one by one."""
    rulebook = read_rulebook(Source("r", text)).or_raise()
    found = {}
    window = Query(since=datetime.fromisoformat(SINCE).replace(tzinfo=UTC), until=datetime(2026, 11, 7, tzinfo=UTC))
    for record in live.data.signins.every(window):
        now = decide(rulebook, facts_from_json(record.facts, rulebook.catalogue)).outcome
        person = record.columns["person"]
        found[record.id] = person, OUTCOMES.index(str(record.columns["outcome"])), OUTCOMES.index(now)
    return found


def test_every_choice_comes_to_what_each_record_comes_to_by_itself(kelpline: Live) -> None:
    text = kelpline.data.rulebooks.need_current().revision.files[0][1]
    with kelpline.client("viewer") as viewer:
        found = _curve(viewer, TighteningRequest(Side(), PATCHED, [], SINCE, UNTIL, fewer_than=2))
    values = [choice.value for choice in found.choices]
    assert {"15", "16"} <= set(values) <= {"14", "15", "15.1", "16"}
    each = {
        value: _by_itself(kelpline, text.replace("is at least 15", f"is at least {value}"))
        for value in ["0", "999999", *values]
    }
    mildest = {id: min(some[id][2] for some in each.values()) for id in each["0"]}
    for choice in found.choices:
        rows = each[choice.value]
        hit = {id for id, (_, before, now) in rows.items() if now > mildest[id] and now > before}
        stopped = {id for id in hit if OUTCOMES[rows[id][2]] == "blocked"}
        people = {rows[id][0] for id in hit} - {None}
        assert (choice.hit.count, choice.hit.people, choice.stopped.count) == (len(hit), len(people), len(stopped))
    assert found.attempts == len(each["0"])
    assert found.nobody == max((c.value for c in found.choices if not c.hit.count), key=float)
    assert [c.value for c in found.choices if c.current] == ["15"]
    assert max(c.hit.people for c in found.choices) > 2
    assert "".join(piece.text for piece in found.sentence).startswith("As it is, 15, ")


def test_a_signal_is_worked_out_anew_and_a_policy_in_shadow_counts(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        asked = TighteningRequest(Side(), "signals.new-country.after", ["1", "30"], SINCE, UNTIL)
        found = _curve(viewer, asked)
        assert found.counted == ["new-countries"]
        assert [choice.value for choice in found.choices] == ["1", "5", "30"]
        limits = {each.address: each for each in viewer.tightenings.limits(Side()).items}
    assert (limits[PATCHED].words, limits[PATCHED].title) == ("device.os_version is at least 15", "Crew tablet")


def test_a_picked_point_changes_the_draft_and_nothing_else(kelpline: Live) -> None:
    with kelpline.client("author") as author, kelpline.client("viewer") as viewer:
        draft = author.drafts.begin("tightened")
        saved = author.tightenings.move("tightened", draft.info.version, PATCHED, "16")
        after = author.drafts.get("tightened")
        assert (saved.path, saved.info.version) == ("standards.crew-tablet", draft.info.version + 1)
        assert after.files[0].text == draft.files[0].text.replace("is at least 15", "is at least 16")
        listed = viewer.tightenings.limits(Side(draft="tightened"))
        assert listed.changed == [PATCHED]
        found = _curve(viewer, TighteningRequest(Side(draft="tightened"), PATCHED, ["15"], SINCE, UNTIL))
        assert (found.draft, found.version) == ("tightened", saved.info.version)
        assert [(choice.value, choice.current) for choice in found.choices] == [("15", False), ("16", True)]
        for seen, value, status, code in (
            (draft.info.version, "17", 412, "draft-changed"),
            (saved.info.version, "sixteen", 422, "bad-rulebook"),
        ):
            with pytest.raises(Refused) as refused:
                author.tightenings.move("tightened", seen, PATCHED, value)
            assert (refused.value.problem.status, refused.value.problem.code) == (status, code)
        with pytest.raises(Refused) as forbidden:
            viewer.tightenings.move("tightened", saved.info.version, PATCHED, "17")
        assert forbidden.value.problem.status == 403
        assert author.drafts.get("tightened").info.version == saved.info.version
        author.drafts.discard("tightened")


@pytest.mark.parametrize(
    ("change", "status", "code"),
    [
        ({"limit": "standards.odd"}, 422, "unknown-limit"),
        ({"choices": ["16", "odd"]}, 422, "wrong-value"),
        ({"choices": [str(n) for n in range(50)]}, 422, "too-many-choices"),
        ({"fewer_than": 0}, 422, "bad-value"),
        ({"where": "device.colour is red"}, 422, "bad-filter"),
        ({"under": Side(draft="nothing")}, 404, "not-found"),
        ({"under": Side(files=[File("r", "policies: 7")])}, 422, "bad-rulebook"),
    ],
)
def test_what_cannot_be_tried_is_refused_at_once(kelpline: Live, change: Any, status: int, code: str) -> None:
    request = TighteningRequest(**{"under": Side(), "limit": PATCHED, "since": SINCE, **change})
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.tightenings.start(request)
    assert (refused.value.problem.status, refused.value.problem.code) == (status, code)


def test_a_large_rulebook_is_read_elsewhere_and_comes_to_the_same(kelpline: Live) -> None:
    text = kelpline.data.rulebooks.need_current().revision.files[0][1]
    large = Side(files=[File("kelpline.yaml", text + "# much is said of it\n" * 3000)])
    with kelpline.client("viewer") as viewer:
        assert kelpline.runtime.checker.is_for(len(large.files[0].text) if large.files else 0)
        found = viewer.tightenings.limits(large).items
        assert [each.address for each in found] == [each.address for each in viewer.tightenings.limits(Side()).items]
        with pytest.raises(Refused) as refused:
            viewer.tightenings.start(TighteningRequest(large, "standards.odd", since=SINCE))
        assert refused.value.problem.code == "unknown-limit"


def test_it_is_cancelled_by_who_began_it_alone(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer, kelpline.client("author") as author:
        job = viewer.tightenings.start(TighteningRequest(Side(), "signals.too-fast.above_kmh", since="2026-10-01"))
        with pytest.raises(Refused) as refused:
            author.tightenings.cancel(job.id)
        assert refused.value.problem.status == 403
        viewer.tightenings.cancel(job.id)
        *_, last = viewer.jobs.follow(job.id)
        assert last.state in {"cancelled", "done"}
        with pytest.raises(Refused) as missing:
            viewer.tightenings.result("nothing-like-it")
        assert missing.value.problem.status == 404


def test_by_command(kelpline: Live) -> None:
    env = {**kelpline.environment(), "COLUMNS": "200"}
    assert f"{PATCHED} " in run("tighten", env=env).stdout
    words = ("tighten", PATCHED, "--since", SINCE, "--until", UNTIL, "--choices", "14,16")
    said = run(*words, env=env)
    assert said.returncode == 0, said.stderr
    assert "as it is" in said.stdout
    told = json.loads(run(*words, "--json", env=env).stdout)
    assert [choice["value"] for choice in told["choices"]] == ["14", "15", "16"]
    assert run("draft", "begin", "by-command", env=env).returncode == 0
    moved = run("tighten", PATCHED, "--under", "draft:by-command", "--set", "16", env=env)
    first = f"{PATCHED} is 16 in draft by-command now, version 2."
    assert moved.stdout.splitlines() == [first, "Whether its texts still fit: caddrel rulebook check draft:by-command"]
    assert run("draft", "discard", "by-command", env=env).returncode == 0
    wrong = run("tighten", PATCHED, "--set", "16", env=env)
    assert (wrong.returncode, "--under draft:NAME" in wrong.stderr) == (2, True)
    unknown = run("tighten", "standards.odd", env=env)
    assert (unknown.returncode, "there is no limit `standards.odd`" in unknown.stderr) == (3, True)
