"""Data folders of earlier releases open, say what they said, and go on."""

from __future__ import annotations

import zipfile
from collections import Counter
from pathlib import Path

import pytest
from tests.conftest import Live, serving

from caddrel.wire import authzen
from caddrel.wire.decisions import File

RELEASES = sorted((Path(__file__).parent / "releases").glob("*.zip"))


def _look(live: Live) -> dict[str, str]:
    """Return the outcomes that the log tells, each traced from its record alone."""
    with live.client() as client:
        rows = {row.id: row.outcome for row in client.signins.list(limit=500).items}
        for id in list(rows)[::7]:
            traced = client.signins.trace(id)
            # Decided under an earlier meaning: that is what is shown, with what it would come to now beside it.
            assert traced.decision.outcome == rows[id]
            assert traced.meaning == 1
            assert traced.present is not None
    return rows


@pytest.mark.parametrize("release", RELEASES, ids=lambda path: path.stem)
def test_a_folder_of_an_earlier_release_opens_and_goes_on(release: Path, tmp_path: Path) -> None:
    folder = tmp_path / "data"
    with zipfile.ZipFile(release) as packed:
        packed.extractall(folder)
    for live in serving(folder):
        rows = _look(live)
        assert (len(rows), Counter(rows.values())) == (60, {"allowed": 33, "challenged": 9, "blocked": 18})
        with live.client() as client:
            assert client.people.get("eva").item.version >= 1
            assert client.audit.verify().whole
            draft = client.drafts.get("half-done")
            text = client.rulebook.get().files[0].text.replace("192.0.2.0/26", "192.0.2.0/25")
            client.rulebook.publish([File("r.yaml", text)], "the office grew", base=1)
            assert client.drafts.get("half-done").info.version == draft.info.version
            door = client.tokens.create("door", "door", sees=True)
        from caddrel.client import Caddrel

        with Caddrel(live.url, door.token) as at_the_door:
            asked = authzen.Evaluation(
                authzen.Entity("person", "eva"),
                authzen.Action("sign-in"),
                authzen.Entity("app", "mail"),
                {"network.ip": "192.0.2.90", "auth.credentials": "right", "auth.methods": ["pwd"], "device.id": "d1"},
            )
            assert at_the_door.access.evaluate(asked).decision
    for live in serving(folder):
        with live.client() as client:
            newest, *older = client.signins.list(limit=500).items
            assert (newest.person, newest.outcome, len(older)) == ("eva", "allowed", 60)
            assert {row.id: row.outcome for row in older} == rows
