"""The rulebooks of revisions, read once."""

from __future__ import annotations

from dataclasses import dataclass, field

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import Others
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.caches import Cache, Caches
from caddrel.store.revisions import Revision, RevisionStore

MOST_READ = 16
_NOTHING = read_rulebook([Source("nothing", "caddrel: 1")]).or_raise()


@dataclass(frozen=True, slots=True)
class Published:
    """A revision with the rulebook read from it, and the same made ready for deciding many attempts."""

    revision: Revision
    rulebook: Rulebook
    compiled: CompiledRulebook
    diagnostics: tuple[Diagnostic, ...]
    others: Others = field(default_factory=Others)


class Rulebooks:
    """The rulebooks of revisions, each read once; a new revision counts from the next question on."""

    def __init__(self, store: RevisionStore, caches: Caches) -> None:
        self._store = store
        self._read: Cache[int, Published] = caches.make("rulebooks", MOST_READ)

    def current(self) -> Published | None:
        """Return the current revision, None before the first."""
        number = self._store.current_number()
        return None if number is None else self.get(number)

    def in_force(self) -> Rulebook:
        """Return the rulebook of the current revision; before the first one that says nothing.

        For what asks a rulebook for its names alone: who writes a filter, or tries how a log is read, needs no policy.
        """
        published = self.current()
        return _NOTHING if published is None else published.rulebook

    def need_current(self) -> Published:
        """Return the current revision.

        Raises
        ------
        ServiceError
            When nothing has been published yet.
        """
        published = self.current()
        if published is None:
            hint = "begin with one of caddrel rulebook starts: caddrel rulebook publish FILE --why …"
            raise ServiceError(409, "no-rulebook", "no rulebook has been published yet", hint)
        return published

    def get(self, number: int) -> Published:
        """Return a revision with its rulebook."""
        return self._read.once(number, lambda: self._published(number))

    def _published(self, number: int) -> Published:
        revision = self._store.get(number)
        if revision is None:
            current = self._store.current_number()
            raise not_found(f"revision {number}", f"the current one is {current}" if current else "none is published")
        result = read_rulebook([Source(name, text) for name, text in revision.files])
        rulebook = result.or_raise()
        return Published(revision, rulebook, CompiledRulebook(rulebook, number), result.diagnostics)
