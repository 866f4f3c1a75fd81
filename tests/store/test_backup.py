"""Backups: of both databases at one moment, while they are written to; put back, or refused when not whole."""

from __future__ import annotations

import json
import shutil
import sqlite3
import threading
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving

from caddrel import wiring
from caddrel.service.state.keys import KeyRefused
from caddrel.store.backup import MANIFEST, BackupFailed, put_back, take
from caddrel.wire.decisions import File

DRAFT = "caddrel: 1\npolicies:\n  p: {rules: [{then: block, tell: No.}]}\n"


def _opened(folder: Path, name: str) -> sqlite3.Connection:
    return sqlite3.connect(folder / name, isolation_level=None, timeout=30)


def test_both_databases_are_as_of_one_moment_while_somebody_writes(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    wiring.open_data(folder).close()
    ready, over = threading.Event(), threading.Event()

    def write() -> None:
        book, log = _opened(folder, "book.sqlite"), _opened(folder, "signins.sqlite")
        for each in (book, log):
            each.execute("CREATE TABLE written (number INTEGER PRIMARY KEY, filling TEXT)")
        number = 0
        while not over.is_set():
            # First in the one, then in the other: at any moment the first is ahead by one at most.
            for each in (book, log):
                each.execute("INSERT INTO written VALUES (?, ?)", (number, "x" * 2000))
            number += 1
            if number == 20:
                ready.set()
        book.close()
        log.close()

    writer = threading.Thread(target=write)
    writer.start()
    ready.wait()
    try:
        for n in range(5):
            take(folder, tmp_path / f"b{n}", "2026-11-30T00:00:00Z", "test")
    finally:
        over.set()
        writer.join()
    seen = []
    for n in range(5):
        book, log = (
            _opened(tmp_path / f"b{n}", name).execute("SELECT count(*) FROM written").fetchone()[0]
            for name in ("book.sqlite", "signins.sqlite")
        )
        assert 0 <= book - log <= 1
        seen.append(book)
    assert seen == sorted(seen)
    assert seen[0] >= 20


def test_a_folder_is_written_away_while_it_is_served_and_put_back(tmp_path: Path) -> None:
    data, kept = tmp_path / "data", tmp_path / "kept"

    def backup(*words: str) -> Path:
        done = run("backup", str(kept), "--data", str(data), *words, "--json")
        assert done.returncode == 0, done.stderr
        return Path(json.loads(done.stdout)["backup"])

    for live in serving(data):
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", DRAFT)], "the first")
            first = backup()
            client.rulebook.publish([File("r.yaml", DRAFT.replace("No.", "Not so."))], "the second")
        assert sorted(path.name for path in first.iterdir()) == [
            MANIFEST,
            "book.sqlite",
            "folder.key",
            "signins.sqlite",
        ]
        assert all(path.stat().st_mode & 0o077 == 0 for path in (first, *first.iterdir()))
        # Whoever serves the folder keeps it.
        with wiring.holding(data):
            refused = run("restore", str(first), "--data", str(data), "--replace", env=_environment())
        assert (refused.returncode, "is served already" in refused.stderr) == (2, True), refused.stderr
    refused = run("restore", str(first), "--data", str(data), env=_environment())
    assert (refused.returncode, "--replace" in refused.stderr) == (2, True)
    done = run("restore", str(first), "--data", str(data), "--replace", env=_environment())
    assert done.returncode == 0, done.stderr
    (aside,) = tmp_path.glob("data.before-*")
    assert (aside / "book.sqlite").is_file()
    for live in serving(data):
        with live.client() as client:
            assert [each.why for each in client.rulebook.history()] == ["the first"]
            entry = next(each for each in client.audit.list().items if each.did == "restore")
            assert (entry.who, entry.target) == ("host", first.name)
        _whole(live)


def _environment() -> dict[str, str]:
    return {"PATH": "/usr/bin:/bin", "HOME": "/nonexistent"}


def _whole(live: Live) -> None:
    with live.client() as client:
        assert client.audit.verify().whole


def test_a_folder_whose_key_is_elsewhere_is_never_sealed_anew(tmp_path: Path) -> None:
    key, data = tmp_path / "key", tmp_path / "data"
    key.write_text("ab" * 32, encoding="ascii")
    wiring.open_data(data, key_file=key).close()
    with pytest.raises(KeyRefused, match="--key-file"):
        wiring.open_data(data)
    assert not (data / "folder.key").exists()
    made = json.loads(run("backup", str(tmp_path / "kept"), "--data", str(data), "--json").stdout)["backup"]
    commands = (
        ("account", "enter", "--data", str(data)),
        ("token", "create", "mine", "--role", "viewer", "--data", str(data)),
        ("rescue", "--data", str(data)),
        ("restore", made, "--data", str(tmp_path / "back")),
    )
    for words in commands:
        refused = run(*words, env=_environment())
        assert (refused.returncode, "--key-file" in refused.stderr) == (2, True), (words, refused.stderr)
        done = run(*words, "--key-file", str(key), env=_environment())
        assert done.returncode == 0, (words, done.stderr)
    for folder in (data, tmp_path / "back"):
        opened = wiring.open_data(folder, key_file=key)
        assert opened.runtime.data.audit.verify()[1] is None
        opened.close()


def test_so_many_are_kept_and_nothing_else_is_taken_out(tmp_path: Path) -> None:
    wiring.open_data(tmp_path / "data").close()
    kept = tmp_path / "kept"
    for name in ("caddrel-20250101T000000Z", "caddrel-20250102T000000Z", "mine", "caddrel-20250103T000000Z"):
        take(tmp_path / "data", kept / name, "then", "test")
    (kept / "caddrel-20250104T000000Z").mkdir()
    done = run("backup", str(kept), "--data", str(tmp_path / "data"), "--keep", "2")
    assert done.returncode == 0, done.stderr
    left = sorted(path.name for path in kept.iterdir())
    # What is no backup, or has a name of its own, stays.
    assert left[:2] == ["caddrel-20250103T000000Z", "caddrel-20250104T000000Z"]
    assert left[-1] == "mine"
    assert len(left) == 4


@pytest.mark.parametrize(
    ("harm", "says"),
    [
        (lambda backup: (backup / MANIFEST).unlink(), "no backup"),
        (lambda backup: (backup / MANIFEST).write_text("{"), "no backup"),
        (lambda backup: (backup / "signins.sqlite").write_bytes(b"\0" * 4096), "damaged"),
        (lambda backup: (backup / "book.sqlite").unlink(), "not put back"),
        (lambda backup: _say(backup, "forms", {"book.sqlite": "9999"}), "newer release"),
        (lambda backup: _say(backup, "files", {"../out": "0"}), "outside itself"),
    ],
)
def test_what_is_no_whole_backup_is_refused_and_nothing_stays_of_it(tmp_path: Path, harm: object, says: str) -> None:
    wiring.open_data(tmp_path / "data").close()
    take(tmp_path / "data", tmp_path / "backup", "then", "test")
    assert callable(harm)
    harm(tmp_path / "backup")
    with pytest.raises(BackupFailed, match=says):
        put_back(tmp_path / "backup", tmp_path / "new")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["backup", "data"]


def _say(backup: Path, key: str, value: object) -> None:
    said = json.loads((backup / MANIFEST).read_text(encoding="utf-8"))
    (backup / MANIFEST).write_text(json.dumps({**said, key: value}), encoding="utf-8")


def test_a_backup_that_cannot_be_written_leaves_nothing(tmp_path: Path) -> None:
    wiring.open_data(tmp_path / "data").close()
    (tmp_path / "file").write_text("not a folder", encoding="utf-8")
    with pytest.raises(BackupFailed):
        take(tmp_path / "data", tmp_path / "file" / "b", "then", "test")
    (tmp_path / "data" / "signins.sqlite").write_bytes(b"nothing of ours" * 1000)
    with pytest.raises(BackupFailed):
        take(tmp_path / "data", tmp_path / "b", "then", "test")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["data", "file"]
    assert run("backup", str(tmp_path / "b"), "--data", str(tmp_path)).returncode == 2


def test_a_folder_of_a_newer_release_is_left_as_it_is(tmp_path: Path) -> None:
    wiring.open_data(tmp_path / "data").close()
    with _opened(tmp_path / "data", "book.sqlite") as book:
        book.execute("UPDATE alembic_version SET version_num = '9999'")
    before = shutil.copyfile(tmp_path / "data" / "book.sqlite", tmp_path / "before").read_bytes()
    with pytest.raises(wiring.NotADatabase, match="newer release"):
        wiring.open_data(tmp_path / "data")
    assert (tmp_path / "data" / "book.sqlite").read_bytes() == before
