"""The standards' endpoints, exercised by a client that is not ours and knows only their description."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import PATIENCE, Live

from caddrel.service.auth.tokens import make_token
from caddrel.wire.decisions import File

SCHEMATHESIS = Path(sys.executable).with_name("schemathesis")
HERE = Path(__file__).parent
# A few of each every time; many in a long run.
SOAK = int(os.environ.get("CADDREL_SOAK") or "0")
# What is cancelled, revoked or ended stays, to be looked at.
KEPT = "use_after_free"
# A stream of events ends when its job does; the foreign client would wait for it.
NEVER = "/events$"


@pytest.mark.parametrize(
    ("paths", "role", "each"),
    [
        ("^/access/v1|^/.well-known", "door", 5),
        (
            "^/api/v1/(people|inventory|starter-codes|tokens|sessions|rehearse|rulebook/export|acceptances|feeds|hooks|sources"
            "|unlisted-devices|held-changes)",
            "operator",
            2,
        ),
        *([("^/(api|access|healthz|readyz|metrics)", "operator", SOAK)] if SOAK else []),
    ],
)
def test_what_is_described_is_what_is_answered(empty: Live, paths: str, role: str, each: int, tmp_path: Path) -> None:
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", "caddrel: 1")], "the first")
        operator.people.import_([b'{"id": "ines", "groups": [], "factors": ["password"]}'])
        operator.apps.import_([b'{"id": "post"}'])
    token = make_token(empty.data, "foreign", role, 30, "tests")[1]
    words = [
        "--config-file", str(HERE / "foreign_client.toml"), "run", f"{empty.url}/api/openapi.json",
        "--include-path-regex", paths, "--exclude-path-regex", NEVER, "-H", f"Authorization: Bearer {token}",
        "--checks", "all", "--exclude-checks", KEPT, "--max-examples", str(each), "--seed", "7", "--no-color",
    ]  # fmt: skip
    done = subprocess.run(
        [str(SCHEMATHESIS), *words],
        cwd=tmp_path,
        env={**os.environ, "PYTHONPATH": str(HERE)},
        capture_output=True,
        text=True,
        check=False,
        timeout=2 * PATIENCE * max(SOAK, 1),
    )
    assert done.returncode == 0, done.stdout[-9000:] + done.stderr[-2000:]
