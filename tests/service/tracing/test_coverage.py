"""The coverage grid of the service: its context, a draft beside it, and what is behind a cell."""

from __future__ import annotations

import csv
import io
import json

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.core.cases import diagrams
from caddrel.service.tracing import coverage
from caddrel.wire.coverage import CoverageGrid, GridRequest
from caddrel.wire.decisions import File


def _possible(found: CoverageGrid, audience: str, app: str) -> list[str]:
    row = next(each for each in found.rows if each.audience == audience)
    return row.cells[[each.id for each in found.apps].index(app)].possible


def test_the_grid_of_the_demo(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        found = viewer.coverage.grid(GridRequest())
        assert (found.password_alone, found.exact, found.changed) == (True, True, 0)
        assert found.rows[0].people == 124
        assert _possible(found, "group:deck-crew", "manifest") == ["challenged", "blocked"]
        assert _possible(found, "role:auditor", "post") == []
        # Every case of a cell comes out so as a rehearsal.
        detail = viewer.coverage.cell(GridRequest(), "group:deck-crew", "manifest")
        assert [each.outcome for each in detail.outcomes] == ["challenged", "blocked"]
        assert "manifest-on-company-devices" in detail.policies
        for each in detail.outcomes:
            assert viewer.rehearse(facts=each.facts).decision.outcome == each.outcome
        tighter = viewer.coverage.grid(GridRequest({"device.owner": "company"}, "device passes crew-tablet"))
        assert set(_possible(tighter, "group:deck-crew", "manifest")) <= {"challenged", "blocked"}
        strong = viewer.coverage.grid(GridRequest({"auth.methods": "pwd,otp"}))
        assert not strong.password_alone
        assert "allowed" in _possible(strong, "group:deck-crew", "manifest")


def test_a_draft_is_compared_cell_by_cell(kelpline: Live) -> None:
    text = kelpline.data.rulebooks.need_current().revision.files[0][1]
    with kelpline.client("author") as author:
        version = author.drafts.begin("no-farebox").info.version
        closed = text.replace(
            "policies:\n", "policies:\n  none: {mode: enforced, apps: [farebox], rules: [{then: block}]}\n", 1
        )
        author.drafts.save("no-farebox", version, [File("k.yaml", closed)])
        found = author.coverage.grid(GridRequest(against="no-farebox"))
        column = [each.id for each in found.apps].index("farebox")
        instead = {row.audience: row.cells[column].instead for row in found.rows if row.people}
        assert set(map(str, instead.values())) == {"['blocked']"}
        assert found.changed == len(instead)
        author.drafts.discard("no-farebox")


WRONG: list[tuple[GridRequest, str]] = [
    (GridRequest({"device.mangaed": "yes"}), "bad-attempt"),
    (GridRequest({"person.id": "ines.faro"}), "bad-attempt"),
    (GridRequest({}, "device.managed is"), "bad-filter"),
    (GridRequest({}, "from nowhere"), "bad-filter"),
    (GridRequest({}, "x" * 5_000), "too-large"),
    (GridRequest(draft="no-such"), "not-found"),
    (GridRequest({"device.listed": "no", "device.owner": "company"}), "bad-attempt"),
]


@pytest.mark.parametrize(("request_", "code"), WRONG, ids=str)
def test_a_context_that_is_none_is_refused(kelpline: Live, request_: GridRequest, code: str) -> None:
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.coverage.grid(request_)
    assert refused.value.problem.code == code


def test_what_the_grid_goes_through_cannot_be_given_to_it(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.coverage.grid(GridRequest({"app.id": "post"}))
    assert [each.code for each in refused.value.problem.errors] == ["bad-context"]


def test_a_grid_that_takes_too_long_is_refused(kelpline: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(coverage, "LONGEST", -1.0)
    monkeypatch.setattr(diagrams, "_LOOK_EVERY", 1)
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.coverage.grid(GridRequest())
    assert refused.value.problem.code == "grid-too-large"


def test_a_cell_that_there_is_not_is_told(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        for audience, app in (("group:deck-crw", "manifest"), ("everyone", "manifst")):
            with pytest.raises(Refused) as refused:
                viewer.coverage.cell(GridRequest(), audience, app)
            assert refused.value.problem.status == 404
            assert "did you mean" in refused.value.problem.hint


def test_by_command(kelpline: Live) -> None:
    env = kelpline.environment()
    text = run("rulebook", "grid", env={**env, "COLUMNS": "160"}).stdout
    assert "Deck crew (40)" in text
    rows = list(csv.DictReader(io.StringIO(run("rulebook", "grid", "--csv", env=env).stdout)))
    told = json.loads(run("rulebook", "grid", "--json", env=env).stdout)
    assert len(rows) == len(told["rows"]) * len(told["apps"])
    assert {(row["mildest"], row["strictest"]) for row in rows} >= {("challenged", "blocked"), ("", "")}
    cell = run("rulebook", "grid", "device.managed=no", "--cell", "group:deck-crew", "manifest", env=env)
    assert "by manifest-on-company-devices/" in cell.stdout.replace("\n", " ").replace(", ", " by ")
