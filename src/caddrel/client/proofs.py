"""Proofs, through the client library."""

from __future__ import annotations

from typing import Literal

from caddrel.client.caller import Caller
from caddrel.wire import proofs
from caddrel.wire.rulebooks import Side

_CURRENT = Side()


class Proofs:
    """What is proven of rulebooks: guarantees, rules that do nothing, and what a change means."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def guarantees(
        self, side: Side = _CURRENT, guarantee: str = "", who: Literal["", "anyone", "inventory"] = ""
    ) -> list[proofs.GuaranteeAnswer]:
        """Return whether the guarantees of a rulebook hold; one alone where it is named."""
        body = proofs.GuaranteeRequest(side, guarantee, who)
        return self._caller.post("/api/v1/rulebook/prove", body, proofs.ProofResult).guarantees

    def idle(self, side: Side = _CURRENT) -> proofs.IdleResult:
        """Return the rules, conditions and policies that do nothing."""
        return self._caller.post("/api/v1/rulebook/idle", proofs.GuaranteeRequest(side), proofs.IdleResult)

    def meaning(self, before: Side, after: Side) -> proofs.Meaning:
        """Return what differs between two rulebooks in what they mean."""
        body = proofs.MeaningRequest(before, after)
        return self._caller.post("/api/v1/rulebook/meaning", body, proofs.MeaningResult).meaning

    def check_up(self, request: proofs.CheckUpRequest | None = None) -> list[proofs.SafeguardAnswer]:
        """Return the ready safeguards, each with what comes of it."""
        body = request or proofs.CheckUpRequest()
        return self._caller.post("/api/v1/rulebook/check-up", body, proofs.CheckUp).safeguards

    def about(self, person: str = "", app: str = "", side: Side = _CURRENT) -> proofs.AboutResult:
        """Return which policies speak about a person and an app, and which ever decide for them."""
        body = proofs.AboutRequest(side, person, app)
        return self._caller.post("/api/v1/rulebook/about", body, proofs.AboutResult)

    def adds(self, policy: str, side: Side = _CURRENT) -> proofs.Meaning:
        """Return what a policy adds to a rulebook."""
        body = proofs.AddsRequest(policy, side)
        return self._caller.post("/api/v1/rulebook/adds", body, proofs.MeaningResult).meaning
