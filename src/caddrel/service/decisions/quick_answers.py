"""Evaluations on the quick path: read, decided and answered in the decider's thread, without the app.

A request takes it when it comes from a door's token and there is nothing unusual about it; whatever else there is to
say of a request, the app says. Not here: what is decided (`evaluate`), and when (`decider`).
"""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Mapping
from concurrent.futures import Future
from dataclasses import dataclass
from functools import partial

import msgspec

from caddrel.core.facts.attempts import AttemptRefused
from caddrel.service.auth.callers import Caller, Callers, check
from caddrel.service.decisions.decider import Decider
from caddrel.service.decisions.evaluate import Door, Pending, unreadable
from caddrel.service.decisions.tallies import SECONDS, Tally
from caddrel.service.decisions.work_queue import HINT
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
# So many of one token may wait, of those that may wait in all.
MOST_OF_TOKEN = 512
_AGAIN = "ask again"
_encode = msgspec.json.Encoder().encode


@dataclass(slots=True, eq=False)
class _Asked:
    request: QuickRequest
    caller: Caller
    given_id: str
    request_id: str


class QuickAnswers:
    """Answers evaluations; one for the whole service.

    Attributes
    ----------
    refused
        How many were refused, because too many of one token waited.
    seconds
        How long those waited who were answered.
    """

    def __init__(self, data: DataFolder, callers: Callers, door: Door, decider: Decider) -> None:
        self._data, self._callers, self._door, self._decider = data, callers, door, decider
        self._of: Counter[str] = Counter()
        self._lock = threading.Lock()
        self._asked: dict[QuickRequest, _Asked] = {}
        self.refused = 0
        self.seconds = Tally(SECONDS)

    @property
    def waiting(self) -> int:
        """How many wait for an answer."""
        return len(self._asked)

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
                self.refused += 1
                raise ServiceError(503, "too-busy", "too many evaluations of this token wait", HINT)
            self._decider.put(partial(self._decide, asked))
        except ServiceError as error:
            self._refuse(asked, error)
        return True

    def late(self, request: QuickRequest) -> None:
        """Refuse an evaluation that has waited too long."""
        self._refuse(
            self._asked[request], ServiceError(503, "too-busy", "the decision was not recorded in time", _AGAIN)
        )

    def answered(self, request: QuickRequest, response: Response) -> None:
        """Write the line of an evaluation that was answered."""
        asked = self._asked.pop(request)
        self.seconds.add(time.perf_counter() - request.began)
        with self._lock:
            self._of[asked.caller.token] -= 1
            if not self._of[asked.caller.token]:
                del self._of[asked.caller.token]
        log_request("POST", request.path, response[0], request.began, asked.caller.name, asked.request_id)

    def _decide(self, asked: _Asked) -> None:
        try:
            body = decode(asked.request.body, authzen.Evaluation)
            pending = self._door.begin(asked.caller, body, asked.given_id)
            self._wait(asked, pending, _encode(pending.answer))
        except Exception as error:  # noqa: BLE001 - told to whoever asked
            self._refuse(asked, error)

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
