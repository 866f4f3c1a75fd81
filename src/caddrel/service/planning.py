"""Publishing drafts at a time: checked when it is planned, and again when it is due."""

from __future__ import annotations

import threading
from datetime import timedelta
from typing import TYPE_CHECKING

from caddrel.core.diagnostics import RulebookError
from caddrel.core.facts.values import ValueRefused, read_moment, show_moment
from caddrel.service import drafting, publishing
from caddrel.service.errors import ServiceError, problem_for
from caddrel.store.drafts import Draft, Plan
from caddrel.store.revisions import Conflict
from caddrel.wire import drafts as wire
from caddrel.wire.decisions import File
from caddrel.wire.rulebooks import PublishRequest

if TYPE_CHECKING:
    from caddrel.service.deps import Deps

# Seconds; clocks may be set, so nobody sleeps through to a far moment.
LOOK_EVERY = 20.0
FARTHEST = timedelta(days=400)


def plan(deps: Deps, name: str, request: wire.PlanRequest, by: str) -> Draft:
    """Plan when a draft is published by itself; what would be refused now is refused at once.

    Raises
    ------
    ServiceError
        When the moment is not to come, or the draft could not be published.
    """
    draft = drafting.need(deps, name)
    try:
        at = read_moment(request.at)
    except ValueRefused as refused:
        raise ServiceError(422, "bad-moment", str(refused), "such as 2026-12-01T06:00:00Z") from None
    now = deps.clock()
    if not now < at <= now + FARTHEST:
        raise ServiceError(
            422, "bad-moment", "give a moment that is to come, within 400 days", "UTC, or with an offset"
        )
    if draft.base != deps.revisions.current_number():
        raise Conflict(deps.revisions.current_number() or 0)
    files = [File(*file) for file in draft.files]
    publishing.examine(deps, PublishRequest(files, request.why, draft.base, request.accept_lockout_risk))
    deps.drafts.plan(name, Plan(at, by, request.why.strip(), request.accept_lockout_risk.strip()))
    deps.planner.wake()
    return drafting.need(deps, name)


def unplan(deps: Deps, name: str) -> Draft:
    """Take a plan back."""
    if drafting.need(deps, name).plan is None:
        raise ServiceError(409, "not-planned", f"nothing is planned for the draft `{name}`")
    deps.drafts.plan(name, None)
    deps.planner.wake()
    return drafting.need(deps, name)


class Planner:
    """Publishes what is due, in a thread of its own that runs while anything is planned."""

    def __init__(self, deps: Deps) -> None:
        self._deps = deps
        self._woken = threading.Event()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._stopped = False

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
            self.publish_due()
            planned = [draft.plan.at for draft in self._planned() if draft.plan is not None]
            with self._lock:
                if not planned and not self._woken.is_set():
                    self._thread = None
                    return
            if planned:
                left = (min(planned) - self._deps.clock()).total_seconds()
                self._woken.wait(min(max(left, 0.05), LOOK_EVERY))

    def _planned(self) -> list[Draft]:
        return [draft for draft in self._deps.drafts.all() if draft.plan is not None and draft.discarded is None]

    def publish_due(self) -> None:
        """Publish what is due, the earliest first; what cannot be published keeps the reason."""
        now = self._deps.clock()
        due = [(draft.plan, draft) for draft in self._planned() if draft.plan is not None and draft.plan.at <= now]
        for made, draft in sorted(due, key=lambda pair: pair[0].at):
            outcome, note = "done", ""
            asked = wire.PublishDraft(made.why, made.risk)
            try:
                published = drafting.publish(self._deps, draft.name, asked, made.by)
                note = f"revision {published.revision.number}: {made.why}"
            except (ServiceError, RulebookError, Conflict, OSError) as error:
                problem = problem_for(error, "")
                outcome, note = problem.code, problem.title
                self._deps.drafts.plan(draft.name, None, f"{problem.code}: {problem.title}")
            did = f"publish at {show_moment(made.at)}"
            self._deps.audit.add(now, made.by, did, f"draft {draft.name}", outcome, note[:1000], "")
