"""The standards' endpoints, exercised by a client that is not ours and knows only their description."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import PATIENCE, Live

from caddrel.service.auth.tokens import make_token
from caddrel.wire.decisions import File

SCHEMATHESIS = Path(sys.executable).with_name("schemathesis")
CHECKS = (
    "not_a_server_error,response_schema_conformance,content_type_conformance,status_code_conformance,"
    "unsupported_method,response_headers_conformance"
)


@pytest.mark.parametrize(
    ("paths", "role"),
    [
        ("^/access/v1|^/.well-known", "door"),
        ("^/api/v1/(acceptances|starter-codes|tokens|sessions|rehearse)", "operator"),
    ],
)
def test_what_is_described_is_what_is_answered(empty: Live, paths: str, role: str, tmp_path: Path) -> None:
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", "caddrel: 1")], "the first")
        operator.people.import_([b'{"id": "ines", "groups": [], "factors": ["password"]}'])
        operator.apps.import_([b'{"id": "post"}'])
    token = make_token(empty.data, "foreign", role, 30, "tests")[1]
    words = [
        "run",
        f"{empty.url}/api/openapi.json",
        "--include-path-regex",
        paths,
        "-H",
        f"Authorization: Bearer {token}",
    ]
    done = subprocess.run(
        [str(SCHEMATHESIS), *words, "--checks", CHECKS, "--max-examples", "8", "--seed", "7", "--no-color"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
        timeout=2 * PATIENCE,
    )
    assert done.returncode == 0, done.stdout[-4000:]
    assert "Authentication failed" not in done.stdout
