"""Endpoints of the mappings by which logs of other systems are read."""

from __future__ import annotations

from caddrel.core.diagnostics import shorten
from caddrel.core.rulebook.ids import ID
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.signins import log_mappings, mapping_trial
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import mappings as wire

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/mappings", role="viewer", returns=wire.MappingList)
def mappings(call: Call) -> wire.MappingList:
    """The mappings by which logs of other systems are read."""
    return _all(call)


def _all(call: Call) -> wire.MappingList:
    return wire.MappingList(log_mappings.all_mappings(call.data))


@endpoints.add("PUT", "/api/v1/mappings/<name>", role="operator", body=wire.LogMapping, returns=wire.MappingList)
def put_mapping(call: Call) -> wire.MappingList:
    """Keep a mapping; replaces the one of that name."""
    if not ID.fullmatch(call.path["name"]):
        raise ServiceError(422, "bad-mapping", "a mapping's name has small letters, digits and hyphens")
    log_mappings.keep(call.data, call.path["name"], call.body)
    return _all(call)


@endpoints.add("DELETE", "/api/v1/mappings/<name>", role="operator", returns=wire.MappingList)
def remove_mapping(call: Call) -> wire.MappingList:
    """Take a mapping out; what was read by it stays."""
    if not call.data.mappings.remove(call.path["name"]):
        raise not_found(f"mapping `{shorten(call.path['name'])}`", "see GET /api/v1/mappings")
    return _all(call)


@endpoints.add(
    "POST",
    "/api/v1/mappings/try",
    role="operator",
    body=wire.TrialRequest,
    returns=wire.MappingTrial,
    limit="rulebook",
    heavy="rehearse",
    changes=False,
)
def try_mapping(call: Call) -> wire.MappingTrial:
    """Read the beginning of a log by a mapping, or by what its columns suggest; nothing is taken in."""
    return mapping_trial.trial(call.data, call.body)
