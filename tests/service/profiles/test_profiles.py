"""One object from all sides, on the demo's data: each answer is what the service says elsewhere."""

from __future__ import annotations

import csv
import io
import json
import re
import shlex
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving

from caddrel.client import Refused
from caddrel.demo.fill import ADDRESSES
from caddrel.wire.coverage import GridRequest
from caddrel.wire.decisions import File

DOCS = Path(__file__).parents[3] / "docs"


def test_what_a_person_can_open_is_what_a_rehearsal_says(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        found = viewer.profiles.person("ines.faro")
        assert [each.id for each in found.groups] == ["bridge", "crew", "deck-crew", "kelpline"]
        assert (found.device, found.off, found.factors) == ("tab-0117", "", ["authenticator-app", "password"])
        assert [(each.id, each.failing) for each in found.devices] == [("tab-0117", ["crew-tablet", "own-laptop"])]
        outcomes = {each.app: each.outcome for each in found.reach}
        assert outcomes["manifest"] == "blocked"
        # Wherever she comes from, and on whatever device: more is possible than from where she mostly is.
        anyhow = viewer.profiles.person_coverage("ines.faro")
        assert anyhow.exact
        met = {each.app: each.cell.possible for each in anyhow.apps}
        assert all(outcome in met[app] for app, outcome in outcomes.items())
        assert set(outcomes) == {item.id for item in viewer.apps.all()}
        assert found.signins[0].person == "ines.faro"
        signin = viewer.signins.record(found.signins[0].id)
        place = {n: v for n, (_, v) in signin.facts["values"].items() if n.startswith(("network.", "client."))}
        for app, outcome in outcomes.items():
            facts = {
                **place, "risk.attempt": "none", "person.id": "ines.faro", "app.id": app, "device.id": "tab-0117",
                "auth.methods": {"pwd": 0}, "auth.credentials": "right", "auth.locked_out": False,
            }  # fmt: skip
            assert viewer.rehearse(facts=facts).decision.outcome == outcome, app
        ask: list[Callable[[str], object]] = [
            viewer.profiles.person, viewer.profiles.person_coverage, viewer.profiles.group_coverage,
            viewer.profiles.app_coverage,
        ]  # fmt: skip
        for one in ask:
            with pytest.raises(Refused) as refused:
                one("nobody")
            assert refused.value.problem.status == 404


def test_a_device_an_app_a_group_and_a_list_from_all_sides(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        device = viewer.profiles.device("tab-0117")
        assert device.owner is not None
        assert (device.owner.id, device.users[0].person) == ("ines.faro", "ines.faro")
        (tablet,) = [each for each in device.standards if each.standard == "crew-tablet"]
        assert [(each.truth, bool(each.fix)) for each in tablet.checks if each.truth != "true"] == [("false", True)]
        app = viewer.profiles.app("manifest")
        assert (app.stance, app.own_stance, app.labels) == ("open", False, ["passenger-data"])
        assert app.policies[0].policy == "manifest-on-company-devices"
        column = viewer.profiles.app_coverage("manifest")
        cells = {each.audience: each.cell for each in column.rows}
        assert cells.keys() >= {"everyone", "group:deck-crew"}
        # It is the column of the grid, though policies about other apps were not looked at.
        grid = viewer.coverage.grid(GridRequest())
        place = [each.id for each in grid.apps].index("manifest")
        assert cells == {row.audience: row.cells[place] for row in grid.rows if row.audience in cells}
        assert column.exact
        whole = {each.app: set(each.cell.possible) for each in viewer.profiles.group_coverage("deck-crew").apps}
        mine = {each.app: set(each.cell.possible) for each in viewer.profiles.person_coverage("ines.faro").apps}
        assert mine.keys() == whole.keys()
        assert all(possible <= whole[app] for app, possible in mine.items())
        assert viewer.profiles.app("gangway").stance == "closed"
        group = viewer.profiles.group("deck-crew")
        assert group.count == len(group.members) == 40
        through = {each.person: each.through for each in group.members}
        assert (through["ines.faro"], through["aron.faro"]) == (["Captains and mates"], [])
        assert [each.id for each in group.parents] == ["crew", "kelpline"]
        assert [each.policy for each in group.policies] == ["office-second-factor"]
        addresses = viewer.profiles.address_list("bad-addresses")
        assert (addresses.count, [each.id for each in addresses.places]) == (1, ["hidden"])


def test_parts_stand_somehow_now(kelpline: Live) -> None:
    with kelpline.http() as http:

        def lines(path: str) -> list[str]:
            answer = http.get(f"/api/v1/rulebook/standing/{path}")
            assert answer.status_code == 200, answer.text
            found: list[str] = answer.json()["lines"]
            return found

        assert lines("standards.crew-tablet")[0] == "142 of 143 devices pass it today."
        assert "in Atlantic/Reykjavik: open now" in lines("schedules.shore-hours")[0]
        assert "sign-ins of the last 7 days came from it:" in lines("places.terminals")[0]
        for path in ("places.nowhere", "policies.abroad", "x"):
            assert http.get(f"/api/v1/rulebook/standing/{path}").status_code == 404


@pytest.mark.parametrize("page", ["inventory.md", "reviewing.md"])
def test_the_commands_of_the_page_run(kelpline_folder: Path, tmp_path: Path, page: str) -> None:
    """On a copy of the data: they change it."""
    shutil.copytree(kelpline_folder, tmp_path / "data")
    commands = re.findall(r"^caddrel .*", (DOCS / page).read_text(encoding="utf-8"), re.M)
    assert len(commands) >= 7
    for live in serving(tmp_path / "data", address_files=[ADDRESSES]):
        for command in commands:
            done = run(*shlex.split(command)[1:], env=live.environment(), cwd=tmp_path)
            assert done.returncode == 0, (command, done.stderr)


def test_devices_that_fail_with_what_is_lost_now_and_in_a_draft(kelpline: Live, tmp_path: Path) -> None:
    text = kelpline.data.rulebooks.need_current().revision.files[0][1]
    with kelpline.client("author") as author:
        version = author.drafts.begin("tablets-16").info.version
        author.drafts.save("tablets-16", version, [File("k.yaml", text.replace("is at least 15", "is at least 16"))])
        (now,) = author.profiles.failing("crew-tablet")
        assert [(each.device, each.person, each.loses) for each in now.items] == [
            ("tab-0117", "ines.faro", ["manifest"])
        ]
        under = [item for page in author.profiles.failing("crew-tablet", "tablets-16") for item in page.items]
        losing = {each.person for each in under if each.loses}
        # Those that somebody has come first; what nobody has loses nothing.
        owned = [bool(each.person) for each in under]
        assert owned == sorted(owned, reverse=True)
        assert all(each.person for each in under if each.loses)
        assert "ines.faro" in losing
        for standard, draft, status in (("crew-tablte", "", 404), ("crew-tablet", "no-such", 404)):
            with pytest.raises(Refused) as refused:
                list(author.profiles.failing(standard, draft))
            assert refused.value.problem.status == status
        version = author.drafts.begin("broken").info.version
        author.drafts.save("broken", version, [File("k.yaml", text.replace("is at least 15", "is at lest 15"))])
        with pytest.raises(Refused) as refused:
            list(author.profiles.failing("crew-tablet", "broken"))
        assert refused.value.problem.code == "draft-has-errors"
        author.drafts.discard("broken")
    words = ("devices", "failing", "crew-tablet", "--under", "draft:tablets-16")
    told = json.loads(run(*words, "--json", env=kelpline.environment()).stdout)
    assert (told["devices"], told["losing"]) == (len(under), sum(bool(each.loses) for each in under))
    rows = list(csv.DictReader(io.StringIO(run(*words, "--csv", env=kelpline.environment()).stdout)))
    assert [row["device"] for row in rows] == [each.device for each in under]
    run(*words, "--out", str(tmp_path / "out"), env=kelpline.environment())
    letter = (tmp_path / "out" / "ines.faro.txt").read_text(encoding="utf-8")
    assert "tab-0117" in letter
    assert "- Install the system update" in letter
    assert len(list((tmp_path / "out").glob("*.txt"))) == len({each.person for each in under if each.person})
    with kelpline.client("author") as author:
        author.drafts.discard("tablets-16")
