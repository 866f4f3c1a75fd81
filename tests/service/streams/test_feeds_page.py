"""The page about feeds: its commands run, a session is ended by a directory and another held, and both are told."""

from __future__ import annotations

import json
import re
import shlex
from pathlib import Path

from joserfc.jwk import RSAKey
from tests.command import run
from tests.conftest import Live, until
from tests.service.streams.conftest import RULEBOOK, signed_in

from caddrel.client import Caddrel
from caddrel.wire.decisions import File

PAGE = (Path(__file__).parents[3] / "docs" / "feeds.md").read_text(encoding="utf-8")


def test_the_commands_of_the_page_run(live: Live, door: Caddrel, tmp_path: Path) -> None:
    commands = re.findall(r"^caddrel .*", PAGE, re.M)
    assert len(commands) >= 9
    keys = {"keys": [RSAKey.generate_key(2048, {"kid": "f-1"}).as_dict(private=False)]}
    (tmp_path / "jwks.json").write_text(json.dumps(keys), encoding="utf-8")
    signed_in(door, "kari", device="tab-2")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    said = {}
    with live.client() as client:
        stricter = RULEBOOK.replace("has none of [crew]", "has none of [night]")
        client.rulebook.publish([File("r.yaml", stricter)], "the night watch", accept_lockout_risk="try")
        until(client.sessions.held)
        watched = {item.key: item for item in client.watch.look().items}
        assert "those who administer: kari" in "".join(piece.text for piece in watched["held:1"].says)
        for command in commands:
            done = run(*shlex.split(command)[1:], env=live.environment(), cwd=tmp_path)
            # What is held is a no.
            assert done.returncode in {0, 1}, done.stderr
            said[command] = done.stdout
        assert "kari" in said["caddrel sessions held"]
        assert "1 session" in said["caddrel sessions decide 1 --carry-out"]
        assert "threat feed" in said["caddrel feeds list"]
        assert "a risk is believed for 168 hours" in " ".join(said['caddrel feeds show "threat feed"'].split())
        states = {feed.name: feed.state for feed in client.feeds.all()}
        assert states == {
            "threat feed": "paused", "night desk": "enabled", "findings": "enabled", "bad-addresses": "on",
        }  # fmt: skip
        assert "is listed, or was refused" in " ".join(said["caddrel devices unlisted"].split())
        live.data.feeds.failed("https://feed.kelpline.example", "a token whose signature is not right")
        watched = {item.key: item for item in client.watch.look().items}
        assert watched["feed:threat feed"].detail == "a token whose signature is not right"
        live.data.feeds.took("https://feed.kelpline.example", "j-1", live.clock.now)
        assert "feed:threat feed" not in {item.key for item in client.watch.look().items}
        assert run("feeds", "show", "threat fed", env=live.environment()).returncode == 2
        assert run("feeds", "pause", "threat feed", "--go-on", env=live.environment()).returncode == 0
        live.clock.forward(days=8)
        assert "feed:threat feed" in {item.key for item in client.watch.look().items}
        assert run("feeds", "new-key", env=live.environment()).returncode == 0
        (tmp_path / "odd.json").write_text("[", encoding="utf-8")
        odd = run("feeds", "add", "x", "--issuer", "y", "--keys", str(tmp_path / "odd.json"), env=live.environment())
        assert odd.returncode == 2
        assert run("feeds", "remove", "threat feed", env=live.environment()).returncode == 0
        assert run("feeds", "remove", "threat feed", env=live.environment()).returncode != 0
