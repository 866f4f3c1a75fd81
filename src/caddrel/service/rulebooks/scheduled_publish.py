"""Publishing drafts at a time: checked when it is planned, and again when it is due."""

from __future__ import annotations

import threading
from datetime import timedelta

import structlog

from caddrel.core.diagnostics import RulebookError
from caddrel.core.facts.values import ValueRefused, read_moment, show_moment
from caddrel.service.problems import ServiceError, problem_for
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.rulebooks.publish import Publisher, nothing_changed, says_the_same
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.drafts import Draft, Plan
from caddrel.store.revisions import Conflict
from caddrel.wire import drafts as wire
from caddrel.wire.decisions import File
from caddrel.wire.rulebooks import PublishRequest

# Seconds; clocks may be set, so nobody sleeps through to a far moment.
LOOK_EVERY = 20.0
FARTHEST = timedelta(days=400)
MAY_PUBLISH = ("publisher", "operator")
_log = structlog.get_logger("caddrel.planner")


def may_still(data: DataFolder, plan: Plan) -> bool:
    """Tell whether whoever planned something may still publish: a plan is not carried out for somebody put out."""
    if plan.token:
        token = data.accounts.token(plan.token)
        if token is None or token.revoked_at is not None or (token.expires_at or data.clock()) < data.clock():
            return False
        return token.role in MAY_PUBLISH
    account = data.accounts.account(plan.by)
    return account is not None and account.role in MAY_PUBLISH


def plans_of(data: DataFolder, by: str, token: str = "") -> list[str]:
    """Return the drafts that are to be published by the word of an account, or of a token."""
    planned = [draft for draft in data.drafts.all() if draft.plan is not None and draft.discarded is None]
    return [d.name for d in planned if d.plan is not None and d.plan.token == token and (token or d.plan.by == by)]


class Planner:
    """Keeps plans, and publishes what is due, in a thread of its own that runs while anything is planned."""

    def __init__(self, data: DataFolder, publisher: Publisher) -> None:
        self._data = data
        self._publisher = publisher
        self._woken = threading.Event()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._stopped = False

    def plan(self, name: str, seen: int, request: wire.PlanRequest, by: str, token: str = "") -> Draft:
        """Plan when a draft is published by itself; what would be refused now is refused at once.

        Parameters
        ----------
        token
            The id of the token that asks; empty for an account.

        Raises
        ------
        ServiceError
            When the moment is not to come, or the draft could not be published.
        """
        data = self._data
        draft = drafting.reviewed(data, name, seen, request.digest)
        try:
            at = read_moment(request.at)
        except ValueRefused as refused:
            raise ServiceError(422, "bad-moment", str(refused), "such as 2026-12-01T06:00:00Z") from None
        now = data.clock()
        if not now < at <= now + FARTHEST:
            raise ServiceError(
                422, "bad-moment", "give a moment that is to come, within 400 days", "UTC, or with an offset"
            )
        if draft.base != (data.revisions.current_number() or drafting.NOTHING):
            raise Conflict(data.revisions.current_number() or 0)
        published = data.rulebooks.current()
        if published is not None and says_the_same(published.revision, list(draft.files), draft.base):
            raise nothing_changed(published.revision.number)
        files = [File(*file) for file in draft.files]
        risk, rehearsals = request.accept_lockout_risk.strip(), request.accept_failing_rehearsals.strip()
        self._publisher.examine(PublishRequest(files, request.why, draft.base, risk, rehearsals))
        if not data.drafts.plan(name, Plan(at, by, request.why.strip(), draft.version, risk, rehearsals, token)):
            raise drafting.moved_on(drafting.need(data, name))
        self.wake()
        return drafting.need(data, name)

    def unplan(self, name: str) -> Draft:
        """Take a plan back."""
        data = self._data
        if drafting.need(data, name).plan is None:
            raise ServiceError(409, "not-planned", f"nothing is planned for the draft `{name}`")
        data.drafts.unplan(name)
        self.wake()
        return drafting.need(data, name)

    def wake(self) -> None:
        """Look again what is planned; what became due while the service was down is published now."""
        planned = bool(self._planned())
        with self._lock:
            self._woken.set()
            if not planned:
                return
            if self._stopped or (self._thread is not None and self._thread.is_alive()):
                return
            self._thread = threading.Thread(target=self._run, name="caddrel-planner", daemon=True)
            self._thread.start()

    def stop(self) -> None:
        """Publish nothing more."""
        with self._lock:
            self._stopped = True
            self._woken.set()
            thread = self._thread
        if thread is not None:
            thread.join(timeout=10)

    def _run(self) -> None:
        while not self._stopped:
            self._woken.clear()
            try:
                self.publish_due()
            except Exception as error:  # noqa: BLE001 - a full disk: what is due stays due, and is tried again
                _log.error("plan.failed", problem=problem_for(error, "").title, exc_info=error)
                self._woken.wait(LOOK_EVERY)
                continue
            planned = [draft.plan.at for draft in self._planned() if draft.plan is not None]
            with self._lock:
                if not planned and not self._woken.is_set():
                    self._thread = None
                    return
            if planned:
                left = (min(planned) - self._data.clock()).total_seconds()
                self._woken.wait(min(max(left, 0.05), LOOK_EVERY))

    def _planned(self) -> list[Draft]:
        return [draft for draft in self._data.drafts.all() if draft.plan is not None and draft.discarded is None]

    def publish_due(self) -> None:
        """Publish what is due, the earliest first; what cannot be published keeps the reason."""
        now = self._data.clock()
        due = [(draft.plan, draft) for draft in self._planned() if draft.plan is not None and draft.plan.at <= now]
        for made, draft in sorted(due, key=lambda pair: pair[0].at):
            outcome, note = "done", ""
            asked = wire.PublishDraft(made.why, draft.digest, made.risk, made.rehearsals)
            try:
                if not may_still(self._data, made):
                    title = f"{made.by}, who planned it, may not publish any more: it is held"
                    raise ServiceError(403, "planner-may-not", title, "plan it again")
                published = drafting.publish(self._data, self._publisher, draft.name, made.version, asked, made.by)
                note = f"revision {published.revision.number}: {made.why}"
            except (ServiceError, RulebookError, Conflict) as error:
                problem = problem_for(error, "")
                outcome, note = problem.code, problem.title
                self._data.drafts.unplan(draft.name, f"{problem.code}: {problem.title}")
            did = f"publish at {show_moment(made.at)}"
            self._data.audit.add(now, made.by, did, f"draft {draft.name}", outcome, note[:1000], "")
