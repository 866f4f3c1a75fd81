"""Endpoints of the audit trail."""

from __future__ import annotations

import re

from caddrel.core.facts.values import show_moment
from caddrel.service.http.endpoints import Param
from caddrel.service.problems import ServiceError
from caddrel.service.views.audit_words import in_words
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import audit as wire

endpoints = Endpoints()
_BEFORE = Param("before", "Go on before the `next` of the page before.", 0, 999_999_999)
_LIMIT = Param("limit", "At most so many.", 50, 500)


@endpoints.add(
    "GET",
    "/api/v1/audit",
    role="operator",
    returns=wire.AuditPage,
    params=[
        Param("search", "Only entries that have this text anywhere."),
        _BEFORE,
        _LIMIT,
    ],
)
def listed(call: Call) -> wire.AuditPage:
    """Every change and refusal, newest first."""
    limit = call.number(_LIMIT)
    before = call.number(_BEFORE)
    found = call.data.audit.page(call.query.get("search", ""), before, limit + 1)
    items = [
        wire.AuditEntry(
            e.seq, show_moment(e.at), e.who, e.did, e.target, e.outcome, e.note, e.request_id, e.hash, e.address,
            in_words(e),
        )
        for e in found[:limit]
    ]  # fmt: skip
    return wire.AuditPage(items, items[-1].seq if len(found) > limit else None)


_EXPECT = re.compile(r"([0-9]{1,12}):([0-9a-f]{64})")


@endpoints.add(
    "GET",
    "/api/v1/audit/verify",
    role="operator",
    returns=wire.AuditVerdict,
    params=[
        Param("expect", "SEQ:HASH of an entry that was kept elsewhere, as a checkpoint has it."),
        Param("log", "yes: look through the sign-in log too, which takes longer."),
    ],
)
def verify(call: Call) -> wire.AuditVerdict:
    """Whether the trail, and on request the sign-in log, are as they were written."""
    (seq, seal), changes, wrong = call.runtime.checkpoints.kept()
    expected = [(seq, seal)]
    if text := call.query.get("expect", ""):
        found = _EXPECT.fullmatch(text)
        if found is None:
            raise ServiceError(400, "bad-parameter", "`expect` is SEQ:HASH, as a checkpoint has it")
        expected.append((int(found[1]), found[2]))
    entries, broken, how = call.data.audit.verify(expected)
    log = call.data.signins.verify(changes) if call.query.get("log") == "yes" else None
    told = None if log is None else wire.LogVerdict(not log.wrong, log.sealed, log.wrong)
    return wire.AuditVerdict(broken is None and not wrong, entries, broken, how or wrong, told)


@endpoints.add("GET", "/api/v1/audit/checkpoint", role="operator", returns=wire.Checkpoint)
def checkpoint(call: Call) -> wire.Checkpoint:
    """What the trail and the log have come to, signed (Ed25519): keep it elsewhere."""
    return wire.Checkpoint(*call.runtime.checkpoints.signed(call.data.clock()))
