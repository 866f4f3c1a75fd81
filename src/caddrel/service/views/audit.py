"""Endpoints of the audit trail."""

from __future__ import annotations

from caddrel.core.facts.values import show_moment
from caddrel.service.endpoints import Call, Endpoints, Param
from caddrel.wire import audit as wire

endpoints = Endpoints()


@endpoints.add(
    "GET",
    "/api/v1/audit",
    role="operator",
    returns=wire.AuditPage,
    params=[
        Param("search", "Only entries that have this text anywhere."),
        Param("before", "Go on before the `next` of the page before.", "integer"),
        Param("limit", "At most so many.", "integer"),
    ],
)
def listed(call: Call) -> wire.AuditPage:
    """Every change and refusal, newest first."""
    limit = call.number("limit", 50, 500)
    before = call.number("before", 0, 999_999_999)
    found = call.deps.audit.page(call.query.get("search", ""), before, limit + 1)
    items = [
        wire.AuditEntry(
            e.seq, show_moment(e.at), e.who, e.did, e.target, e.outcome, e.note, e.request_id, e.hash
        )
        for e in found[:limit]
    ]  # fmt: skip
    return wire.AuditPage(items, items[-1].seq if len(found) > limit else None)


@endpoints.add("GET", "/api/v1/audit/verify", role="operator", returns=wire.AuditVerdict)
def verify(call: Call) -> wire.AuditVerdict:
    """Whether the trail is as it was written: every entry holds the hash of the one before."""
    entries, broken = call.deps.audit.verify()
    return wire.AuditVerdict(broken is None, entries, broken)
