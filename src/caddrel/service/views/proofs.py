"""Endpoints of proofs: guarantees, rules that do nothing, rulebooks compared by what they mean."""

from __future__ import annotations

from functools import partial

import msgspec

from caddrel.service.proving import proofs
from caddrel.service.rulebooks.drafts import with_documents
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import proofs as wire
from caddrel.wire.rulebooks import Side

endpoints = Endpoints()
_proof = partial(endpoints.add, role="viewer", limit="rulebook", heavy="prove")
# Always in the process for proofs: the solver holds on to its thread.
_THERE = 1


def _whole(call: Call, side: Side) -> Side:
    """Return a side as the other process is to read it."""
    return with_documents(call.data, side)[0]


@_proof("POST", "/api/v1/rulebook/prove", body=wire.GuaranteeRequest, returns=wire.ProofResult)
def prove(call: Call) -> wire.ProofResult:
    """Whether the guarantees of a rulebook hold, each with a counterexample where it fails."""
    body: wire.GuaranteeRequest = call.body
    asked = wire.GuaranteeRequest(_whole(call, body.side), body.guarantee, body.who)
    return call.runtime.prover.do(_THERE, proofs.prove_all, call.data, asked)


@_proof("POST", "/api/v1/rulebook/idle", body=wire.GuaranteeRequest, returns=wire.IdleResult)
def idle(call: Call) -> wire.IdleResult:
    """What does nothing in a rulebook: rules that never fire, conditions that cannot vary, policies without effect."""
    body: wire.GuaranteeRequest = call.body
    asked = wire.GuaranteeRequest(_whole(call, body.side))
    return call.runtime.prover.do(_THERE, proofs.idle, call.data, asked)


@_proof("POST", "/api/v1/rulebook/meaning", body=wire.MeaningRequest, returns=wire.MeaningResult)
def meaning(call: Call) -> wire.MeaningResult:
    """What differs between two rulebooks in what they mean, each kind of change with an attempt that shows it."""
    body: wire.MeaningRequest = call.body
    sides = (_whole(call, side) for side in (body.before, body.after))
    return call.runtime.prover.do(_THERE, proofs.meaning, call.data, wire.MeaningRequest(*sides))


@_proof("POST", "/api/v1/rulebook/check-up", body=wire.CheckUpRequest, returns=wire.CheckUp)
def check_up(call: Call) -> wire.CheckUp:
    """The ready safeguards, each with what comes of it for a rulebook, and a change that is proven to mend it."""
    body: wire.CheckUpRequest = call.body
    asked = msgspec.structs.replace(body, side=_whole(call, body.side))
    return call.runtime.prover.do(_THERE, proofs.check_up, call.data, asked)


@_proof("POST", "/api/v1/rulebook/about", body=wire.AboutRequest, returns=wire.AboutResult)
def about(call: Call) -> wire.AboutResult:
    """Which policies speak about a person and an app at all, which ever decide for them, and what is possible."""
    body: wire.AboutRequest = call.body
    asked = msgspec.structs.replace(body, side=_whole(call, body.side))
    return call.runtime.prover.do(_THERE, proofs.about, call.data, asked)


@_proof("POST", "/api/v1/rulebook/adds", body=wire.AddsRequest, returns=wire.MeaningResult)
def adds(call: Call) -> wire.MeaningResult:
    """What a policy adds: what differs between a rulebook and the same without it."""
    body: wire.AddsRequest = call.body
    asked = msgspec.structs.replace(body, side=_whole(call, body.side))
    return call.runtime.prover.do(_THERE, proofs.adds, call.data, asked)
