"""What several tests of the service begin with."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from tests.conftest import Live

from caddrel.wire.decisions import File


@pytest.fixture
def guarded(empty: Live) -> Callable[[str], Live]:
    """Return what publishes a first rulebook where a keyholder must be able to open the app `tower`."""

    def publish(text: str) -> Live:
        with empty.client() as operator:
            operator.groups.import_([b'{"id": "keepers"}'])
            operator.apps.import_([b'{"id": "tower", "title": "Tower", "labels": ["administration"]}'])
            key = {"id": "key", "title": "The keyholder", "groups": ["keepers"], "factors": ["password", "push"]}
            operator.people.import_([json.dumps(key).encode()])
            operator.rulebook.publish([File("r.yaml", text)], "the first")
        return empty

    return publish
