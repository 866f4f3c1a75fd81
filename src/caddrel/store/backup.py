"""Backups of a data folder: both databases as of one moment, taken while they are written to, and looked through.

Not here: which folder, how many are kept (`cli.backup`).
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import shutil
import sqlite3
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

from caddrel.store.engine import newest_form

DATABASES = {"book.sqlite": "book", "signins.sqlite": "log"}
MANIFEST = "backup.json"
# Pages that are copied at a time: other threads and processes come in between.
_AT_ONCE = 2_000
# Seconds to wait for whoever writes just now.
_PATIENCE = 30


class BackupFailed(Exception):
    """A backup that could not be taken, or is none; says why."""


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a backup is.

    Attributes
    ----------
    made
        When, as RFC 3339.
    release
        Of Caddrel, that made it.
    files
        By name the SHA-256 of each, in hexadecimal digits.
    forms
        By name the form of each database, as its migrations number it.
    """

    made: str
    release: str
    files: dict[str, str]
    forms: dict[str, str]


def take(folder: Path, into: Path, made: str, release: str, others: tuple[str, ...] = ()) -> Manifest:
    """Write both databases of a folder as they are at one moment, and other files, into a new folder.

    Parameters
    ----------
    into
        Is not there yet; nothing of it stays when something goes wrong.
    others
        Names of files that are copied where they are there.

    Raises
    ------
    BackupFailed
        When something cannot be read or written, or what was written does not open.
    """
    half = into.with_name(f"{into.name}.half")
    try:
        shutil.rmtree(half, ignore_errors=True)
        half.mkdir(parents=True, mode=0o700)
        with _as_of_now(folder) as sources:
            for name, source in sources.items():
                _copy(source, half / name)
        for name in others:
            if (folder / name).is_file():
                shutil.copyfile(folder / name, half / name)
                (half / name).chmod(0o600)
        forms = {name: _looked_through(half / name) for name in DATABASES}
        there = sorted(path.name for path in half.iterdir())
        manifest = Manifest(made, release, {name: _digest(half / name) for name in there}, forms)
        _write(half / MANIFEST, json.dumps(asdict(manifest), indent=2) + "\n")
        half.rename(into)
        _settle(into.parent)
    except (OSError, sqlite3.Error) as error:
        shutil.rmtree(half, ignore_errors=True)
        raise BackupFailed(f"the backup was not taken: {error}") from None
    return manifest


def read_manifest(backup: Path) -> Manifest:
    """Return what a folder says of itself as a backup.

    Raises
    ------
    BackupFailed
        When it is none.
    """
    try:
        return Manifest(**json.loads((backup / MANIFEST).read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError):
        raise BackupFailed(f"{backup} is no backup: it has no {MANIFEST} that can be read") from None


def put_back(backup: Path, folder: Path) -> Manifest:
    """Make a data folder of a backup, where there is none yet.

    Raises
    ------
    BackupFailed
        When it is no backup, not whole, of a newer release, or cannot be written; nothing stays then.
    """
    manifest = read_manifest(backup)
    for name, form in manifest.forms.items():
        if name in DATABASES and form > newest_form(DATABASES[name]):
            raise BackupFailed(f"{backup} was made by a newer release ({manifest.release}): put it back with that")
    half = folder.with_name(f"{folder.name}.half")
    try:
        shutil.rmtree(half, ignore_errors=True)
        half.mkdir(parents=True, mode=0o700)
        for name, digest in manifest.files.items():
            if Path(name).name != name:
                raise BackupFailed(f"{backup} names a file outside itself")
            shutil.copyfile(backup / name, half / name)
            (half / name).chmod(0o600)
            if _digest(half / name) != digest:
                raise BackupFailed(f"{backup / name} is not what was written: the backup is damaged")
        for name in DATABASES:
            _looked_through(half / name)
        if folder.is_dir():
            folder.rmdir()
        half.rename(folder)
        _settle(folder.parent)
    except (OSError, sqlite3.Error) as error:
        raise BackupFailed(f"{backup} was not put back: {error}") from None
    finally:
        shutil.rmtree(half, ignore_errors=True)
    return manifest


@contextlib.contextmanager
def _as_of_now(folder: Path) -> Iterator[dict[str, sqlite3.Connection]]:
    """Give a connection to each database, all of which see the same moment for as long as they are used."""
    with contextlib.ExitStack() as stack:

        def opened(name: str) -> sqlite3.Connection:
            uri = f"{(folder / name).resolve().as_uri()}?mode=rw"
            connection = sqlite3.connect(uri, uri=True, timeout=_PATIENCE, isolation_level=None)
            stack.callback(connection.close)
            return connection

        # Nobody else writes to either between the first and the last of these.
        holding = [opened(name) for name in DATABASES]
        _hold(holding)
        seeing = {name: opened(name) for name in DATABASES}
        for each in seeing.values():
            each.execute("BEGIN")
            each.execute("SELECT count(*) FROM sqlite_master").fetchone()
        for each in holding:
            each.execute("ROLLBACK")
        yield seeing


def _hold(databases: list[sqlite3.Connection]) -> None:
    """Keep everybody else from writing to any of some databases.

    One that is not to be had at once is not waited for while another is held: who has the one may wait for the other.
    """
    until = time.monotonic() + _PATIENCE
    while True:
        try:
            for i, each in enumerate(databases):
                each.execute(f"PRAGMA busy_timeout={0 if i else _PATIENCE * 1000}")
                each.execute("BEGIN IMMEDIATE")
        except sqlite3.OperationalError:
            for each in databases:
                if each.in_transaction:
                    each.execute("ROLLBACK")
            if time.monotonic() > until:
                raise
            time.sleep(0.02)
        else:
            return


def _copy(source: sqlite3.Connection, path: Path) -> None:
    path.touch(mode=0o600)
    copy = sqlite3.connect(path, isolation_level=None)
    try:
        source.backup(copy, pages=_AT_ONCE)
        # One file, without a log beside it that could be forgotten.
        copy.execute("PRAGMA journal_mode=DELETE")
    finally:
        copy.close()
    with path.open("rb") as written:
        os.fsync(written.fileno())


def _looked_through(path: Path) -> str:
    """Return the form of a database, whose every page was looked at."""
    connection = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, isolation_level=None)
    try:
        found = connection.execute("PRAGMA quick_check(1)").fetchone()
        if found is None or found[0] != "ok":
            raise BackupFailed(f"{path.name} is damaged: {found[0] if found else 'nothing can be read'}")
        form = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        return str(form[0])
    finally:
        connection.close()


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _write(path: Path, text: str) -> None:
    path.touch(mode=0o600)
    with path.open("w", encoding="utf-8") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())


def _settle(folder: Path) -> None:
    """Have the name of what was just made survive a loss of power."""
    opened = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(opened)
    finally:
        os.close(opened)


def backups_in(folder: Path, is_name: Callable[[str], bool]) -> list[Path]:
    """Return the backups of a folder whose names are those that we give, the oldest first."""
    if not folder.is_dir():
        return []
    return sorted(each for each in folder.iterdir() if is_name(each.name) and (each / MANIFEST).is_file())
