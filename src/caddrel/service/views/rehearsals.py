"""Endpoints of rehearsals."""

from __future__ import annotations

from typing import TypeVar

import msgspec

from caddrel.service.http.endpoints import Param
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.tracing import beside as comparing
from caddrel.service.tracing import first_device as enrolling
from caddrel.service.tracing import matrix as combining
from caddrel.service.tracing import rehearse as rehearsing
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import rehearsals as wire
from caddrel.wire.cases import Matrix, MatrixRequest
from caddrel.wire.decisions import File, RehearseRequest

endpoints = Endpoints()
Asked = TypeVar("Asked", RehearseRequest, MatrixRequest, wire.FirstDeviceRequest)


def _with_files(call: Call, body: Asked) -> Asked:
    """Return a request with the documents of the draft that it names."""
    return msgspec.structs.replace(body, files=drafting.files_of(call.data, body.draft)) if body.draft else body


def _size(files: list[File] | None) -> int:
    return sum(len(file.text) for file in files or ())


@endpoints.add(
    "GET",
    "/api/v1/rehearse/kept",
    role="viewer",
    returns=wire.RehearsalList,
    params=[Param("draft", "Those of this draft instead of the current revision.")],
)
def rehearsals(call: Call) -> wire.RehearsalList:
    """The rehearsals that are kept in the rulebook, to start from."""
    return rehearsing.kept_rehearsals(call.data, call.query.get("draft", ""))


@endpoints.add(
    "POST",
    "/api/v1/rehearse",
    role="viewer",
    body=RehearseRequest,
    returns=wire.Rehearsal,
    limit="rulebook",
    heavy="rehearse",
)
def rehearse(call: Call) -> wire.Rehearsal:
    """Decide an attempt that did not happen; facts left out stay unknown."""
    body: RehearseRequest = _with_files(call, call.body)
    return call.runtime.checker.do(_size(body.files), rehearsing.rehearse, call.data, body)


@endpoints.add(
    "POST",
    "/api/v1/rehearse/matrix",
    role="viewer",
    body=MatrixRequest,
    returns=Matrix,
    limit="rulebook",
    heavy="rehearse",
)
def matrix(call: Call) -> Matrix:
    """What can come of every combination of the values of one or two facts."""
    body: MatrixRequest = _with_files(call, call.body)
    return call.runtime.checker.do(_size(body.files), combining.matrix, call.data, body)


@endpoints.add(
    "POST",
    "/api/v1/rehearse/beside",
    role="viewer",
    body=wire.BesideRequest,
    returns=wire.Beside,
    limit="rulebook",
    heavy="rehearse",
)
def beside(call: Call) -> wire.Beside:
    """Two rehearsals side by side, with what differs between them."""
    left, right = _with_files(call, call.body.left), _with_files(call, call.body.right)
    asked = wire.BesideRequest(left, right)
    return call.runtime.checker.do(_size(left.files) + _size(right.files), comparing.beside, call.data, asked)


@endpoints.add(
    "POST",
    "/api/v1/rehearse/first-device",
    role="viewer",
    body=wire.FirstDeviceRequest,
    returns=wire.FirstDevice,
    limit="rulebook",
    heavy="rehearse",
)
def first_device(call: Call) -> wire.FirstDevice:
    """How somebody who has nothing yet gets in with a first device: the steps, and where they end."""
    body: wire.FirstDeviceRequest = _with_files(call, call.body)
    return call.runtime.checker.do(_size(body.files), enrolling.first_device, call.data, body)
