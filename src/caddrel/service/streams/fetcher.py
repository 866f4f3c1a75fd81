"""Fetching address lists and devices, from an https address or a file that others put in a folder of their own.

What is wrong, or has grown beyond belief, changes nothing: what was there last stays until somebody has looked.
"""

from __future__ import annotations

import errno
import hashlib
import io
import os
import re
import stat
import time
from dataclasses import dataclass

import structlog

from caddrel.core.inventory.list_text import ListRefused, beyond_belief, read_networks
from caddrel.core.words.pieces import counted
from caddrel.service.inventory import audit_note
from caddrel.service.inventory.changes import ANYBODY, Accepted, InventoryChanges
from caddrel.service.inventory.imports import read_lines
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.outward import Unreached, checked_url, send
from caddrel.service.streams.rounds import Rounds
from caddrel.store.sources import FetchedFrom

# Seconds: a file that was written so shortly ago may not be whole yet.
SETTLED = 2.0
# Bytes of what is fetched, and the longest pause after many failures.
MOST, LONGEST = 64_000_000, 86_400.0
FILE = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,99}")
_log = structlog.get_logger("caddrel.sources")


@dataclass(frozen=True, slots=True)
class _Fetched:
    """The answer to a fetch; the body is None when the server says that it has not changed."""

    tag: str
    body: bytes | None


class _Held(Exception):
    """What was fetched is held back."""


class Fetcher:
    """Fetches what is due; one for the whole service."""

    def __init__(self, data: DataFolder, inventory: InventoryChanges) -> None:
        self._data, self._inventory = data, inventory
        self.rounds = Rounds(
            "caddrel-sources", self._fetched_ones, lambda source: source.name, lambda source: float(source.every),
            self.fetch, LONGEST,
        )  # fmt: skip

    def _fetched_ones(self) -> list[FetchedFrom]:
        return [source for source in self._data.sources.all() if not source.paused]

    def fetch(self, source: FetchedFrom) -> bool:
        """Fetch from a source now, and keep how that went; tell whether it could be reached and read."""
        kept = self._data.sources
        try:
            fetched = self._file(source) if FILE.fullmatch(source.source) else self._web(source)
            note = ""
            if fetched.body is not None:
                take = self._take_list if source.noun == "lists" else self._take_devices
                note = take(source, fetched.body)
        except _Held as held:
            _log.warning("sources.held", source=source.name, why=str(held))
            return True
        except (Unreached, ListRefused) as error:
            kept.failed(source.name, str(error))
            return False
        except ServiceError as refused:
            first = f": {refused.errors[0].message}" if refused.errors else ""
            kept.failed(source.name, f"{refused}{first}")
            return False
        now = self._data.clock()
        kept.fetched(source.name, now, fetched.tag)
        if note:
            target = f"/api/v1/{source.noun}"
            self._data.audit.add(now, f"source {source.name}", "fetched", target, "done", note[:1000])
        return True

    def _file(self, source: FetchedFrom) -> _Fetched:
        folder = self._data.settings.incoming
        if folder is None:
            raise Unreached("there is no folder of incoming files: see serve --incoming")
        try:
            # Whoever puts files there is not to have others read: a link is not followed, and nothing is waited for.
            handle = os.open(folder / source.source, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
            with os.fdopen(handle, "rb") as file:
                state = os.fstat(file.fileno())
                if not stat.S_ISREG(state.st_mode):
                    raise Unreached("it is no file")
                tag = f"{state.st_mtime_ns}-{state.st_size}"
                if tag == source.tag or time.time() - state.st_mtime < SETTLED:
                    return _Fetched(source.tag, None)
                body = file.read(MOST + 1)
        except OSError as error:
            said = "it is a link to another" if error.errno == errno.ELOOP else str(error.strerror)
            raise Unreached(f"the file cannot be read: {said}") from None
        if len(body) > MOST:
            raise Unreached(f"the file has more than {MOST} bytes")
        return _Fetched(tag, body)

    def _web(self, source: FetchedFrom) -> _Fetched:
        headers = {"Accept": "text/plain, application/json;q=0.9, */*;q=0.5"}
        if source.tag:
            headers["If-None-Match"] = source.tag
        answer = send("GET", source.source, headers, None, self._data.settings.allow_private, MOST)
        if answer.status == 304 and source.tag:
            return _Fetched(source.tag, None)
        if answer.status != 200:
            raise Unreached(f"answered {answer.status}")
        return _Fetched(answer.headers.get("etag", "")[:200], answer.body)

    def _take_list(self, source: FetchedFrom, body: bytes) -> str:
        try:
            networks = read_networks(body.decode("utf-8-sig"))
        except UnicodeDecodeError:
            raise ListRefused("it is no text in UTF-8") from None
        there = self._data.inventory.get("lists", source.name)
        old: list[str] = list(there.document.get("networks") or []) if there is not None else []
        if there is not None and networks == old:
            return ""
        digest = hashlib.sha256("\n".join(networks).encode()).hexdigest()
        why = beyond_belief(networks, self._data.inventories.current().lists.get(source.name))
        if why and digest != source.accepted:
            self._data.sources.hold(source.name, digest, f"held back: {why}")
            raise _Held(why)
        document = {**(there.document if there is not None else {"id": source.name}), "networks": networks}
        self._inventory.put_one("lists", document, there.version if there is not None else 0, "", ANYBODY)
        came, went = len(set(networks) - set(old)), len(set(old) - set(networks))
        return (
            f"{source.name}: {counted(came, 'network')} came, {went} went, {len(networks)} in all, from {source.source}"
        )

    def _take_devices(self, source: FetchedFrom, body: bytes) -> str:
        form = "csv" if source.source.endswith(".csv") else ""
        asked = read_lines(self._data, "devices", io.BytesIO(body), form)
        return audit_note.of_plan(self._inventory.take_in(asked, "patch", [], Accepted()))


def checked_source(data: DataFolder, text: str) -> str:
    """Return a source that may be fetched from.

    Raises
    ------
    ServiceError
        When it is neither an address that may be asked nor the name of a file.
    """
    if not FILE.fullmatch(text):
        return checked_url(text, data.settings.allow_private)
    if data.settings.incoming is None:
        hint = "serve with --incoming FOLDER, or name an https address"
        raise ServiceError(422, "bad-address", f"`{text}` is a file, and there is no folder of incoming files", hint)
    return text
