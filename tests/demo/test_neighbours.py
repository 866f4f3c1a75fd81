"""The neighbours of the demo: what each does is felt at the door, and told to the gateway."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

import pytest
from joserfc.jwk import OKPKey
from tests.conftest import Live, until
from tests.service.streams.conftest import signed_in

from caddrel.client import Caddrel
from caddrel.demo.neighbours import AUDIENCE, ISSUER, Neighbours, create_app
from caddrel.service.auth.tokens import make_token
from caddrel.wire.feeds import FeedRequest


@pytest.fixture
def company(live: Live) -> Live:
    live.data.settings.origin = live.url
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    return live


@pytest.fixture
def neighbours(company: Live) -> Iterator[Neighbours]:
    key = OKPKey.generate_key("Ed25519", {"kid": "feed-1"})
    with company.client() as client:
        client.feeds.add(FeedRequest("threat feed", ISSUER, {"keys": [key.as_dict(private=False)]}, AUDIENCE))
    tokens = {role: make_token(company.data, role, role, 30, "tests")[1] for role in ("directory", "receiver")}
    made = Neighbours(company.url, tokens, key)
    yield made
    made.close()


def test_what_the_neighbours_do_is_felt_and_told(company: Live, neighbours: Neighbours) -> None:
    # Events are dated by their own clock, which is that of the machine.
    company.clock.now = datetime.now(UTC)
    page = create_app(neighbours).test_client()

    def told(*kinds: str) -> bool:
        neighbours.poll()
        said = "".join(neighbours.events)
        return all(kind in said for kind in kinds)

    neighbours.poll()
    with Caddrel(company.url, make_token(company.data, "front", "door", 30, "tests", (), True)[1]) as door:
        ines = signed_in(door, "ines")

        def did(path: str, **form: str) -> str:
            return page.post(path, data={"person": "ines", **form}, follow_redirects=True).get_data(as_text=True)

        assert "The directory has said so." in did("/directory", group="crew", do="drop")

        def ended() -> bool:
            found = company.data.door_sessions.get(ines)
            return found is not None and found.ended is not None

        until(ended)
        # What is put back before it was told of has not changed for anybody.
        until(lambda: told("token-claims-change"))
        assert "The directory has said so." in did("/directory", group="crew", do="add")
        assert "The feed has told it." in did("/feed", do="compromise")
        assert company.data.inventories.current().people["ines"].facts["person.risk"] == "medium"
        for do in ("off", "back"):
            assert "The directory has said so." in did("/directory", do=do)
        assert "Refused: " in page.post("/feed", data={"person": "nobody", "do": "high"}, follow_redirects=True).text

    until(lambda: told("session-revoked", "token-claims-change", "risk-level-change"))
    shown = page.get("/")
    assert "session-revoked" in shown.text
    assert "unsafe-inline" not in shown.headers["Content-Security-Policy"].partition("style-src")[0]
    cross = {"Sec-Fetch-Site": "cross-site"}
    assert page.post("/feed", data={"person": "ines", "do": "high"}, headers=cross).status_code == 403
