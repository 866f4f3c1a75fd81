"""Keeps a copy of every WAL as it was at its last sync: what of it is left when the power goes.

Runs in the process that writes; it changes nothing but who is told of a sync. The layouts are those of `sqlite3_vfs`
and `sqlite3_io_methods` in SQLite's C interface.
"""

from __future__ import annotations

import _sqlite3
import ctypes
import os
import shutil
import threading
from pathlib import Path
from typing import Any

SYNCED = ".synced"


class _Vfs(ctypes.Structure):
    _fields_ = [
        ("version", ctypes.c_int),
        ("file_size", ctypes.c_int),
        ("longest_path", ctypes.c_int),
        ("next", ctypes.c_void_p),
        ("name", ctypes.c_char_p),
        ("data", ctypes.c_void_p),
        ("open", ctypes.c_void_p),
    ]


class _Methods(ctypes.Structure):
    _fields_ = [("version", ctypes.c_int), ("methods", ctypes.c_void_p * 18)]


class _File(ctypes.Structure):
    _fields_ = [("methods", ctypes.POINTER(_Methods))]


_SYNC = 4
_OpenType = ctypes.CFUNCTYPE(
    ctypes.c_int, ctypes.c_void_p, ctypes.c_void_p, ctypes.POINTER(_File), ctypes.c_int, ctypes.c_void_p
)
_SyncType = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.c_void_p, ctypes.c_int)
# C holds pointers to these for as long as the process lives.
_held: list[Any] = []


def watch() -> None:
    """Copy each WAL at each of its syncs, beside it."""
    library = ctypes.CDLL(_sqlite3.__file__)
    library.sqlite3_vfs_find.restype = ctypes.POINTER(_Vfs)
    vfs = library.sqlite3_vfs_find(None)
    open_really = _OpenType(vfs.contents.open)
    names: dict[int, Path] = {}
    watched = _Methods()
    copying = threading.Lock()

    def opened(found: int, at: int | None, file: Any, flags: int, out: int) -> int:
        # SQLite keeps the pointer, and reads the name there again: a copy of the name would be gone by then.
        code = open_really(found, at, file, flags, out)
        name = ctypes.string_at(at) if at is not None else b""
        if code == 0 and name.endswith(b"-wal"):
            if not _held[3:]:
                ctypes.memmove(ctypes.byref(watched), file.contents.methods, ctypes.sizeof(_Methods))
                sync_really = _SyncType(watched.methods[_SYNC])

                def synced(file: int, flags: int) -> int:
                    code = int(sync_really(file, flags))
                    wal = names[file]
                    draft = wal.with_name(f"{wal.name}.draft")
                    # One thread may commit while another moves what is committed into the database: both sync.
                    with copying:
                        shutil.copyfile(wal, draft)
                        draft.replace(wal.with_name(wal.name + SYNCED))
                    return code

                callback = _SyncType(synced)
                watched.methods[_SYNC] = ctypes.cast(callback, ctypes.c_void_p).value
                _held.append(callback)
            names[ctypes.addressof(file.contents)] = Path(os.fsdecode(name))
            file.contents.methods = ctypes.pointer(watched)
        return int(code)

    replacement = _OpenType(opened)
    _held.extend((open_really, watched, replacement))
    vfs.contents.open = ctypes.cast(replacement, ctypes.c_void_p).value


def lose_power(database: Path) -> bool:
    """Leave of a file's WAL what was synced, as after a loss of power; nobody may have it open.

    Returns
    -------
    bool
        Whether anything was ever synced.
    """
    wal = database.with_name(f"{database.name}-wal")
    synced = wal.with_name(wal.name + SYNCED)
    wal.unlink(missing_ok=True)
    database.with_name(f"{database.name}-shm").unlink(missing_ok=True)
    if not synced.exists():
        return False
    # The copy stays: when power is lost again before the next sync, this is what is on the disk.
    shutil.copyfile(synced, wal)
    return True
