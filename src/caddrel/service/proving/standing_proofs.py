"""What is proven of the rulebook in force, looked at again whenever it or the inventory has changed, and since when."""

from __future__ import annotations

import threading
import time
from dataclasses import astuple, dataclass
from typing import Any, TypeVar

import msgspec
import structlog

from caddrel import __version__
from caddrel.core.facts.values import show_moment
from caddrel.core.words.guarantees import guarantee_words
from caddrel.core.words.pieces import plain
from caddrel.service.problems import ServiceError
from caddrel.service.proving.proof_jobs import ProofJobs
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.proven import LastProven
from caddrel.wire import proofs as wire
from caddrel.wire.rulebooks import Side

GUARANTEE, SAFEGUARD = "guarantee", "safeguard"
# What the last look was at, kept beside what came of it: after a restart nothing is proven that was.
_LOOK, _LAST = "look", "last"
# However often the inventory changes, so many seconds lie between two looks for that alone, and so many times what the
# last one took: a directory that never rests has no more than a thirtieth of a processor prove for it.
REST, RESTS = 300.0, 30.0
_log = structlog.get_logger("caddrel.proofs")
A = TypeVar("A", wire.GuaranteeAnswer, wire.SafeguardAnswer)


def _is_standing(question: Any) -> bool:
    """Tell whether a question is about what is in force, as that says itself."""
    match question:
        case wire.GuaranteeRequest(side=side, who=who):
            return side == Side() and not who
        case wire.CheckUpRequest(side=side, sensitive=sensitive, administration=administration):
            return side == Side() and not sensitive and not administration
        case _:
            return False


def _dated(answer: A, last: LastProven | None) -> A:
    return answer if last is None else msgspec.structs.replace(answer, since=show_moment(last.since))


@dataclass(frozen=True, slots=True)
class _Standing:
    """All that answers about what is in force hang on: while it is the same, so are they.

    Some ask what the inventory says today, and a later release may ask other things.
    """

    revision: int
    inventory: int
    day: str
    release: str = __version__

    def __str__(self) -> str:
        return " ".join(map(str, astuple(self)))


class StandingProofs:
    """Keeps what was last proven of what is in force."""

    def __init__(self, data: DataFolder, proofs: ProofJobs) -> None:
        self._data, self._proofs = data, proofs
        self._lock = threading.Lock()
        # What the last look was at, whatever came of it; when it ended, and the seconds that it took.
        self._looked: _Standing | None = None
        self._when = self._took = 0.0
        self._under_way = False

    def look_soon(self) -> None:
        """Have everything proven again beside what else is done, where it may be another by now."""
        standing = self._standing()
        with self._lock:
            if self._under_way or not standing.revision or self.is_proven(standing):
                return
            same = self._looked is not None and self._looked.revision == standing.revision
            if same and time.monotonic() - self._when < max(REST, RESTS * self._took):
                return
            self._under_way = True
        self._proofs.jobs.soon(self._look)

    def is_proven(self, standing: _Standing | None = None) -> bool:
        """Tell whether what is in force is proven as it is now."""
        last = self._data.proven.all(_LOOK).get(_LAST)
        return last is not None and last.definition == str(standing or self._standing())

    def completed(self, question: Any, answer: Any) -> Any:
        """Return an answer with the moment since which it has been so, and keep it; only for the rulebook in force."""
        if not _is_standing(question):
            return answer
        if isinstance(question, wire.GuaranteeRequest) and isinstance(answer, wire.ProofResult):
            self._note_guarantees(answer, not question.guarantee)
            since = self._data.proven.all(GUARANTEE)
            return wire.ProofResult([_dated(each, since.get(each.guarantee)) for each in answer.guarantees])
        if not isinstance(question, wire.CheckUpRequest):
            return answer
        self._note_safeguards(answer, not question.safeguard)
        since = self._data.proven.all(SAFEGUARD)
        return wire.CheckUp([_dated(each, since.get(each.safeguard)) for each in answer.safeguards])

    def _note_guarantees(self, answer: wire.ProofResult, whole: bool) -> None:
        current = self._data.rulebooks.current()
        if current is None:
            return
        rulebook = current.rulebook
        said = {name: plain(guarantee_words(each, rulebook)) for name, each in rulebook.guarantees.items()}
        # One that was taken out or written anew meanwhile is none of those in force.
        known = [each for each in answer.guarantees if each.guarantee in said]
        found = {each.guarantee: (said[each.guarantee], each.answer) for each in known}
        self._data.proven.keep(GUARANTEE, found, self._data.clock(), whole)

    def _note_safeguards(self, answer: wire.CheckUp, whole: bool) -> None:
        found = {each.safeguard: (each.title, each.verdict) for each in answer.safeguards}
        self._data.proven.keep(SAFEGUARD, found, self._data.clock(), whole)

    def _standing(self) -> _Standing:
        data = self._data
        return _Standing(
            data.revisions.current_number() or 0, data.inventory.version(), data.clock().date().isoformat()
        )

    def _look(self) -> None:
        began, at = self._standing(), time.monotonic()
        try:
            # What cannot be proven now is proven at the next look.
            try:
                guarantees: wire.ProofResult = self._proofs.ask("prove", wire.GuaranteeRequest())
                safeguards: wire.CheckUp = self._proofs.ask("check-up", wire.CheckUpRequest())
                if self._data.revisions.current_number() == began.revision:
                    self._note_guarantees(guarantees, whole=True)
                    self._note_safeguards(safeguards, whole=True)
                    # Last: what is cut off in between is proven again.
                    self._data.proven.keep(_LOOK, {_LAST: (str(began), "")}, self._data.clock())
            except ServiceError:
                pass
            except Exception as error:  # noqa: BLE001 - told, and nothing else hangs on it
                _log.error("proofs.failed", exc_info=error)
        finally:
            with self._lock:
                now = time.monotonic()
                self._looked, self._when, self._took, self._under_way = began, now, now - at, False
