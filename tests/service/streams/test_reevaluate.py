"""Sessions decided again: by a revision, a person, a device, a schedule, the time; held where many would end."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live, until
from tests.service.streams.conftest import RULEBOOK, signed_in

from caddrel import wiring
from caddrel.client import Caddrel, Refused
from caddrel.core.facts.layers import MOST_ABOVE
from caddrel.core.facts.values import show_moment
from caddrel.core.logs.references import number_for, spelled
from caddrel.service.auth.tokens import make_token
from caddrel.store.door_sessions import put_sessions
from caddrel.wire import authzen
from caddrel.wire.decisions import File
from caddrel.wire.sessions import DoorSession
from caddrel.wire.signins import SessionSince


def _ended(live: Live, session: str) -> str | None:
    found = live.data.door_sessions.get(session)
    assert found is not None
    return found.because if found.ended is not None else None


def _since(live: Live, client: Caddrel, session: str) -> SessionSince:
    """Return what the trace of a sign-in tells of its session."""
    found = live.data.door_sessions.get(session)
    assert found is not None
    since = client.signins.trace(found.signin).session
    assert since is not None
    assert since.id == session
    return since


def _settled(live: Live) -> None:
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    live.runtime.sessions.look()


def _seen_revision(live: Live) -> None:
    number = live.data.rulebooks.need_current().revision.number
    until(lambda: live.data.marks.get("decided-revision") == number)


def _told(live: Live, *kinds: str) -> list[str]:
    return [each.person or each.device for each in live.data.outbox.after(0, "", kinds, 100)]


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
        found = live.data.door_sessions.get(odd)
        assert found is not None
        reference = spelled(number_for(found.signin))
        assert [told["text"] for told in answer.context["tell"][1:]] == [f"Encrypt it. Quote {reference}."]
        client.people.import_([json.dumps({"id": "ines", "groups": ["night"]}).encode()])
        why = until(lambda: _ended(live, ines))
        since = _since(live, client, ines)
        assert (since.because, since.by, bool(since.ended), since.asks) == (why, "decided again", True, [])
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


def test_limits_become_stricter_and_never_longer(live: Live, door: Caddrel) -> None:
    ines, odd = signed_in(door, "ines"), signed_in(door, "odd", device="tab-1")
    _settled(live)
    live.clock.forward(minutes=10)
    with live.client() as client:
        for hours, seconds in (("12h", 43_200), ("40m", 2_400), ("11h", 2_400)):
            revision = RULEBOOK.replace("session_at_most: 12h", f"session_at_most: {hours}")
            client.rulebook.publish([File("r.yaml", f"{revision}# {hours}\n")], "another limit")
            _seen_revision(live)
            found = live.data.door_sessions.get(ines)
            assert found is not None
            assert found.keep["session_at_most"] == seconds
        live.clock.forward(minutes=35)
        assert (_since(live, client, odd).by, _since(live, client, odd).asks) == ("too old", [])
        until(lambda: _ended(live, odd) is not None)
        later = signed_in(door, "odd", device="tab-1")
        live.clock.forward(minutes=5)
        short = RULEBOOK.replace("session_at_most: 12h", "session_at_most: 3m")
        client.rulebook.publish([File("r.yaml", short)], "a limit that is over already")
        assert "its limit is shorter: too old, because of revision" in until(lambda: _ended(live, later))


# What has changed lately is held apart from the rest, until there is too much of it.
@pytest.mark.parametrize("others", [0, MOST_ABOVE])
def test_whoever_leaves_or_whose_membership_ends_is_out_in_time_and_it_is_told(
    live: Live, door: Caddrel, others: int
) -> None:
    # What nobody waits for is taken out: here it is looked at.
    live.runtime.delivery.stop()
    ends = [show_moment(live.clock.now + timedelta(minutes=minutes)) for minutes in (20, 30)]
    people: list[dict[str, Any]] = [{"id": f"other-{n}"} for n in range(others)]
    people += [{"id": "ines", "groups": [{"id": "crew", "until": ends[0]}]}, {"id": "odd", "off": ends[1]}]
    with live.client() as client:
        client.people.import_(json.dumps(each).encode() + b"\n" for each in people)
    _settled(live)
    ines, odd = signed_in(door, "ines"), signed_in(door, "odd", device="tab-1")
    before = len(_told(live, "token-claims-change"))
    live.clock.forward(minutes=21)
    assert "crew-only" in until(lambda: _ended(live, ines))
    assert _ended(live, odd) is None
    until(lambda: _told(live, "token-claims-change")[before:] == ["ines"])
    live.clock.forward(minutes=10)
    until(lambda: _ended(live, odd) is not None)
    until(lambda: _told(live, "account-disabled") == ["odd"])


def test_another_standard_is_told_of_devices_and_a_device_put_on_the_list_is_known_by_its_serial_number(
    live: Live,
) -> None:
    live.runtime.delivery.stop()
    believed = ("person.id", "app.id", "device", "network.country", "auth.methods")
    with (
        live.client() as client,
        Caddrel(live.url, make_token(live.data, "gate", "door", 30, "tests", believed, True)[1]) as gate,
    ):
        own = (
            "  no-own-devices: {mode: enforced, apps: [post], rules: [{when: device.owner is personal, then: block}]}\n"
        )
        client.rulebook.publish([File("r.yaml", RULEBOOK + own)], "no own devices at the post")
        _seen_revision(live)
        told = {"device.serial": "KL-7", "network.country": "NO", "auth.methods": {"pwd": 5, "otp": 1}}
        who, what = authzen.Entity("person", "ines"), authzen.Entity("app", "post")
        answer = gate.access.evaluate(authzen.Evaluation(who, authzen.Action("sign-in"), what, told))
        assert answer.decision, answer.context
        ines = str(answer.context["session"]["id"])
        client.devices.import_([json.dumps({"id": "own-7", "serial": "KL-7", "owner": "personal"}).encode()])
        assert "no-own-devices" in until(lambda: _ended(live, ines))
        stricter = RULEBOOK.replace("must: device.encrypted", "must: device.encrypted and device.screen_lock")
        client.devices.import_([b'{"id": "tab-0", "screen_lock": false}'])
        client.rulebook.publish([File("r.yaml", stricter)], "screens are locked")
        until(lambda: _told(live, "device-compliance-change") == ["tab-0"])


def test_whoever_was_stored_late_is_looked_at_once_more_and_what_is_held_stays_held(live: Live, door: Caddrel) -> None:
    live.data.settings.hold_sessions = 0
    ines = signed_in(door, "ines")
    _settled(live)
    with live.client() as client:
        client.people.import_([json.dumps({"id": "ines", "risk": "high"}).encode()])
        (first,) = until(client.sessions.held)
        # Let in by what was so a moment ago, and stored only now.
        late = live.data.door_sessions.get(ines)
        assert late is not None
        with live.data.door_sessions._database.write() as connection:
            put_sessions(connection, [replace(late, id="in-late", person="odd", held=None)])
        live.data.inventory.merge("people", "odd", {"risk": "high"}, live.clock.now)
        _settled(live)
        live.clock.forward(seconds=4)
        live.runtime.sessions.look()
        held = {(each.number, s.id) for each in client.sessions.held() for s in each.sessions}
        assert (first.number, ines) in held
        assert sorted(id for _, id in held) == sorted([ines, "in-late"])


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
        assert {s.held for s in client.sessions.all()} == {change.number}
        assert _since(live, client, ines).held == change.number
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
        # What was spared waits for nobody.
        assert {s.held for s in client.sessions.all()} == {None}
        assert _since(live, client, mine[0]).held is None
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
