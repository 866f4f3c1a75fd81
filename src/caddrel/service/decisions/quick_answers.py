"""Evaluations on the quick path: read, decided and recorded many at a time, in one thread that does nothing else.

A request takes it when it comes from a door's token and there is nothing unusual about it; whatever else there is to
say of a request, the app says. Not here: what is decided (`evaluate`).
"""

from __future__ import annotations

import queue
import threading
import time
from collections import Counter
from collections.abc import Callable, Mapping
from concurrent.futures import Future
from dataclasses import dataclass

import msgspec

from caddrel.core.facts.attempts import AttemptRefused
from caddrel.service.auth.callers import Caller, Callers, check
from caddrel.service.decisions.evaluate import Door, Pending, unreadable
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.tallies import SECONDS, SIZES, Tally
from caddrel.service.decisions.work_queue import Stopped, Together
from caddrel.service.http.frame import (
    HEADERS,
    SECURE_HEADERS,
    headers_for,
    headers_of_problem,
    is_known_host,
    log_failure,
    log_request,
    request_id_of,
)
from caddrel.service.http.front import QuickRequest, Response
from caddrel.service.problems import ServiceError, problem_for
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.accounts import DOOR
from caddrel.wire import authzen
from caddrel.wire.decoding import decode

PATH = "/access/v1/evaluation"
# So many may wait, of all tokens and of one; so many are decided before the next commit takes them along.
MOST_WAITING, MOST_OF_TOKEN = 1_024, 512
TOGETHER = 32
# Seconds between two batches: a commit of one costs as much as one of many.
APART = 0.004
_HINT, _AGAIN = "ask again; nobody was let in", "ask again"
_encode = msgspec.json.Encoder().encode


@dataclass(slots=True, eq=False)
class _Asked:
    request: QuickRequest
    caller: Caller
    given_id: str
    request_id: str


class QuickAnswers:
    """Answers evaluations; one for the whole service.

    Parameters
    ----------
    between
        Is called now and then, between requests.

    Attributes
    ----------
    refused
        How many were refused because too many waited, by why: ``token`` when it was too many of one token.
    together
        How many were decided together.
    seconds
        How long those waited who were answered.
    """

    def __init__(
        self, data: DataFolder, callers: Callers, door: Door, recorder: Recorder, between: Callable[[], None]
    ) -> None:
        self._data, self._callers, self._door, self._recorder = data, callers, door, recorder
        self._between = between
        self._deciding = Together("caddrel-decider", self._decide, MOST_WAITING, TOGETHER, APART)
        self._of: Counter[str] = Counter()
        self._lock = threading.Lock()
        self._asked: dict[QuickRequest, _Asked] = {}
        self.refused: Counter[str] = Counter()
        self.together, self.seconds = Tally(SIZES), Tally(SECONDS)

    @property
    def waiting(self) -> int:
        """How many wait to be decided."""
        return self._deciding.waiting

    def begin(self, request: QuickRequest) -> bool:
        """Have an evaluation answered later; False leaves it to the app."""
        headers = request.headers
        host, authorization = headers.get(b"host", b""), headers.get(b"authorization", b"")
        try:
            if not is_known_host(host.decode("latin-1"), self._data.settings):
                return False
            caller = self._callers.at_once(authorization.decode("latin-1"), request.address)
            caller = check(caller, DOOR, changing=True, csrf="")
        except (ServiceError, ValueError):
            return False
        if caller.role != DOOR or len(request.body) > self._data.limits.body:
            return False
        given = headers.get(b"x-request-id", b"").decode("latin-1")
        asked = self._asked[request] = _Asked(request, caller, given, request_id_of(given))
        with self._lock:
            too_many = self._of[caller.token] >= MOST_OF_TOKEN
            self._of[caller.token] += 1
        try:
            if too_many:
                raise queue.Full
            self._deciding.put(asked)
        except queue.Full:
            self.refused["token" if too_many else "all"] += 1
            self._refuse(asked, ServiceError(503, "too-busy", "too many evaluations wait", _HINT))
        except Stopped:
            self._refuse(asked, ServiceError(503, "service-stopping", "the service is stopping", _HINT))
        return True

    def late(self, request: QuickRequest) -> None:
        """Refuse an evaluation that has waited too long."""
        self._refuse(
            self._asked[request], ServiceError(503, "too-busy", "the decision was not recorded in time", _AGAIN)
        )

    def told(self, request: QuickRequest, response: Response) -> None:
        """Write the line of an evaluation that was answered."""
        asked = self._asked.pop(request)
        self.seconds.add(time.perf_counter() - request.began)
        with self._lock:
            self._of[asked.caller.token] -= 1
            if not self._of[asked.caller.token]:
                del self._of[asked.caller.token]
        log_request("POST", request.path, response[0], request.began, asked.caller.name, asked.request_id)

    def stop(self) -> None:
        """Decide what waits, and take nothing more."""
        self._deciding.stop()

    def _decide(self, several: list[_Asked]) -> None:
        self.together.add(len(several))
        # Everybody who asked while the commit before was written shares the next one.
        with self._recorder.gathering():
            for asked in several:
                try:
                    body = decode(asked.request.body, authzen.Evaluation)
                    pending = self._door.begin(asked.caller, body, asked.given_id)
                    self._wait(asked, pending, _encode(pending.answer))
                except Exception as error:  # noqa: BLE001 - told to whoever asked
                    self._refuse(asked, error)
        self._between()

    def _wait(self, asked: _Asked, pending: Pending, body: bytes) -> None:
        """Have an answer sent once the decision is stored."""

        def stored(future: Future[None]) -> None:
            error = future.exception()
            if error is None:
                self._answer(asked, 200, body, b"application/json")
            else:
                self._refuse(asked, error)

        pending.stored.add_done_callback(stored)

    def _refuse(self, asked: _Asked, error: BaseException) -> None:
        if isinstance(error, AttemptRefused):
            error = unreadable(error)
        problem = problem_for(error, asked.request_id)
        if problem.status >= 500:
            log_failure(asked.request_id, error)
        self._answer(asked, problem.status, _encode(problem), b"application/problem+json")

    def _answer(self, asked: _Asked, status: int, body: bytes, media: bytes) -> None:
        headers = [
            (b"content-type", media),
            (b"content-length", b"%d" % len(body)),
            (b"cache-control", b"no-store"),
            *(_SECURE if headers_for(self._data.settings) is SECURE_HEADERS else _PLAIN),
            *_encoded(headers_of_problem(status)),
            (b"x-request-id", asked.request_id.encode("latin-1")),
        ]
        asked.request.answer(asked.request, (status, headers, body))


def _encoded(headers: Mapping[str, str]) -> list[tuple[bytes, bytes]]:
    return [(name.lower().encode(), value.encode("latin-1")) for name, value in headers.items()]


_PLAIN, _SECURE = _encoded(HEADERS), _encoded(SECURE_HEADERS)
