"""The company with a till, as a directory sees it."""

from collections.abc import Iterator

import httpx
import pytest
from tests.conftest import Live
from tests.service.streams.conftest import door, live

from caddrel.service.auth.tokens import make_token

__all__ = ["door", "live"]

USER, GROUP = "urn:ietf:params:scim:schemas:core:2.0:User", "urn:ietf:params:scim:schemas:core:2.0:Group"
PERSON = "urn:caddrel:params:scim:schemas:1.0:Person"
PATCH = "urn:ietf:params:scim:api:messages:2.0:PatchOp"
Directory = httpx.Client


def client_of(live: Live, name: str) -> Directory:
    """Return what a directory asks with."""
    token = make_token(live.data, name, "directory", 30, "tests")[1]
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/scim+json"}
    return httpx.Client(base_url=f"{live.url}/scim/v2", headers=headers, timeout=60, verify=False)


@pytest.fixture
def directory(live: Live) -> Iterator[Directory]:
    live.data.settings.origin = live.url
    with client_of(live, "head office") as client:
        yield client
