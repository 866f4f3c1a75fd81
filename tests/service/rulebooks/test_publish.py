"""Publishing that cannot hurt: the lock-out check, going back, comparing, the audit trail, rescue."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.service.auth import accounts
from caddrel.service.auth.tokens import make_token
from caddrel.wire.decisions import File
from caddrel.wire.rulebooks import Side

OPEN = """
caddrel: 1
settings: {keyholders: [group:keepers], contact: help@example.org}
apps: {tower: {stance: closed}}
places:
  office: {networks: [192.0.2.0/26]}
policies:
  in:
    title: Keyholders get in
    mode: enforced
    people: [group:keepers]
    apps: [tower]
    rules: [{id: in, then: require mfa}]
"""
SHUT = OPEN.replace("require mfa", "require company device")


@pytest.fixture
def live(guarded: Callable[[str], Live]) -> Live:
    return guarded(OPEN)


def test_nobody_who_must_get_in_is_locked_out_without_a_reason(live: Live, tmp_path: Path) -> None:
    shut = tmp_path / "shut.yaml"
    shut.write_text(SHUT, encoding="utf-8")
    with live.client() as operator:
        with pytest.raises(Refused) as refused:
            operator.rulebook.publish([File("r.yaml", SHUT)], "tidy")
        problem = refused.value.problem
        assert (problem.status, problem.code) == (409, "lockout-risk")
        assert problem.errors[0].path == "people.key"
        assert "The keyholder could not open Tower any more" in problem.errors[0].message
        assert [r.number for r in operator.rulebook.history()] == [1]
        assert "lockout-risk" in [d.code for d in operator.rulebook.check([File("r.yaml", SHUT)]).diagnostics]
        done = run("rulebook", "publish", str(shut), "--why", "tidy", env=live.environment())
        assert done.returncode == 3
        assert "The keyholder could not open Tower any more" in done.stderr
        done = run(
            "rulebook", "publish", str(shut), "--why", "tidy", "--accept-lockout-risk", "we have rescue at hand",
            env=live.environment(),
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        assert operator.rulebook.history()[0].override == "we have rescue at hand"
        # Whoever is locked out already is not locked out anew; and mending it takes no reason.
        operator.rulebook.publish([File("r.yaml", SHUT + "\n# again\n")], "a note")
        made = operator.rulebook.restore(1, "back to where keyholders get in")
        assert (made.revision.number, made.revision.override) == (4, "")
        with pytest.raises(Refused, match="revision 9"):
            operator.rulebook.restore(9, "there is none")
        with pytest.raises(Refused, match="in between"):
            operator.rulebook.restore(1, "late", base=2)
        with pytest.raises(Refused, match="could not any more"):
            operator.rulebook.restore(2, "shut again")


def test_rulebooks_are_compared_object_by_object(live: Live, tmp_path: Path) -> None:
    changed = OPEN.replace("require mfa", "require mfa within 1h").replace("192.0.2.0/26", "192.0.2.0/25")
    changed = changed.replace("help@example.org", "desk@example.org")
    changed += "  later: {mode: shadow, rules: [{id: all, then: block}]}\n"
    with live.client("publisher") as operator:
        operator.rulebook.publish([File("r.yaml", changed)], "the second")
        found = operator.rulebook.compare(Side(revision=1), Side())
        assert (found.before, found.after) == ("revision 1", "revision 2")
        assert [(c.kind, c.id, c.change) for c in found.objects] == [
            ("policy", "in", "changed"), ("policy", "later", "added"), ("place", "office", "changed"),
            ("settings", "settings", "changed"),
        ]  # fmt: skip
        policy = found.objects[0]
        assert "require mfa within 1h" in policy.after
        assert "within the last hour" in "".join(piece.text for piece in policy.after_words)
        assert (found.objects[1].before, found.objects[1].before_words) == ("", [])
        assert operator.rulebook.compare(Side(revision=2), Side()).objects == []
        with pytest.raises(Refused) as refused:
            operator.rulebook.compare(Side(files=[File("x.yaml", "caddrel: 1\npolicies: {a: {rules: 5}}")]), Side())
        assert refused.value.problem.errors
    file = tmp_path / "r.yaml"
    file.write_text(OPEN, encoding="utf-8")
    done = run("rulebook", "compare", "current", str(file), env=live.environment())
    assert done.returncode == 1
    assert "4 objects differ from revision 2 to documents." in done.stdout
    assert "removed  later" in done.stdout
    assert "-     then: require mfa" in done.stdout.replace("  -", "-") or "require mfa within 1h" in done.stdout
    assert run("rulebook", "compare", "1", str(file), env=live.environment()).returncode == 0
    assert run("rulebook", "compare", "1", "no-such-file", env=live.environment()).returncode == 2
    out = tmp_path / "out.yaml"
    assert run("rulebook", "export", "--revision", "1", "--out", str(out), env=live.environment()).returncode == 0
    assert out.read_text(encoding="utf-8") == OPEN
    folder = tmp_path / "folder"
    folder.mkdir()
    run("rulebook", "export", "--revision", "2", "--out", str(folder), env=live.environment())
    assert (folder / "r.yaml").read_text(encoding="utf-8") == changed


def test_every_change_and_refusal_is_in_the_trail(live: Live) -> None:
    viewer = make_token(live.data, "looker", "viewer", 30, "tests")[1]
    accounts.make_account(live.data, "maren", "operator", "a long password")
    with live.client() as operator, live.http(viewer) as looker, live.http("") as nobody:
        assert looker.post("/api/v1/rulebook/publish", json={"files": [], "why": "x"}).status_code == 403
        nobody.post("/api/v1/session", json={"name": "maren", "password": "not this one"})
        # A stranger cannot fill the trail with names that nobody has, or by guessing on when refused anyway.
        for name in ("nobody-here", *["maren"] * 8):
            nobody.post("/api/v1/session", json={"name": name, "password": "nor this"})
        operator.tokens.create("front-door", "door")
        with pytest.raises(Refused):
            operator.rulebook.publish([File("r.yaml", SHUT)], "tidy")
        operator.rulebook.publish([File("r.yaml", SHUT)], "tidy", accept_lockout_risk="a test of it")
        trail = operator.audit.list()
        told = [(e.who, e.did, e.outcome, e.note) for e in trail.items]
        assert told[0] == (
            "token test operator", "POST /api/v1/rulebook/publish", "done",
            "revision 2: tidy; lock-out risk accepted: a test of it",
        )  # fmt: skip
        assert told[1][2] == "lockout-risk"
        assert told[2][3] == "door token front-door"
        assert told[3:8] == [("nobody", "POST /api/v1/session", "wrong-credentials", "as maren")] * 5
        assert told[8][:3] == ("token looker", "POST /api/v1/rulebook/publish", "not-allowed")
        # Looking changes nothing, and no secret is ever in it.
        operator.rulebook.view()
        operator.rulebook.check([File("r.yaml", OPEN)])
        assert operator.audit.list().items == trail.items
        assert "cad_" not in json.dumps([e.note + e.target for e in trail.items])
        assert [e.who for e in operator.audit.list("looker").items] == ["token looker"]
        first = operator.audit.list(limit=2)
        assert operator.audit.list(before=first.next or 0).items[0].seq == trail.items[2].seq
        verdict = operator.audit.verify()
        assert (verdict.whole, verdict.entries) == (True, trail.items[0].seq)
        with live.client("publisher") as publisher, pytest.raises(Refused, match="operator"):
            publisher.audit.list()
    done = run("audit", "list", "--search", "publish", env=live.environment())
    assert "lock-out risk accepted: a test of it" in " ".join(done.stdout.split())
    assert run("audit", "verify", env=live.environment()).returncode == 0
    book = live.folder / "book.sqlite"
    with closing(sqlite3.connect(book)) as connection:
        for change in ("UPDATE audit SET who = 'x'", "DELETE FROM audit WHERE seq = 2"):
            with pytest.raises(sqlite3.IntegrityError, match="only added to"):
                connection.execute(change)
        # Whoever takes the triggers away is found out all the same.
        connection.execute("DROP TRIGGER audit_no_update")
        connection.execute("UPDATE audit SET note = 'nothing to see' WHERE seq = 3")
        connection.commit()
    with live.client() as operator:
        assert operator.audit.verify().broken == 3
    done = run("audit", "verify", env=live.environment())
    assert (done.returncode, "entry 3" in done.stdout) == (1, True)


def test_the_host_can_go_back_and_get_in(live: Live) -> None:
    with live.client() as operator:
        operator.rulebook.publish([File("r.yaml", SHUT)], "tidy", accept_lockout_risk="on purpose")
        data = ("--data", str(live.folder))
        done = run("rescue", *data, env={})
        assert "on purpose" not in done.stdout
        assert "tidy" in done.stdout
        assert run("rescue", *data, "--to", "1", env={}).returncode == 2
        done = run(
            "rescue", *data, "--to", "1", "--why", "2 locked us out", "--way-in", "--url", live.url, "--json", env={}
        )
        made = json.loads(done.stdout)
        assert made["restored_as"] == 3
        # The running service takes it up by itself.
        live.clock.forward(seconds=1)
        for _ in range(100):
            current = operator.rulebook.view().revision
            if current is not None and current.number == 3:
                break
        assert current is not None
        assert (current.number, current.published_by, current.why) == (3, "host", "2 locked us out")
        code = made["login_url"].partition("code=")[2]
        with live.http("") as nobody:
            assert nobody.post("/api/v1/session", json={"code": code}).status_code == 200
            assert nobody.post("/api/v1/session", json={"code": code}).json()["code"] == "code-used"
        told = [(e.who, e.did) for e in operator.audit.list().items]
        assert ("host", "rescue") in told
        assert ("host", "way in") in told
        assert operator.audit.verify().whole
    assert run("rescue", *data, "--to", "9", "--why", "x", env={}).returncode != 0
    assert run("rescue", "--data", str(live.folder.parent), env={}).returncode == 2


def test_the_very_same_text_makes_no_new_revision(live: Live, tmp_path: Path) -> None:
    with live.client() as operator:
        number, text = (current := operator.rulebook.get()).info.number, current.files[0].text
        same = [File(current.files[0].name, text)]
        again = operator.rulebook.publish(same, "once more")
        assert (again.unchanged, again.revision.number, again.revision.why) == (True, number, current.info.why)
        assert len(operator.rulebook.history()) == number
        for files, base in ((same, number + 1), (same, 0)):
            with pytest.raises(Refused) as refused:
                operator.rulebook.publish(files, "on another", base=base)
            assert refused.value.problem.code == "published-in-between"
        path = tmp_path / same[0].name
        path.write_text(text, encoding="utf-8")
        done = run("rulebook", "publish", str(path), "--why", "a pipeline", env=live.environment(), cwd=tmp_path)
        assert (done.returncode, done.stdout) == (0, f"Revision {number} is current already, and says the same\n")
        assert operator.audit.list().items[0].note.endswith("unchanged, the text is the same")
        other = operator.rulebook.publish([File(same[0].name, text + "# a word\n")], "with a word")
        assert (other.unchanged, other.revision.number) == (False, number + 1)
