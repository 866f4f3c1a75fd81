"""One evaluation: read, decided on the world as it is now, recorded, answered."""

from __future__ import annotations

import hashlib
import threading
from collections import Counter
from collections.abc import Iterable, Mapping
from concurrent.futures import Future
from concurrent.futures import TimeoutError as Late
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import Any

import msgspec

from caddrel.core.columnar.live_completion import LiveAttempt
from caddrel.core.decide.decision import Decision
from caddrel.core.diagnostics import shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.facts import TO_COME, Facts
from caddrel.core.logs.causes import Causes
from caddrel.core.logs.references import number_for, spelled, with_reference
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.auth.callers import Caller
from caddrel.service.auth.secrets import new_id
from caddrel.service.auth.starter_codes import code_digest
from caddrel.service.decisions import sessions
from caddrel.service.decisions.authzen_request import may_accept, read_request
from caddrel.service.decisions.authzen_response import answer
from caddrel.service.decisions.decider import Decider
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.live_facts import Present, add_lock_out, live_attempt
from caddrel.service.decisions.session_facts import kept_of, look_again
from caddrel.service.decisions.shadow_drafts import Shadowed, Shadows
from caddrel.service.problems import ServiceError
from caddrel.service.signins.live_log import LiveLog
from caddrel.service.signins.record_encoding import Decisions, recorded_of, signin_of
from caddrel.service.signins.strange_words import MOST_TOLD, strange_words
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.rulebook_cache import Published
from caddrel.store.acceptances import Acceptance
from caddrel.store.door_sessions import DoorSession
from caddrel.wire import authzen

# Seconds; a decision that takes longer to record is not given.
LONGEST_WAIT = 20.0
LONGEST_REQUEST_ID = 200
# So many of several evaluations are decided before others have their turn.
SLICE = 16
_NOTHING = recorded_of({})
_encode = msgspec.json.Encoder(order="deterministic").encode


@dataclass(frozen=True, slots=True)
class Pending:
    """An evaluation that is decided and waits to be stored; nobody may be told of it before it is."""

    digest: bytes
    answer: authzen.AccessDecision
    stored: Future[None]


class Door:
    """Answers evaluations; one for the whole service."""

    def __init__(self, data: DataFolder, log: LiveLog, decider: Decider, recorder: Recorder, shadows: Shadows) -> None:
        self._data = data
        self._log = log
        self._decider = decider
        self._recorder = recorder
        self._shadows = shadows
        # Words on no list that doors reported since the service started, by fact and word.
        self.strange: Counter[tuple[str, str]] = Counter()
        # Live decisions since the service started, by outcome.
        self.outcomes: Counter[str] = Counter()
        self._pending: dict[str, Pending] = {}
        self._lock = threading.Lock()
        self._once = threading.Lock()
        self._decisions = Decisions()
        # Of the rulebook that is in force, which is held with them: an earlier one is let go of.
        self._causes: tuple[Rulebook | None, Causes] = (None, Causes())
        self._ids = data.keys.of("ids")

    def evaluate(self, caller: Caller, request: authzen.Evaluation, request_id: str) -> authzen.AccessDecision:
        """Return the decision on an evaluation, once it is recorded.

        Parameters
        ----------
        request_id
            What the door calls its request, empty when it does not say. Asked again by the same name, the answer is the
            same, and recorded once.

        Raises
        ------
        ServiceError
            When it cannot be read, is another request by the same name, or cannot be recorded.
        """
        return self._wait(self.begin(caller, request, request_id))

    def evaluate_all(
        self, caller: Caller, requests: list[authzen.Evaluation], request_id: str, stop_at: bool | None
    ) -> list[authzen.AccessDecision | ServiceError | AttemptRefused]:
        """Return the decisions on several evaluations, in order.

        Parameters
        ----------
        stop_at
            End after the first decision that is this; None decides all, which are then recorded together.
        """
        waiting: list[Pending | ServiceError | AttemptRefused] = []
        for first in range(0, len(requests), SLICE):
            # In slices: whoever asks about one alone waits for no more than these.
            some = requests[first : first + SLICE]
            names = [f"{request_id}#{first + i}" if request_id else "" for i in range(len(some))]
            waiting += self._decider.ask(
                partial(self._begin_some, caller, list(zip(some, names, strict=True)), stop_at)
            )
            if stop_at is not None and _lets_in(waiting[-1]) == stop_at:
                break
        return [self._wait(begun) if isinstance(begun, Pending) else begun for begun in waiting]

    def _begin_some(
        self, caller: Caller, requests: Iterable[tuple[authzen.Evaluation, str]], stop_at: bool | None
    ) -> list[Pending | ServiceError | AttemptRefused]:
        """Begin evaluations, each with its id, up to the first whose decision is `stop_at`."""
        begun: list[Pending | ServiceError | AttemptRefused] = []
        for request, request_id in requests:
            try:
                begun.append(self.begin(caller, request, request_id))
            except (ServiceError, AttemptRefused) as refused:
                if isinstance(refused, ServiceError) and refused.status >= 500:
                    raise
                begun.append(refused)
            if stop_at is not None and _lets_in(begun[-1]) == stop_at:
                break
        return begun

    def would_allow(self, caller: Caller, request: authzen.Evaluation) -> bool:
        """Tell whether an evaluation would be allowed now; nobody signs in, so nothing is recorded."""
        data, log = self._data, self._log
        published = data.rulebooks.need_current()
        rulebook, now = published.rulebook, data.clock()
        present = Present.of(data, rulebook, now)
        facts = live_attempt(present, read_request(request, rulebook).claims, caller).facts
        with log.deciding:
            log.histories.look_back([rulebook])
            add_lock_out(log.lockouts, rulebook, facts, now)
            log.histories.notice(rulebook, facts, "")
        return published.compiled.decide(facts).outcome == "allowed"

    def _wait(self, pending: Pending) -> authzen.AccessDecision:
        try:
            pending.stored.result(LONGEST_WAIT)
        except Late:
            raise ServiceError(503, "too-busy", "the decision was not recorded in time", "ask again") from None
        return pending.answer

    def begin(self, caller: Caller, request: authzen.Evaluation, request_id: str) -> Pending:
        """Return an evaluation decided and on its way into the log, or what it was answered before.

        Raises
        ------
        ServiceError
            When it is another request by the same name, or cannot be recorded.
        AttemptRefused
            When it cannot be read.
        """
        if len(request_id) > LONGEST_REQUEST_ID or not request_id.isprintable():
            raise ServiceError(
                400, "bad-request-id", f"X-Request-ID is at most {LONGEST_REQUEST_ID} printable characters"
            )
        digest = hashlib.sha256(_encode(request)).digest()
        if not request_id:
            return self._decide(caller, request, f"d-{new_id(20)}", digest)
        # By the folder's key: whoever knows the request's id cannot tell the sign-in's, nor its reference.
        named = f"{caller.token}\n{request_id}".encode()
        id = "d-" + hashlib.blake2b(named, key=self._ids, digest_size=10).hexdigest()
        # Of several at once by the same name, one is decided and the others wait for it.
        with self._once:
            with self._lock:
                before = self._pending.get(id)
            before = before or self._stored(caller, id)
            if before is None:
                pending = self._decide(caller, request, id, digest)
                with self._lock:
                    self._pending[id] = pending
                pending.stored.add_done_callback(lambda _: self._forget(id))
                return pending
        if before.digest != digest:
            hint = "give each request an id of its own"
            raise ServiceError(409, "request-id-used", "another request had this X-Request-ID", hint)
        return before

    def _stored(self, caller: Caller, id: str) -> Pending | None:
        """Return what an evaluation was answered, when it is in the log."""
        found = self._data.signins.present([id])
        record = self._data.signins.get(id) if found else None
        if record is None:
            return None
        rulebook = self._data.rulebooks.get(record.columns["revision"]).rulebook
        # As it was told then, whatever has become of the session since.
        told = record.facts.get("session")
        values = record.facts["values"]
        factors = frozenset(values["person.factors"][1]) if "person.factors" in values else None
        done: Future[None] = Future()
        done.set_result(None)
        made = answer(id, record.reference, record.decision, rulebook, factors, told, caller.sees)
        return Pending(found[id], made, done)

    def _decide(self, caller: Caller, request: authzen.Evaluation, id: str, digest: bytes) -> Pending:
        data, log, now = self._data, self._log, self._data.clock()
        published = data.rulebooks.need_current()
        rulebook = published.rulebook
        asked = read_request(request, rulebook)
        claims = asked.claims
        session: DoorSession | None = None
        if asked.session:
            session = data.door_sessions.get(asked.session)
            why = sessions.why_ended(session, caller.token, now)
            if why or session is None:
                return self._refuse_ended(session, why, digest)
            sessions.resume(session, claims, now)
        for notice in may_accept(asked, caller.reports):
            version = rulebook.notices[notice].version
            data.acceptances.add(Acceptance(str(claims["person.id"]), notice, version, now, caller.token_name, id))
        # All that hangs on this attempt alone is done before the lock is taken.
        coded = bool(asked.code) and data.starter_codes.good(code_digest(asked.code), str(claims["person.id"]), now)
        present = Present.of(data, rulebook, now)
        attempt = live_attempt(present, _proved(claims) if coded else claims, caller)
        without = live_attempt(present, claims, caller) if coded else attempt
        facts = attempt.facts
        with log.deciding:
            log.histories.look_back([rulebook])
            add_lock_out(log.lockouts, rulebook, facts, now, asked.reserved)
            decision = self._look(published, facts, id)
            if coded and decision.outcome == "allowed" and not self._use_code(asked.code, claims, now, id):
                # Somebody else has just used it: it counts for nothing here.
                coded, attempt, facts = False, without, without.facts
                add_lock_out(log.lockouts, rulebook, facts, now)
                decision = self._look(published, facts, id)
            kept = kept_of(rulebook, claims, facts)
            left = sessions.after(session, id, caller.token, facts.values, decision, now, kept)
            stored, told = self._record(published, present, attempt, decision, (id, digest), left)
        pending = Pending(digest, self._answer(published, facts, decision, id, told, caller), stored)
        with self._lock:
            self.outcomes[decision.outcome] += 1
        said = _proved(claims) if coded else claims
        self._shadows.put(Shadowed(id, now, caller, said, rulebook, facts))
        for word in strange_words(facts.not_understood) if facts.not_understood else ():
            # Whoever makes words up makes no more work.
            if word in self.strange or len(self.strange) < MOST_TOLD:
                self.strange[word] += 1
        return pending

    def _record(
        self,
        published: Published,
        present: Present,
        attempt: LiveAttempt,
        decision: Decision,
        named: tuple[str, bytes],
        left: DoorSession | None,
    ) -> tuple[Future[None], Mapping[str, Any] | None]:
        """Have a decision stored, and looked back at from now on; with it what its door is told of the session.

        The caller holds the log's lock.

        Parameters
        ----------
        named
            Id, and the digest of the request.
        left
            The session as the decision leaves it.
        """
        log, now, facts, (id, digest) = self._log, present.now, attempt.facts, named
        told = sessions.limits_json(left) if left is not None else None
        if left is not None:
            left = replace(left, look_again=look_again(present, left))
        person = str(facts.values.get("person.id"))
        log.histories.add(facts, now, id, decision.outcome)
        if facts.values.get("auth.credentials") == "wrong":
            log.lockouts.failed(person, now)
        apart = attempt.split()
        cause = self._causes_under(published.rulebook).of_live(published.rulebook, facts, apart[1], decision)
        decided, number = self._decisions.of(decision), published.revision.number
        signin = signin_of(id, now, facts, apart, _NOTHING, decided, cause, number, digest, told)
        try:
            stored = self._recorder.put(signin, left, log.histories.late())
        except ServiceError:
            # Not recorded, so not to be looked back at. A wrong password counts all the same: it was tried.
            log.histories.stored([id])
            log.histories.drop(person)
            raise
        return stored, told

    def _causes_under(self, rulebook: Rulebook) -> Causes:
        held = self._causes
        if held[0] is not rulebook:
            held = self._causes = (rulebook, Causes())
        return held[1]

    def _answer(
        self,
        published: Published,
        facts: Facts,
        decision: Decision,
        id: str,
        told: Mapping[str, Any] | None,
        caller: Caller,
    ) -> authzen.AccessDecision:
        reference = spelled(number_for(id))
        document = with_reference(self._decisions.document(decision), reference)
        factors = facts.values.get("person.factors")
        held = factors if isinstance(factors, frozenset) else None
        return answer(id, reference, document, published.rulebook, held, told, caller.sees)

    def _look(self, published: Published, facts: Facts, id: str) -> Decision:
        """Return the decision on an attempt, with its signals; the caller holds the log's lock."""
        # The reference is put in by the answer: so that decisions can be remembered.
        facts.reference = TO_COME
        self._log.histories.notice(published.rulebook, facts, id)
        return published.compiled.decide(facts)

    def _use_code(self, code: str, claims: Mapping[str, Any], now: datetime, id: str) -> bool:
        """Use up a starter code that let somebody in; tell whether nobody else just did."""
        return self._data.starter_codes.use(code_digest(code), str(claims["person.id"]), now, id)

    def _forget(self, id: str) -> None:
        with self._lock:
            self._pending.pop(id, None)

    def _refuse_ended(self, session: DoorSession | None, why: str, digest: bytes) -> Pending:
        """Return the refusal of a session that is not good any more; nothing is decided, so nothing is recorded."""
        if session is not None and session.ended is None and why in {"idle", "too old"}:
            self._data.door_sessions.end(session.id, self._data.clock(), why)
        done: Future[None] = Future()
        done.set_result(None)
        more = session.asks if session is not None and why == sessions.AGAIN else ()
        tells = [{"text": text} for text in (sessions.ended_text(why), *more)]
        context = {"session": {"ended": why}, "tell": tells}
        return Pending(digest, authzen.AccessDecision(False, context), done)


def _lets_in(begun: Pending | ServiceError | AttemptRefused) -> bool:
    """Tell whether an evaluation of several lets in; one that cannot be read does not."""
    return isinstance(begun, Pending) and begun.answer.decision


def _proved(claims: Mapping[str, Any]) -> dict[str, Any]:
    """Return claims with a starter code among the methods, used this moment."""
    said = claims.get("auth.methods") or {}
    methods = said if isinstance(said, Mapping) else dict.fromkeys(said)
    return {**claims, "auth.methods": {**methods, "starter-code": 0}}


def unreadable(refused: AttemptRefused) -> ServiceError:
    """Return the refusal of an evaluation that cannot be read."""
    return ServiceError(400, "bad-attempt", "the evaluation cannot be read", "", refused.problems)


def checked_page(token: str) -> str:
    """Return the id that a search goes on after.

    Raises
    ------
    ServiceError
        When the token is none that a search gave.
    """
    if token and not token.startswith("after:"):
        raise ServiceError(400, "bad-cursor", f"`{shorten(token)}` is not a page token that this service gave")
    return token.removeprefix("after:")
