"""Proofs as jobs: a question waits for those before it, and one that nobody wants any more is left, also midway."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable
from importlib import import_module
from typing import Any

import msgspec

from caddrel.service.problems import ServiceError
from caddrel.service.rulebooks.drafts import with_documents
from caddrel.service.state.context import State
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.jobs import Cancelled, Jobs, Progress
from caddrel.service.state.worker_process import GivenUp, Wish, WorkerProcess
from caddrel.wire import proofs as wire
from caddrel.wire.jobs import Job
from caddrel.wire.rulebooks import Side

# So many questions wait, of so many characters of documents in all: they are held in memory.
MOST_WAITING, MOST_TEXT = 200, 64_000_000
# And of one caller: whoever asks very much holds up themselves.
MOST_EACH = 100
# What is done here is done in the process for proofs: the solver holds on to its thread.
_THERE = 1

# Read by that process alone: the solver takes a tenth of a second and thirty megabytes, and is no good among threads.
SOLVING = "caddrel.service.proving.proofs"


# Is handed a question and its answer.
Complete = Callable[[Any, Any], Any]


def answered(state: State, name: str, request: Any) -> Any:
    """Return the answer to a question of a name; in the process for proofs."""
    return import_module(SOLVING).QUESTIONS[name](state, request)


class ProofJobs:
    """Asks the process for proofs: at once, or as a job."""

    def __init__(self, data: DataFolder, prover: WorkerProcess) -> None:
        self._data, self._prover = data, prover
        self.jobs = Jobs(data.clock, MOST_WAITING)
        self._held, self._waiting = 0, Counter[str]()
        # Held while it is counted.
        self._counting = threading.Lock()

    def ask(self, name: str, request: Any) -> Any:
        """Return the answer to a question, once those that are being proven are."""
        return self._prover.do(_THERE, answered, self._data, name, self._whole(request))

    def start(self, request: wire.ProofQuestion, by: str, complete: Complete) -> Job:
        """Have a question proven as soon as those before it are.

        Parameters
        ----------
        complete
            Adds to an answer what is known here besides.

        Raises
        ------
        ServiceError
            When none or several are asked, or too many wait.
        """
        fields = msgspec.structs.fields(request)
        asked = [
            (each.encode_name, getattr(request, each.name))
            for each in fields
            if getattr(request, each.name) is not None
        ]
        if len(asked) != 1:
            names = ", ".join(each.encode_name for each in fields)
            raise ServiceError(422, "bad-parameter", f"ask one question: {names}")
        ((name, question),) = asked
        whole, wish = self._whole(question), Wish()
        size = sum(len(file.text) for side in _sides(whole) for file in side.files or ())
        self._reserve(by, size)

        def work(_progress: Progress) -> Any:
            try:
                return complete(question, self._prover.do_wished(wish, answered, self._data, name, whole))
            except GivenUp:
                raise Cancelled from None

        def after() -> None:
            with self._counting:
                self._held -= size
                self._waiting[by] -= 1

        return self.jobs.start(name, by, 1, "questions", work, after, lambda: self._prover.give_up(wish))

    def _reserve(self, by: str, size: int) -> None:
        with self._counting:
            if self._held + size > MOST_TEXT or self._waiting[by] >= MOST_EACH:
                raise ServiceError(503, "too-busy", "too much is waiting to be proven", "try again in a moment")
            self._held += size
            self._waiting[by] += 1

    def _whole(self, request: Any) -> Any:
        """Return a question with the documents of the drafts that it names, as the other process is to read them."""
        named = {
            each.name: with_documents(self._data, getattr(request, each.name))[0]
            for each in msgspec.structs.fields(request)
            if isinstance(getattr(request, each.name), Side)
        }
        return msgspec.structs.replace(request, **named)


def _sides(request: Any) -> list[Side]:
    values = [getattr(request, each.name) for each in msgspec.structs.fields(request)]
    return [each for each in values if isinstance(each, Side)]
