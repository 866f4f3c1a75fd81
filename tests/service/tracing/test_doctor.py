"""What the doctor says of an empty service, one without address data, and one that is well."""

from __future__ import annotations

from pathlib import Path

from tests.command import run
from tests.conftest import Live, serving

from caddrel.demo.fill import RULEBOOK
from caddrel.wire.decisions import File


def _states(live: Live) -> dict[str, str]:
    with live.client("viewer") as client:
        return {symptom.about: symptom.state for symptom in client.examine().symptoms}


def test_an_empty_service_lacks_everything(empty: Live) -> None:
    states = _states(empty)
    assert states == {
        "rulebook": "bad", "address data": "doubtful", "inventory": "doubtful", "log": "doubtful", "disk": "good",
    }  # fmt: skip
    done = run("doctor", env=empty.environment())
    assert done.returncode == 1
    assert "publish one: caddrel rulebook publish" in done.stdout


def test_without_address_data_it_says_what_stays_unknown(tmp_path: Path) -> None:
    for live in serving(tmp_path / "data"):
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK.read_text(encoding="utf-8"))], "first")
            found = {symptom.about: symptom for symptom in client.examine().symptoms}
        asked = "coordinates, network.anonymiser, network.asn, network.country"
        assert f"the rulebook asks for {asked}." in found["address data"].says
        assert found["keyholders"].state == "bad"


def test_the_demo_is_well(kelpline: Live) -> None:
    states = _states(kelpline)
    assert {about for about, state in states.items() if state == "bad"} == set()
    assert (states["keyholders"], states["address data"]) == ("good", "good")
    assert run("doctor", "--json", env=kelpline.environment()).returncode == 0
