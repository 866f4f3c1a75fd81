"""Sessions decided again: by a revision, a person, a device, a schedule, the time; held where many would end."""

from __future__ import annotations

import json

import pytest
from tests.command import run
from tests.conftest import Live, until
from tests.service.streams.conftest import RULEBOOK, signed_in

from caddrel import wiring
from caddrel.client import Caddrel, Refused
from caddrel.wire import authzen
from caddrel.wire.decisions import File
from caddrel.wire.sessions import DoorSession


def _ended(live: Live, session: str) -> str | None:
    found = live.data.door_sessions.get(session)
    assert found is not None
    return found.because if found.ended is not None else None


def test_a_change_ends_the_sessions_that_hang_on_it_and_no_others(live: Live, door: Caddrel) -> None:
    ines, odd, kari = (
        signed_in(door, "ines"),
        signed_in(door, "odd", device="tab-1"),
        signed_in(door, "kari", "post", "tab-2"),
    )
    # The fixture's own changes are looked at by now.
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    before = live.runtime.sessions.decided
    with live.client() as client:
        client.devices.import_([json.dumps({"id": "tab-1", "encrypted": False}).encode()])
        why = until(lambda: _ended(live, odd))
        assert "till-on-tidy-devices / untidy" in why
        assert "devices tab-1" in why
        assert (_ended(live, ines), _ended(live, kari)) == (None, None)
        # Only what the change touches is decided again.
        assert live.runtime.sessions.decided - before == 1
        answer = door.access.evaluate(
            authzen.Evaluation(
                authzen.Entity("person", "odd"), authzen.Action("sign-in"), authzen.Entity("app", "till"),
                {"session": {"id": odd}},
            )
        )  # fmt: skip
        assert answer.context["session"]["ended"] == "decided again"
        assert "changed since you signed in" in answer.context["tell"][0]["text"]
        client.people.import_([json.dumps({"id": "ines", "groups": ["night"]}).encode()])
        why = until(lambda: _ended(live, ines))
        assert "crew-only" in why
        assert "people ines changed" in why
        # Written down once it is done.
        until(lambda: len([e for e in live.data.audit.page() if e.did == "decided sessions again"]) == 2)
        entry = live.data.audit.page()[0]
        assert (entry.who, entry.did) == ("Caddrel", "decided sessions again")


def test_what_needs_another_proof_is_asked_for_at_the_next_request(live: Live, door: Caddrel) -> None:
    ines = signed_in(door, "ines")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    live.clock.forward(minutes=70)

    def asked() -> DoorSession | None:
        with live.client() as client:
            return next((s for s in client.sessions.all() if s.id == ines and s.asks), None)

    found = until(asked)
    assert found.asks == ["mfa within 1h"]
    assert "till-on-tidy-devices / fresh, because of time" in found.because
    told = {
        "session": {"id": ines},
        "device.id": "tab-0",
        "network.country": "NO",
        "auth.methods": {"pwd": 2, "otp": 1},
    }
    again = authzen.Evaluation(
        authzen.Entity("person", "ines"), authzen.Action("sign-in"), authzen.Entity("app", "till"), told
    )
    assert door.access.evaluate(again).decision
    with live.client() as client:
        assert [s.asks for s in client.sessions.all() if s.id == ines] == [[]]
    live.clock.forward(hours=12)
    until(lambda: _ended(live, ines))
    found_now = live.data.door_sessions.get(ines)
    assert found_now is not None
    assert found_now.ended_by == "too old"


def test_a_schedule_that_closes_ends_what_it_had_open(live: Live, door: Caddrel) -> None:
    post = signed_in(door, "ines", "post")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    live.runtime.sessions.look()
    live.clock.forward(hours=12)
    assert "post-by-day / closed" in until(lambda: _ended(live, post))


def test_what_would_end_an_administrators_session_is_looked_at_first(live: Live, door: Caddrel) -> None:
    ines, kari = signed_in(door, "ines"), signed_in(door, "kari", device="tab-2")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    stricter = RULEBOOK.replace("has none of [crew]", "has none of [night]")
    env = live.environment()
    with live.client() as client:
        client.rulebook.publish(
            [File("r.yaml", stricter)], "the till is for the night watch", accept_lockout_risk="try"
        )
        (change,) = until(client.sessions.held)
        assert {session.id for session in change.sessions} == {ines, kari}
        assert "those who administer: kari" in change.why
        assert "revision 2, published by" in change.because
        assert (_ended(live, ines), _ended(live, kari)) == (None, None)
        told = run("sessions", "held", env=env)
        assert (told.returncode, "of ines, kari" in told.stdout) == (1, True)
        # The time alone does not carry out what is held.
        live.clock.forward(minutes=20)
        live.runtime.sessions.look()
        assert (_ended(live, ines), _ended(live, kari)) == (None, None)
        done = run("sessions", "decide", str(change.number), "--carry-out", env=env)
        assert "2 sessions" in done.stdout, done.stderr
        assert "looked at by" in (_ended(live, kari) or "")
        with pytest.raises(Refused, match="has decided") as refused:
            client.sessions.decide(change.number, carry_out=False)
        assert refused.value.problem.code == "decided-already"
        with pytest.raises(Refused, match="no held change"):
            client.sessions.decide(99, carry_out=False)
        assert run("sessions", "held", env=env).returncode == 0


def test_a_change_that_would_end_many_is_held_and_can_be_spared(live: Live, door: Caddrel) -> None:
    live.data.settings.hold_sessions = 1
    mine = [signed_in(door, "ines"), signed_in(door, "odd", device="tab-1")]
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    with live.client() as client:
        stricter = RULEBOOK.replace("has none of [crew]", "has none of [night]")
        client.rulebook.publish([File("r.yaml", stricter)], "stricter", accept_lockout_risk="try")
        (change,) = until(client.sessions.held)
        assert "more than 1 are looked at first" in change.why
        assert client.sessions.decide(change.number, carry_out=False).verdict == "spared"
        live.clock.forward(minutes=20)
        live.runtime.sessions.look()
        assert [_ended(live, session) for session in mine] == [None, None]
        # Something else changes for one of them: that one is decided again.
        client.people.import_([json.dumps({"id": "ines", "risk": "high"}).encode()])
        assert "risky / high" in until(lambda: _ended(live, mine[0]))
        assert _ended(live, mine[1]) is None


def test_what_was_missed_while_the_service_was_down_is_looked_at(live: Live, door: Caddrel) -> None:
    ines = signed_in(door, "ines")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    live.runtime.sessions.stop()
    with live.client() as client:
        client.people.import_([json.dumps({"id": "ines", "risk": "high"}).encode()])
    assert _ended(live, ines) is None
    live.runtime.sessions._stopped.clear()
    live.runtime.sessions.begin()
    assert "risky / high" in until(lambda: _ended(live, ines))


def test_a_command_beside_the_service_decides_no_sessions(live: Live, door: Caddrel) -> None:
    ines = signed_in(door, "ines")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    live.runtime.sessions.stop()
    with live.client() as client:
        client.people.import_([json.dumps({"id": "ines", "risk": "high"}).encode()])
    # It is opened as commands of the host open it.
    beside = wiring.open_data(live.folder, live.clock)
    assert beside.runtime.sessions._thread is None
    assert beside.runtime.delivery._threads == []
    beside.close()
    assert _ended(live, ines) is None
