"""Endpoints of password standards."""

from __future__ import annotations

from caddrel.service.auth import passwords
from caddrel.service.http.endpoints import Param
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import passwords as wire

endpoints = Endpoints()


@endpoints.add(
    "POST",
    "/api/v1/passwords/check",
    role="operator",
    body=wire.CandidateRequest,
    returns=wire.CandidateResult,
    doors=True,
    changes=False,
)
def check(call: Call) -> wire.CandidateResult:
    """Whether a candidate password passes; it is neither stored nor logged."""
    return passwords.check(call.data, call.body)


@endpoints.add(
    "POST",
    "/api/v1/passwords/change",
    role="operator",
    body=wire.CandidateRequest,
    returns=wire.CandidateResult,
    doors=True,
)
def change(call: Call) -> wire.CandidateResult:
    """Check a password that a person has chosen; when it passes, its salted hash is kept for `not_last`."""
    return passwords.change(call.data, call.body)


@endpoints.add(
    "POST",
    "/api/v1/people/<id>/tries",
    role="operator",
    returns=wire.LockState,
    doors=True,
    changes=False,
    params=[Param("app", "For this app; without it, by every standard that may apply.")],
)
def reserve_try(call: Call) -> wire.LockState:
    """Reserve a try before a password is looked at: its id goes into the evaluation as `context.try`."""
    return passwords.reserve_try(call.data, call.runtime.log.lockouts, call.path["id"], call.query.get("app", ""))


@endpoints.add("DELETE", "/api/v1/people/<id>/lock", role="operator", returns=wire.LockState)
def lift_lock(call: Call) -> wire.LockState:
    """Lift a lock-out: wrong passwords up to now count no more."""
    call.noted = f"lock-out of {call.path['id'][:100]} lifted"
    return passwords.lift_lock(call.data, call.runtime.log.lockouts, call.path["id"], call.who().name)


@endpoints.add(
    "GET",
    "/api/v1/people/<id>/lock",
    role="viewer",
    returns=wire.LockState,
    doors=True,
    params=[Param("app", "For this app; without it, by every standard that may apply.")],
)
def lock(call: Call) -> wire.LockState:
    """Whether a person is locked out for too many wrong passwords."""
    return passwords.lock_state(call.data, call.runtime.log.lockouts, call.path["id"], call.query.get("app", ""))
