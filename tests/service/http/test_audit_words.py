"""The audit trail tells what was done in people's words."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from tests.command import run
from tests.conftest import NOW, Live

from caddrel.service.app import ENDPOINTS
from caddrel.service.views.audit_words import WORDS, in_words
from caddrel.store.audit import AuditEntry

ENTRY = AuditEntry(1, NOW, "maren.strand", "", "", "done", "", "r", "h")


def _said(did: str, target: str, note: str = "") -> str:
    return "".join(piece.text for piece in in_words(replace(ENTRY, did=did, target=target, note=note)))


def test_every_endpoint_that_changes_something_has_words() -> None:
    told = {f"{endpoint.method} {endpoint.route}" for endpoint in ENDPOINTS if endpoint.changes}
    assert told == set(WORDS)


@pytest.mark.parametrize("did", WORDS)
def test_words_name_what_it_was_done_to_and_what_was_noted(did: str) -> None:
    route = did.partition(" ")[2]
    names = re.findall(r"<(?:[^<>:]*:)?(\w+)>", route)
    target = re.sub(r"<(?:[^<>:]*:)?(\w+)>", lambda found: f"a-{found[1]}%2Fb", route)
    said = _said(did, target, "something noted")
    assert "something noted" in said
    assert all(f"a-{name}/b" in said for name in names if "DELETE /api/v1/session/kept" not in did)
    assert not re.search(r"[{}<>]|/api/", said)
    bare = _said(did, target)
    assert bare == bare.strip()
    assert not bare.endswith(":")


@pytest.mark.parametrize(
    ("did", "target", "note", "said"),
    [
        ("POST /api/v1/drafts/<id>/objects", "/api/v1/drafts/contractors/objects", "policies.farebox",
         "put the policy farebox into the draft contractors"),
        ("way in", "operator", "a one-time code", "made a way in for operator: a one-time code"),
        ("publish at 2026-12-01T06:00:00Z", "draft midwinter", "revision 4: closed",
         "publish at 2026-12-01T06:00:00Z draft midwinter: revision 4: closed"),
        ("POST /api/v1/gone/<id>", "/api/v1/gone/x", "", "POST /api/v1/gone/<id> /api/v1/gone/x"),
    ],
)  # fmt: skip
def test_what_is_said(did: str, target: str, note: str, said: str) -> None:
    assert _said(did, target, note) == said


def test_entries_are_told_with_links_and_refusals(vacant: Live) -> None:
    with vacant.client() as client:
        client.drafts.begin("told")
        entry = next(e for e in client.audit.list().items if e.note == "told")
        assert "".join(piece.text for piece in entry.words) == "began a draft: told"
        client.drafts.discard("told")
        newest = client.audit.list().items[0]
        assert [(p.kind, p.id) for p in newest.words if p.kind] == [("draft", "told")]
    lines = run("audit", "list", env=vacant.environment()).stdout
    assert "token test operator discarded the draft told" in lines
    assert "/api/" not in lines
