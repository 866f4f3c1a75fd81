"""Endpoints of proofs: guarantees, what does nothing, rulebooks compared by what they mean; at once, or as a job."""

from __future__ import annotations

from functools import partial

import msgspec

from caddrel.service.problems import not_found
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import proofs as wire
from caddrel.wire.jobs import Job, JobList

endpoints = Endpoints()
_proof = partial(endpoints.add, role="viewer", limit="rulebook", heavy="prove")


@_proof("POST", "/api/v1/rulebook/prove", body=wire.GuaranteeRequest, returns=wire.ProofResult)
def prove(call: Call) -> wire.ProofResult:
    """Whether the guarantees of a rulebook hold, each with a counterexample where it fails."""
    answer = call.runtime.proofs.ask("prove", call.body)
    found: wire.ProofResult = call.runtime.standing.completed(call.body, answer)
    return found


@_proof("POST", "/api/v1/rulebook/idle", body=wire.GuaranteeRequest, returns=wire.IdleResult)
def idle(call: Call) -> wire.IdleResult:
    """What does nothing in a rulebook, each with the change that takes it out."""
    found: wire.IdleResult = call.runtime.proofs.ask("idle", call.body)
    return found


@_proof("POST", "/api/v1/rulebook/meaning", body=wire.MeaningRequest, returns=wire.MeaningResult)
def meaning(call: Call) -> wire.MeaningResult:
    """What differs between two rulebooks in what they mean, each kind of change with an attempt that shows it."""
    found: wire.MeaningResult = call.runtime.proofs.ask("meaning", call.body)
    return found


@_proof("POST", "/api/v1/rulebook/check-up", body=wire.CheckUpRequest, returns=wire.CheckUp)
def check_up(call: Call) -> wire.CheckUp:
    """The ready safeguards, each with what comes of it for a rulebook, and a change that is proven to mend it."""
    answer = call.runtime.proofs.ask("check-up", call.body)
    found: wire.CheckUp = call.runtime.standing.completed(call.body, answer)
    return found


@_proof("POST", "/api/v1/rulebook/about", body=wire.AboutRequest, returns=wire.AboutResult)
def about(call: Call) -> wire.AboutResult:
    """Which policies speak about a person and an app at all, which ever decide for them, and what is possible."""
    found: wire.AboutResult = call.runtime.proofs.ask("about", call.body)
    return found


@_proof("POST", "/api/v1/rulebook/adds", body=wire.AddsRequest, returns=wire.MeaningResult)
def adds(call: Call) -> wire.MeaningResult:
    """What a policy adds: what differs between a rulebook and the same without it."""
    found: wire.MeaningResult = call.runtime.proofs.ask("adds", call.body)
    return found


@endpoints.add(
    "POST", "/api/v1/rulebook/proofs", role="viewer", limit="rulebook", body=wire.ProofQuestion, returns=Job, status=202
)
def start(call: Call) -> Job:
    """Have one question proven as a job: it waits for those before it; its `result` is the answer."""
    return call.runtime.proofs.start(call.body, call.who().name, call.runtime.standing.completed)


@endpoints.add("GET", "/api/v1/rulebook/proofs", role="viewer", returns=JobList)
def listed(call: Call) -> JobList:
    """The caller's own questions that are being proven, wait or were of late, newest first; without results."""
    mine = [each for each in call.runtime.proofs.jobs.all() if each.by == call.who().name]
    return JobList([msgspec.structs.replace(each, result=None) for each in mine])


@endpoints.add("GET", "/api/v1/rulebook/proofs/<string(minlength=7):id>", role="viewer", returns=Job)
def one(call: Call) -> Job:
    """One of the caller's own questions, as it is now."""
    return _own(call)


@endpoints.add("DELETE", "/api/v1/rulebook/proofs/<string(minlength=7):id>", role="viewer", returns=Job)
def leave(call: Call) -> Job:
    """Have one of the caller's own questions left, whether it waits or is being proven."""
    return call.runtime.proofs.jobs.cancel(_own(call).id)


def _own(call: Call) -> Job:
    found = call.runtime.proofs.jobs.get(call.path["id"])
    if found.by != call.who().name:
        raise not_found(f"job `{found.id}`", "questions are told to whoever asked them")
    return found
