"""Imports as things: listed, looked at, taken back whole."""

from __future__ import annotations

from datetime import datetime

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import show_moment
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.signins.live_log import LiveLog
from caddrel.service.signins.recompute import catch_up
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.jobs import Cancelled, Progress
from caddrel.store.imports import LogImport
from caddrel.wire import imports as wire


def import_list(data: DataFolder, limit: int, before: int | None) -> wire.ImportList:
    """Return the newest imports as they travel."""
    found = data.imports.newest(limit + 1, before)
    following = found[limit - 1].number if len(found) > limit else None
    return wire.ImportList([_view(each) for each in found[:limit]], following)


def one_import(data: DataFolder, number: int) -> wire.LogImport:
    """Return an import with how many of its records are in the log still."""
    return _view(need(data, number), data.imports.there(number))


def numbered(text: str) -> int:
    """Return the number of an import as a path has it.

    Raises
    ------
    ServiceError
        When it is none.
    """
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise not_found(f"import {shorten(text, 40)}", "see caddrel signins imports list")
    return int(text)


def need(data: DataFolder, number: int) -> LogImport:
    """Return an import.

    Raises
    ------
    ServiceError
        When there is none of that number.
    """
    found = data.imports.get(number)
    if found is None:
        raise not_found(f"import {number}", "see caddrel signins imports list")
    return found


def to_take_back(data: DataFolder, number: int) -> int:
    """Return how many records would go with an import.

    Raises
    ------
    ServiceError
        When it was taken back already.
    """
    found, there = need(data, number), data.imports.there(number)
    if found.taken_back is not None and not there:
        at = show_moment(found.taken_back)
        raise ServiceError(409, "taken-back", f"import {number} was taken back already, at {at}")
    return there


def take_back(data: DataFolder, log: LiveLog, number: int, by: str, progress: Progress) -> wire.TakenBack:
    """Take the records of an import out of the log, piece by piece, and work out again what looked back at them.

    Its number and what it was stay. Cancelled, what is gone is gone; taken back once more, the rest goes.
    """
    done = 0
    with log.importing:
        signals = data.rulebooks.looks_back()
        try:
            for count in data.signins.take_back(number, signals):
                done += count
                progress(done)
            data.imports.taken_back(number, data.clock(), by)
        except Cancelled as cancelled:
            raise Cancelled(wire.TakenBack(number, done, whole=False)) from cancelled
        finally:
            # Nobody may be about to store a record that names what is taken out here.
            with log.deciding:
                data.signins.forget_unused()
                log.histories.clear()
                log.lockouts.read_again()
            catch_up(data, log)
    return wire.TakenBack(number, done, whole=True)


def _view(found: LogImport, there: int | None = None) -> wire.LogImport:
    return wire.LogImport(
        found.number, found.name, found.format, found.mapping, found.by, show_moment(found.began),
        _shown(found.ended), found.added, found.already_there, found.conflicting, found.broken, _shown(found.first),
        _shown(found.last), _shown(found.taken_back), found.taken_back_by, there,
    )  # fmt: skip


def _shown(moment: datetime | None) -> str | None:
    return None if moment is None else show_moment(moment)
