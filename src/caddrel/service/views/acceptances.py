"""Endpoints of acceptances of notices."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import msgspec

from caddrel.core.facts.values import show_moment
from caddrel.service.http.endpoints import Param, Stream
from caddrel.service.problems import ServiceError
from caddrel.service.signins.export_formats import MEDIA, csv_row
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.acceptances import Acceptance
from caddrel.wire import acceptances as wire

endpoints = Endpoints()
_WHOSE = [Param("person", "Only this person's."), Param("notice", "Only of this notice.")]
_AFTER = Param("after", "Go on after the `next` of the page before.", 0, 999_999_999)
_LIMIT = Param("limit", "At most so many.", 50, 1000)
_FORMATS = ("ndjson", "csv")


def _info(kept: Acceptance) -> wire.AcceptanceInfo:
    moment = show_moment(kept.accepted)
    return wire.AcceptanceInfo(kept.person, kept.notice, kept.version, moment, kept.door, kept.signin)


@endpoints.add(
    "GET", "/api/v1/acceptances", role="viewer", returns=wire.AcceptanceList, params=[*_WHOSE, _AFTER, _LIMIT]
)
def listed(call: Call) -> wire.AcceptanceList:
    """Who accepted which version of which notice, in the order they came."""
    limit = call.number(_LIMIT)
    after = call.number(_AFTER)
    found, total = call.data.acceptances.page(
        call.query.get("person", ""), call.query.get("notice", ""), after, limit + 1
    )
    following = found[limit - 1].seq if len(found) > limit else None
    return wire.AcceptanceList([_info(kept) for kept in found[:limit]], total, following)


@endpoints.add(
    "GET",
    "/api/v1/acceptances/export",
    role="viewer",
    returns=Stream,
    media=("application/x-ndjson", "text/csv"),
    params=[*_WHOSE, Param("format", "ndjson when left out.", words=_FORMATS)],
)
def export(call: Call) -> Stream:
    """Every acceptance, to keep or to hand to somebody."""
    format = call.query.get("format", "ndjson")
    if format not in _FORMATS:
        raise ServiceError(400, "bad-parameter", "`format` is not known", f"one of {', '.join(_FORMATS)}")
    kept = call.data.acceptances.every(call.query.get("person", ""), call.query.get("notice", ""))
    rows = (_info(each) for each in kept)
    pieces = _csv(rows) if format == "csv" else (msgspec.json.encode(row) + b"\n" for row in rows)
    return Stream(MEDIA[format], pieces, f"acceptances.{format}")


def _csv(rows: Iterable[wire.AcceptanceInfo]) -> Iterator[bytes]:
    yield csv_row(wire.AcceptanceInfo.__struct_fields__)
    for row in rows:
        yield csv_row([str(value) for value in msgspec.structs.astuple(row)])
