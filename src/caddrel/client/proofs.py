"""Proofs, through the client library."""

from __future__ import annotations

import contextlib
from typing import Literal, TypeVar

from caddrel.client.caller import CaddrelError, Caller, Refused
from caddrel.wire import proofs
from caddrel.wire.decoding import convert
from caddrel.wire.jobs import Job
from caddrel.wire.problems import Problem
from caddrel.wire.rulebooks import Side

_CURRENT = Side()
# Seconds between two looks at a question that waits: longer and longer.
_FIRST_LOOK, _LAST_LOOK = 0.02, 0.5
T = TypeVar("T")


class Proofs:
    """What is proven of rulebooks: guarantees, rules that do nothing, and what a change means."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def guarantees(
        self, side: Side = _CURRENT, guarantee: str = "", who: Literal["", "anyone", "inventory"] = ""
    ) -> list[proofs.GuaranteeAnswer]:
        """Return whether the guarantees of a rulebook hold: all of them, or the one named."""
        body = proofs.GuaranteeRequest(side, guarantee, who)
        return self._ask(proofs.ProofQuestion(prove=body), proofs.ProofResult).guarantees

    def idle(self, side: Side = _CURRENT) -> proofs.IdleResult:
        """Return the rules, conditions and policies that do nothing."""
        return self._ask(proofs.ProofQuestion(idle=proofs.GuaranteeRequest(side)), proofs.IdleResult)

    def meaning(self, before: Side, after: Side, only: str = "") -> proofs.Meaning:
        """Return what differs between two rulebooks in what they mean, or what one object or rule changes by itself."""
        body = proofs.MeaningRequest(before, after, only)
        return self._ask(proofs.ProofQuestion(meaning=body), proofs.MeaningResult).meaning

    def check_up(self, request: proofs.CheckUpRequest | None = None) -> list[proofs.SafeguardAnswer]:
        """Return the ready safeguards, each with what comes of it."""
        body = request or proofs.CheckUpRequest()
        return self._ask(proofs.ProofQuestion(check_up=body), proofs.CheckUp).safeguards

    def about(self, person: str = "", app: str = "", side: Side = _CURRENT) -> proofs.AboutResult:
        """Return which policies speak about a person and an app, and which ever decide for them."""
        body = proofs.AboutRequest(side, person, app)
        return self._ask(proofs.ProofQuestion(about=body), proofs.AboutResult)

    def adds(self, policy: str, side: Side = _CURRENT) -> proofs.Meaning:
        """Return what a policy adds to a rulebook."""
        body = proofs.AddsRequest(policy, side)
        return self._ask(proofs.ProofQuestion(adds=body), proofs.MeaningResult).meaning

    def _ask(self, question: proofs.ProofQuestion, returns: type[T]) -> T:
        """Return the answer to a question, which waits for those that were asked before; left when nobody waits."""
        job = self._caller.post("/api/v1/rulebook/proofs", question, Job)
        path, wait = f"/api/v1/rulebook/proofs/{job.id}", _FIRST_LOOK
        try:
            while not job.ended:
                self._caller.pause(wait)
                wait = min(2 * wait, _LAST_LOOK)
                job = self._caller.get(path, Job)
        finally:
            if not job.ended:
                with contextlib.suppress(CaddrelError):
                    self._caller.delete(path, Job)
        if job.problem is not None:
            raise Refused(job.problem)
        if job.state == "cancelled":
            raise Refused(Problem("this question was left before it was answered", 409, "cancelled"))
        return convert(job.result, returns)
