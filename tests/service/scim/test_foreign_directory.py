"""SCIM exercised by a client that is not ours, which knows no more than the standard and what the service says."""

from __future__ import annotations

from collections import Counter

import httpx2
from scim2_client.engines.httpx2 import SyncSCIMClient
from scim2_tester import Status, check_server
from tests.conftest import PATIENCE, Live
from tests.service.scim.conftest import PERSON

from caddrel.service.auth.tokens import make_token

# Where it takes the standard for more than it says.
_OTHERWISE = {
    # Whether somebody may sign in is always told.
    ("check_remove_attribute", "active"),
    # What is added to several goes beside those that are there (RFC 7644, section 3.5.2.1).
    *(("check_add_attribute", f"{PERSON}:{name}") for name in ("roles", "factors", "attributes")),
    # A member is called what they are called, whatever is said beside their id.
    ("check_add_attribute", "members"),
    ("check_replace_attribute", "members"),
}


def test_a_client_that_is_not_ours_finds_what_the_standard_says(live: Live) -> None:
    live.data.settings.origin = live.url
    token = make_token(live.data, "head office", "directory", 30, "tests")[1]
    headers = {"Authorization": f"Bearer {token}"}
    with httpx2.Client(base_url=f"{live.url}/scim/v2", headers=headers, timeout=PATIENCE) as http:
        client = SyncSCIMClient(http)
        client.discover()
        results = check_server(client)
    wrong = {}
    for each in results:
        about = each.data.get("urn", "") if isinstance(each.data, dict) else ""
        if each.status is not Status.SUCCESS and (each.title, about) not in _OTHERWISE:
            wrong[each.title, about] = (each.status, each.reason)
    assert wrong == {}
    done = Counter(each.title for each in results)
    # It has looked at what there is, and not at nothing.
    assert len(results) > 120
    assert {f"check_{what}_attribute" for what in ("add", "remove", "replace")} <= set(done)
