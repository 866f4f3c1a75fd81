"""The rulebooks of revisions, read once."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.problems import ServiceError, not_found
from caddrel.store.revisions import Revision, RevisionStore


@dataclass(frozen=True, slots=True)
class Published:
    """A revision with the rulebook read from it, and the same made ready for deciding many attempts."""

    revision: Revision
    rulebook: Rulebook
    compiled: CompiledRulebook
    diagnostics: tuple[Diagnostic, ...]


class Rulebooks:
    """The rulebooks of revisions, each read once; a new revision counts from the next question on."""

    def __init__(self, store: RevisionStore, most: int = 16) -> None:
        self._store = store
        self._read: OrderedDict[int, Published] = OrderedDict()
        self._most = most
        self._lock = threading.Lock()

    def current(self) -> Published | None:
        """Return the current revision, None before the first."""
        number = self._store.current_number()
        return None if number is None else self.get(number)

    def need_current(self) -> Published:
        """Return the current revision.

        Raises
        ------
        ServiceError
            When nothing has been published yet.
        """
        published = self.current()
        if published is None:
            hint = "publish one: caddrel rulebook publish FILE --why …"
            raise ServiceError(409, "no-rulebook", "no rulebook has been published yet", hint)
        return published

    def get(self, number: int) -> Published:
        """Return a revision with its rulebook."""
        with self._lock:
            if number in self._read:
                self._read.move_to_end(number)
                return self._read[number]
        revision = self._store.get(number)
        if revision is None:
            current = self._store.current_number()
            raise not_found(f"revision {number}", f"the current one is {current}" if current else "none is published")
        result = read_rulebook([Source(name, text) for name, text in revision.files])
        rulebook = result.or_raise()
        published = Published(revision, rulebook, CompiledRulebook(rulebook, number), result.diagnostics)
        with self._lock:
            self._read[number] = published
            while len(self._read) > self._most:
                self._read.popitem(last=False)
        return published
