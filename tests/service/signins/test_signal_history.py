"""Signals over the log: the same whatever order records come in, and what a late record changes."""

from __future__ import annotations

import io
import json
import random
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from tests.conftest import Live, serving

from caddrel import wiring
from caddrel.client import Caddrel
from caddrel.core.columnar.fact_groups import split
from caddrel.core.decide.decision import Decision, Shadow
from caddrel.core.facts.facts import Origin
from caddrel.core.facts.record import facts_from_json, facts_json
from caddrel.demo.fill import ADDRESSES
from caddrel.service.auth.tokens import make_token
from caddrel.service.signins import importer, line_stream, recompute
from caddrel.service.signins.recompute import catch_up
from caddrel.service.signins.record_encoding import decided_of, lists_of, recorded_of, signin_of
from caddrel.service.state import rulebook_cache
from caddrel.store.new_signins import NewSignins
from caddrel.store.signins import SigninRecord
from caddrel.wire import authzen
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
signals:
  new-device: {kind: first-seen, of: device.id, history: 5}
  too-fast: {kind: travel-speed, above_kmh: 900, history: 5}
  guessing: {kind: failed-attempts, at_least: 2, within: 30m, history: 9}
policies:
  unusual:
    mode: enforced
    rules:
      - {id: guessed, when: surely signals has guessing, then: block}
      - {id: new, when: "surely signals has any of [new-device, too-fast]", then: require mfa}
"""
START = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)
PLACES = ("192.0.2.83", "203.0.113.10", "198.51.100.90", "203.0.113.201")


@pytest.fixture
def service(tmp_path: Path) -> Iterator[Live]:
    for live in serving(tmp_path / "data", address_files=[ADDRESSES]):
        live.clock.now = START - timedelta(days=1)
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
        live.clock.now = START + timedelta(days=30)
        yield live


def _lines(count: int, seed: int) -> list[bytes]:
    rng = random.Random(seed)
    found = []
    for i in range(count):
        facts: dict[str, Any] = {
            "person.id": rng.choice(["ines.faro", "odd.vik"]),
            "time.at": (START + timedelta(minutes=rng.randrange(count * 4))).isoformat(),
            "device.id": rng.choice(["t1", "t1", "t1", "t2", "t3"]),
            "network.ip": rng.choice(PLACES),
            "auth.credentials": rng.choice(["right", "right", "wrong"]),
            "auth.methods": rng.choice([["pwd"], ["pwd", "otp"]]),
        }
        found.append(json.dumps({"id": f"s-{i:03}", "facts": facts}).encode() + b"\n")
    return sorted(found, key=lambda line: (json.loads(line)["facts"]["time.at"], json.loads(line)["id"]))


def _all(live: Live) -> dict[str, SigninRecord]:
    found: dict[str, SigninRecord] = {}
    for person in ("ines.faro", "odd.vik"):
        found |= {r.id: r for r in live.data.signins.of_person(person, START)}
    return found


def _told(records: dict[str, SigninRecord]) -> dict[str, Any]:
    return {id: (r.facts, r.decision, dict(r.columns)) for id, r in records.items()}


def test_the_order_in_which_records_come_changes_nothing(service: Live, tmp_path: Path) -> None:
    lines = _lines(180, 4)
    with service.client() as client:
        assert client.signins.import_(lines).added == 180
    expected = _told(_all(service))
    outcomes = {decision["outcome"] for _, decision, _ in expected.values()}
    assert outcomes == {"allowed", "challenged", "blocked"}
    rng = random.Random(1)
    shuffled = rng.sample(lines, len(lines))
    few = [shuffled[i : i + 1 + i % 5] for i in range(0, len(shuffled), 3)]
    for i, parts in enumerate(([lines[::-1]], [shuffled], [lines[1::2], lines[::2]], [*few, shuffled])):
        for live in serving(tmp_path / f"data-{i}", address_files=[ADDRESSES]):
            live.clock.now = START - timedelta(days=1)
            with live.client() as client:
                client.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
                live.clock.now = START + timedelta(days=20)
                for part in parts:
                    client.signins.import_(part)
            assert _told(_all(live)) == expected


@pytest.mark.parametrize("forgotten", [0, 1, 2, 5])
def test_doors_have_their_turn_between_those_of_an_import_and_nothing_is_missed(
    service: Live, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, forgotten: int
) -> None:
    lines = _lines(120, 9)
    with service.client() as client:
        client.signins.import_(lines)
    expected = _told(_all(service))
    monkeypatch.setattr(importer, "LONGEST_TURN", 0.0)
    monkeypatch.setattr(importer, "LEAST_TURN", 7)
    monkeypatch.setattr(importer, "BESIDE_DOORS", 50)
    for live in serving(tmp_path / "other", address_files=[ADDRESSES]):
        live.clock.now = START - timedelta(days=1)
        log, turns = live.runtime.log, 0

        def give_way() -> None:
            nonlocal turns
            turns += 1
            assert log.deciding.acquire(blocking=False)  # noqa: B023 - done by then
            log.deciding.release()  # noqa: B023
            if forgotten and turns % forgotten == 0:
                # Somebody else let go of what is remembered, also of what is decided and nowhere else yet.
                log.lost([])  # noqa: B023

        monkeypatch.setattr(log, "give_way", give_way)
        monkeypatch.setattr(log, "asked", lambda: True)
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
            live.clock.now = START + timedelta(days=20)
            assert client.signins.import_(lines).added == 120
        assert turns >= 120 // 7
        assert _told(_all(live)) == expected


def test_revisions_that_no_record_is_of_are_not_read(service: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    lines = _lines(60, 5)
    with service.client() as client:
        for i in range(4 * rulebook_cache.MOST_READ):
            client.rulebook.publish([File("r.yaml", f"{RULEBOOK}\n# {i}\n")], f"again {i}")
            service.clock.now += timedelta(seconds=1)
        read: list[int] = []
        published = service.data.rulebooks._published

        def noted(number: int) -> Any:
            read.append(number)
            return published(number)

        monkeypatch.setattr(service.data.rulebooks, "_published", noted)
        service.data.rulebooks._read.clear()
        # Half of them come late, so that much is worked out again: of many people, each with few revisions to read.
        client.signins.import_(lines[1::2])
        client.signins.import_(lines[::2])
    assert {record.columns["revision"] for record in _all(service).values()} <= set(read)
    # Others read as well meanwhile: what is proven of the newest ones.
    assert len(read) <= 2 * rulebook_cache.MOST_READ


def test_late_records_change_only_what_comes_out_otherwise(service: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recompute, "AT_ONCE", 7)
    written: list[str] = []
    replace = service.data.signins.replace

    def noted(changed: Any) -> None:
        written.extend(old.id for old, _ in changed)
        replace(changed)

    monkeypatch.setattr(service.data.signins, "replace", noted)
    lines = _lines(120, 3)
    late = 60
    with service.client() as client:
        client.signins.import_([*lines[:late], *lines[late + 1 :]])
        assert written == []
        before = _told(_all(service))
        client.signins.import_(lines[late : late + 1])
        after = _told(_all(service))
    # The late one itself looked back at what is kept of the newest alone.
    mine = json.loads(lines[late])["id"]
    assert {id for id in before if before[id] != after[id]} == set(written) - {mine}
    assert 1 < len(written) < 60


def test_doors_decide_while_much_is_worked_out_again(service: Live) -> None:
    token = make_token(service.data, "front", "door", 30, "tests")[1]
    person = authzen.Entity("person", "odd.vik")

    def asked(device: str) -> authzen.Evaluation:
        context = {"device.id": device, "auth.credentials": "right", "network.country": "NO"}
        return authzen.Evaluation(person, authzen.Action("sign-in"), authzen.Entity("app", "post"), context)

    lines = [line for line in _lines(1200, 8) if b"odd.vik" in line]
    told: dict[str, bool] = {}
    with service.client() as client, Caddrel(service.url, token) as door, ThreadPoolExecutor(1) as pool:
        # What comes first in time comes last, so that everything after it is due while the door asks.
        client.signins.import_(lines[1:])
        first = pool.submit(client.signins.import_, lines[:1])
        while len(told) < 5 or not first.done():
            service.clock.forward(seconds=1)
            answer = door.access.evaluate(asked(f"t{len(told) % 4}"))
            told[answer.context["id"]] = answer.decision
        with service.runtime.log.importing:
            catch_up(service.data, service.runtime.log)
    stored = {record.id: record for record in service.data.signins.of_person("odd.vik", START)}
    assert {id: stored[id].columns["outcome"] == "allowed" for id in told} == told
    with service.runtime.log.importing:
        service.data.signins.add(NewSignins(), {"odd.vik": START - timedelta(days=1)})
        # From the beginning, with nothing else going on, it comes to the same.
        assert catch_up(service.data, service.runtime.log) == 0


class _Disturbed(io.BytesIO):
    """A log; while it is read, somebody else has the recent attempts of everybody read anew."""

    def __init__(self, lines: list[bytes], live: Live) -> None:
        super().__init__(b"".join(lines))
        self._live = live

    def read(self, size: int | None = -1) -> bytes:
        with self._live.runtime.log.deciding:
            self._live.runtime.log.histories.clear()
        return super().read(2_000 if size is None or size > 2_000 else size)


def test_records_that_are_not_stored_yet_are_looked_back_at(
    service: Live, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    lines = _lines(300, 5)
    with service.client() as client:
        client.signins.import_(lines)
    monkeypatch.setattr(line_stream, "PIECE", 1_500)
    monkeypatch.setattr(importer, "TOGETHER", 50)
    for live in serving(tmp_path / "disturbed", address_files=[ADDRESSES]):
        live.clock.now = START - timedelta(days=1)
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
        live.clock.now = START + timedelta(days=20)
        assert importer.Importer(live.data, live.runtime.log).run(_Disturbed(lines, live)).added == 300
        assert _told(_all(live)) == _told(_all(service))


def test_what_is_due_is_done_when_the_service_starts_again(service: Live) -> None:
    lines = _lines(60, 9)
    with service.client() as client:
        client.signins.import_(lines)
    expected = _told(_all(service))
    data = service.data
    # As an import leaves it that was cut off after storing a late record.
    rulebook = data.rulebooks.need_current().rulebook
    nothing = Decision("allowed", None, True, (), (), (), (), {}, Shadow({}, "allowed"), (), 1)
    for record in _all(service).values():
        facts = facts_from_json(record.facts, rulebook.catalogue)
        del facts.values["signals"]
        facts.noticed = {}
        apart = split(facts_json(facts, lists_of(rulebook)))
        broken = signin_of(record.id, record.at, facts, apart, recorded_of({}), decided_of(nothing, ""), None, 1, b"")
        data.signins.replace([(record, broken)])
    assert _told(_all(service)) != expected
    data.signins.add(NewSignins(), {"ines.faro": START, "odd.vik": START})
    again = wiring.open_data(service.folder, service.clock, address_files=[ADDRESSES])
    assert again.runtime.data.signins.due() == []
    again.close()
    assert _told(_all(service)) == expected


def test_a_rehearsal_looks_back_as_the_door_would(service: Live) -> None:
    at = START + timedelta(days=20)
    past = {"person.id": "ines.faro", "device.id": "t1", "auth.credentials": "right"}
    line = {"id": "s-1", "facts": {**past, "time.at": at.isoformat(), "network.ip": "192.0.2.83"}}
    with service.client() as client:
        client.signins.import_([json.dumps(line).encode()])
        given = {"person": "ines.faro", "device": "t9", "network.ip": "203.0.113.10"}
        later = (at + timedelta(minutes=24)).isoformat()
        trace = client.rehearse({**given, "time.at": later}).trace
        assert (trace.facts["signals"].value, trace.facts["signals"].origin) == (["new-device", "too-fast"], "computed")
        assert trace.signals["too-fast"].why["from"] == "s-1"
        words = "".join(piece.text for piece in trace.signals["too-fast"].summary)
        assert words == "1,031 km in 24m since s-1: 2,578 km/h; fires above 900 km/h"
        before = client.rehearse({**given, "time.at": at.isoformat()}).trace
        assert before.facts["signals"].value == []
        said = client.rehearse({**given, "time.at": later, "signals": "guessing"}).trace.facts["signals"]
        assert (said.value, Origin(said.origin)) == (["guessing"], Origin.REPORTED)
        open_ = client.rehearse(given)
        assert open_.trace.signals["new-device"].truth == "unknown"


def test_now_looks_back_under_the_new_rulebook(service: Live) -> None:
    with service.client() as client:
        client.signins.import_(_lines(40, 2))
        service.clock.now += timedelta(days=1)
        far = RULEBOOK.replace("above_kmh: 900", "above_kmh: 900000").replace("new-device, too-fast", "too-fast")
        client.rulebook.publish([File("r.yaml", far)], "nobody travels that fast")
        hit = next(
            record
            for record in _all(service).values()
            if record.columns["outcome"] == "challenged" and record.facts["values"]["signals"][1] == ["new-device"]
        )
        trace = client.signins.trace(hit.id)
        assert trace.same
        assert trace.now is not None
        assert (trace.decision.outcome, trace.now.decision.outcome) == ("challenged", "allowed")
