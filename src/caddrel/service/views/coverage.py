"""Endpoints of the coverage grid."""

from __future__ import annotations

import msgspec

from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.tracing import coverage as covering
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import coverage as wire

endpoints = Endpoints()


def _with_files(call: Call, body: wire.GridRequest) -> tuple[wire.GridRequest, int]:
    """Return a request with the documents of the drafts that it names, and how long they are."""
    files, against = body.files, body.against_files
    if body.draft:
        files = drafting.files_of(call.data, body.draft)
    if body.against:
        against = drafting.files_of(call.data, body.against)
    size = sum(len(file.text) for file in (*(files or ()), *(against or ())))
    return msgspec.structs.replace(body, files=files, against_files=against), size


@endpoints.add(
    "POST",
    "/api/v1/rulebook/grid",
    role="viewer",
    body=wire.GridRequest,
    returns=wire.CoverageGrid,
    limit="rulebook",
    heavy="rehearse",
)
def grid(call: Call) -> wire.CoverageGrid:
    """What sign-ins of each audience to each app can meet, whatever the facts that are left open are."""
    body, size = _with_files(call, call.body)
    return call.runtime.checker.do(size, covering.coverage, call.data, body)


@endpoints.add(
    "POST",
    "/api/v1/rulebook/grid/cell",
    role="viewer",
    body=wire.CellRequest,
    returns=wire.CellDetail,
    limit="rulebook",
    heavy="rehearse",
)
def cell(call: Call) -> wire.CellDetail:
    """The policies behind a cell of the grid, and an example attempt for each of its outcomes."""
    asked, size = _with_files(call, call.body.grid)
    request = msgspec.structs.replace(call.body, grid=asked)
    return call.runtime.checker.do(size, covering.cell, call.data, request)
