"""The rulebooks of revisions, read once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import Others
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.rulebook.model import Policy, Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.signals.history import needed_history
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.caches import Cache, Caches
from caddrel.store.revisions import Revision, RevisionStore

# Of a thousand policies each takes some sixty megabytes; those before the last few are asked for seldom.
MOST_READ = 6
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
        # What is about to be published: read and compiled by whoever publishes, and not by the first who asks.
        self._prepared: Published | None = None
        # By revision, how far its signals look back: one number each, and a revision never changes.
        self._looked_back: dict[int, int | None] = {}
        # By revision, its policies: one that stays as it is through many revisions is held once.
        self._policies: dict[int, Mapping[str, Policy]] = {}

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

    def prepare(self, revision: Revision, rulebook: Rulebook, diagnostics: tuple[Diagnostic, ...]) -> None:
        """Have a revision at hand that is about to be published: no door is to wait for its being read.

        It counts only once it is in the store, under that number and with those documents.
        """
        self._prepared = Published(revision, rulebook, CompiledRulebook(rulebook, revision.number), diagnostics)

    def policies_of(self, number: int) -> Mapping[str, Policy]:
        """Return the policies of a revision by id, for who looks through all revisions for when one became another.

        A revision that is not at hand is read for this alone, once: a company has hundreds, and each as a whole is
        large.
        """
        found = self._policies.get(number)
        if found is None:
            there = self._read.get(number)
            rulebook = there.rulebook if there is not None else self._rulebook(self._revision(number))[0]
            beside = self._policies.get(number + 1) or self._policies.get(number - 1) or {}
            found = self._policies[number] = {
                id: beside[id] if beside.get(id) == policy else policy for id, policy in rulebook.policies.items()
            }
        return found

    def needed_history(self, numbers: Iterable[int]) -> int | None:
        """Return how many attempts the signals of some revisions look back at; None when one has no such limit."""
        most = 0
        for number in numbers:
            if number not in self._looked_back:
                self._looked_back[number] = needed_history([self.get(number).rulebook])
            needed = self._looked_back[number]
            if needed is None:
                return None
            most = max(most, needed)
        return most

    def looks_back(self) -> bool:
        """Tell whether a signal of any revision looks back; of the newest it is asked first, as it mostly does."""
        return any(self.needed_history([number]) != 0 for _, number in reversed(self._store.in_force()))

    def _published(self, number: int) -> Published:
        revision, ready = self._revision(number), self._prepared
        if ready is not None and (ready.revision.number, ready.revision.files) == (number, revision.files):
            return Published(revision, ready.rulebook, ready.compiled, ready.diagnostics)
        rulebook, diagnostics = self._rulebook(revision)
        return Published(revision, rulebook, CompiledRulebook(rulebook, number), diagnostics)

    def _revision(self, number: int) -> Revision:
        revision = self._store.get(number)
        if revision is None:
            current = self._store.current_number()
            raise not_found(f"revision {number}", f"the current one is {current}" if current else "none is published")
        return revision

    def _rulebook(self, revision: Revision) -> tuple[Rulebook, tuple[Diagnostic, ...]]:
        result = read_rulebook([Source(name, text) for name, text in revision.files])
        return result.or_raise(), result.diagnostics
