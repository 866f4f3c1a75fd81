"""The stored log under another rulebook: against deciding each record alone; and as a job, over the network."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Caddrel, Refused
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import facts_from_json
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.replay import sides
from caddrel.service.replay.log_replay import LogReplay
from caddrel.service.replay.sides import Under
from caddrel.service.signins.signal_history import notice_now
from caddrel.store.queries import Query
from caddrel.wire.decisions import File
from caddrel.wire.jobs import Job
from caddrel.wire.replays import ReplayRequest
from caddrel.wire.rulebooks import Side

SINCE, UNTIL = datetime(2026, 11, 6, tzinfo=UTC), datetime(2026, 11, 7, tzinfo=UTC)


def _text(live: Live) -> str:
    return live.data.rulebooks.need_current().revision.files[0][1]


CHANGES: dict[str, Callable[[str], str]] = {
    "as it is": lambda text: text,
    "a standard": lambda text: text.replace("at least 15", "at least 16"),
    "an assumption": lambda text: text.replace("risk.attempt: none", "risk.attempt: high"),
    "no assumption": lambda text: text.replace("    network.anonymiser: none\n", "", 1),
    "a signal": lambda text: text.replace("above_kmh: 900", "above_kmh: 90"),
}


def _facts(live: Live, record: Any, rulebook: Rulebook, signals: bool) -> Facts:
    """Return the facts of a record under a rulebook, made one by one and without columns."""
    facts = facts_from_json(record.facts, rulebook.catalogue)
    for name in [name for name in facts.values if facts.origins[name] is Origin.ASSUMED]:
        del facts.values[name]
    for name, value in rulebook.settings.assume.items():
        if name not in facts.values and name not in facts.not_understood:
            facts.values[name], facts.origins[name] = value, Origin.ASSUMED
    if facts.origins.get("auth.age") is not Origin.REPORTED:
        age = rulebook.settings.assume.get("auth.age")
        facts.default_age = age if isinstance(age, int | float) else None
    if signals:
        notice_now(live.data, rulebook, facts, record.id)
    return facts


@pytest.mark.parametrize("change", list(CHANGES))
def test_a_replay_comes_to_what_each_record_comes_to_by_itself(kelpline: Live, change: str) -> None:
    text = CHANGES[change](_text(kelpline))
    assert (text != _text(kelpline)) is (change != "as it is")
    rulebook = read_rulebook(Source("r", text)).or_raise()
    replay = LogReplay(kelpline.data, Query(since=SINCE, until=UNTIL), None, Under(rulebook))
    told: list[int] = []
    found = {each.id: (each.before, each.after, each.because) for each in replay.run(told.append)}
    records = list(kelpline.data.signins.every(Query(since=SINCE, until=UNTIL)))
    assert told[-1] == replay.tally.attempts.count == len(records) > 400
    flows: Counter[tuple[str, str]] = Counter()
    expected = {}
    for record in records:
        decision = decide(rulebook, _facts(kelpline, record, rulebook, change == "a signal"))
        before = str(record.columns["outcome"])
        flows[before, decision.outcome] += 1
        if before != decision.outcome:
            expected[record.id] = (before, decision.outcome)
    assert {id: pair[:2] for id, pair in found.items()} == expected
    assert {pair: each.count for pair, each in replay.tally.flows.items()} == dict(flows)
    assert expected


def test_records_of_another_meaning_are_decided_by_the_present_one(
    kelpline: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sides, "MEANING", 99)
    rulebook = kelpline.data.rulebooks.need_current().rulebook
    window = Query(since=SINCE, until=SINCE + timedelta(hours=6))
    replay = LogReplay(kelpline.data, window, None, Under(rulebook))
    assert list(replay.run(lambda done: None)) == []
    # They mean the same in truth: nothing differs for the meaning alone.
    assert (replay.tally.meaning, replay.tally.same) == (0, replay.tally.attempts.count)


def _done(client: Caddrel, job: Job) -> Job:
    *_, last = client.jobs.follow(job.id)
    return last


def _asked(under: Side, rulebook: Side | None = None, where: str = "", inventory: str = "then") -> ReplayRequest:
    return ReplayRequest(under, rulebook, "2026-11-06", "2026-11-07", where, inventory)


def test_a_draft_is_replayed_as_a_job_and_kept_until_it_changes(kelpline: Live) -> None:
    text = CHANGES["a standard"](_text(kelpline))
    with kelpline.client("author") as author:
        draft = author.drafts.begin("replayed-standard").info
        saved = author.drafts.save("replayed-standard", draft.version, [File("kelpline.yaml", text)]).info
        assert author.replays.of_draft("replayed-standard").result is None
        job = _done(author, author.replays.start(_asked(Side(draft="replayed-standard"))))
        assert (job.state, job.kind) == ("done", "replay")
        found = author.replays.result(job.id)
        assert (found.draft, found.version) == ("replayed-standard", saved.version)
        changed = [json.loads(line) for line in b"".join(author.replays.changed(job.id)).splitlines()]
        assert len(changed) == found.changed.count > 0
        assert {line["person"] for line in changed} == {hit.person for hit in found.hit}
        assert all(line["because"] for line in changed)
        assert sum(flow.count for flow in found.flows) == found.attempts
        hit = found.hit[0]
        assert hit.fixes == ["Install the system update to Android 15, then restart the tablet."]
        assert "would be stopped" in "".join(piece.text for piece in found.sentence)
        assert author.replays.of_draft("replayed-standard").stale is False
        author.drafts.save("replayed-standard", saved.version, [File("kelpline.yaml", _text(kelpline))])
        kept = author.replays.of_draft("replayed-standard")
        assert kept.result is not None
        assert (kept.stale, kept.result.version) == (True, saved.version)
        # One rulebook against another, and only some of the log.
        asked = _asked(Side(), Side(revision=1), "app.id is manifest")
        both = author.replays.result(_done(author, author.replays.start(asked)).id)
        assert (both.rulebook, both.meaning) == ("revision 1", 0)
        assert 0 < both.attempts < found.attempts
        now = author.replays.start(_asked(Side(), inventory="now"))
        assert _done(author, now).state == "done"
        author.drafts.discard("replayed-standard")


@pytest.mark.parametrize(
    ("request_", "status", "code"),
    [
        (ReplayRequest(Side(draft="nothing")), 404, "not-found"),
        (ReplayRequest(Side(revision=999)), 404, "not-found"),
        (ReplayRequest(Side(), inventory="tomorrow"), 422, "bad-replay"),
        (ReplayRequest(Side(), where="device.colour is red"), 422, "bad-filter"),
        (ReplayRequest(Side(), since="lately"), 400, "bad-parameter"),
        (ReplayRequest(Side(files=[File("r.yaml", "policies: 7")])), 422, "bad-rulebook"),
    ],
)
def test_what_cannot_be_replayed_is_refused_at_once(
    kelpline: Live, request_: ReplayRequest, status: int, code: str
) -> None:
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.replays.start(request_)
    assert (refused.value.problem.status, refused.value.problem.code) == (status, code)


def test_texts_are_made_from_a_template_that_names_what_there_is(kelpline: Live) -> None:
    text = CHANGES["a standard"](_text(kelpline))
    with kelpline.client("viewer") as viewer:
        job = _done(viewer, viewer.replays.start(_asked(Side(files=[File("r.yaml", text)]))))
        hit = viewer.replays.result(job.id).hit
        made = viewer.replays.letters(job.id)
        assert [each.person for each in made.items] == [each.person for each in hit]
        assert all(hit[0].title in made.items[0].text for _ in made.items)
        [one] = viewer.replays.letters(job.id, "{person}: {needs}", hit[1].person).items
        assert one.text == f"{hit[1].person}: - {hit[1].needs[0]}"
        for template in ("{nmae}", "x" * 20_001):
            with pytest.raises(Refused) as refused:
                viewer.replays.letters(job.id, template)
            assert (refused.value.problem.status, refused.value.problem.code) == (422, "bad-template")


def test_a_replay_is_cancelled_by_who_began_it_alone(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer, kelpline.client("author") as author:
        job = viewer.replays.start(ReplayRequest(Side(), since="2026-10-01"))
        with pytest.raises(Refused) as refused:
            author.replays.cancel(job.id)
        assert refused.value.problem.status == 403
        second = viewer.replays.start(ReplayRequest(Side(), since="2026-10-01"))
        # Jobs wait for one another, so nobody may fill the row.
        with pytest.raises(Refused) as many:
            viewer.replays.start(ReplayRequest(Side(), since="2026-10-01"))
        assert (many.value.problem.status, many.value.problem.code) == (429, "too-many-at-once")
        viewer.replays.cancel(second.id)
        viewer.replays.cancel(job.id)
        assert _done(viewer, job).state in {"cancelled", "done"}
        with pytest.raises(Refused) as missing:
            viewer.replays.result("nothing-like-it")
        assert missing.value.problem.status == 404


def test_by_command_with_whom_to_tell(kelpline: Live, tmp_path: Any) -> None:
    book, out = tmp_path / "new.yaml", tmp_path / "tell"
    book.write_text(CHANGES["a standard"](_text(kelpline)), encoding="utf-8")
    words = ("replay", "--under", str(book), "--since", "2026-11-06", "--until", "2026-11-07")
    env = {**kelpline.environment(), "COLUMNS": "200"}
    said = run(*words, env=env)
    assert said.returncode == 0, said.stderr
    assert "would be stopped who" in said.stdout
    assert "Passenger manifests open only on company devices / below-standard" in said.stdout
    told = json.loads(run(*words, "--json", env=env).stdout)
    lines = run(*words, "--changed", env=env).stdout.splitlines()
    assert len(lines) == told["changed"]["count"]
    assert set(json.loads(lines[0])) == {"id", "person", "device", "from", "to", "because"}
    letters = run(*words, "--out", str(out), env=env)
    assert f"{len(told['hit'])} people to tell" in letters.stdout
    rows = (out / "people.csv").read_text(encoding="utf-8").splitlines()
    assert len(rows) == len(told["hit"]) + 1
    letter = (out / f"{told['hit'][0]['person']}.txt").read_text(encoding="utf-8")
    assert "Install the system update" in letter
    assert told["hit"][0]["title"] in letter
    template = tmp_path / "template.txt"
    template.write_text("Dear {nmae}", encoding="utf-8")
    wrong = run(*words, "--out", str(out), "--template", str(template), env=env)
    assert (wrong.returncode, "{nmae}" in wrong.stderr) == (2, True)
