"""Endpoints of the sign-in log."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta
from urllib.parse import urlencode

import msgspec

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused, read_duration
from caddrel.core.logs.mapping import LogMapping
from caddrel.service.http.endpoints import Param, Stream
from caddrel.service.problems import ServiceError
from caddrel.service.signins import causes as service_causes
from caddrel.service.signins.export_formats import MEDIA
from caddrel.service.signins.import_formats import FORMATS
from caddrel.service.signins.importer import Called, Importer
from caddrel.service.signins.log_export import export_log
from caddrel.service.signins.log_filter import log_query
from caddrel.service.signins.log_mappings import kept_mapping
from caddrel.service.signins.retention import would_forget
from caddrel.service.signins.rows import summary
from caddrel.service.tracing import trace as deciding
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.moments import to_stored
from caddrel.store.queries import FILTERS
from caddrel.wire import signins as wire
from caddrel.wire.decisions import Decision
from caddrel.wire.decoding import convert

endpoints = Endpoints()
_LIMIT = Param("limit", "At most so many.", 50, 500)
_FILTERS = [
    *(Param(name, f"Only sign-ins with this {name.replace('_', ' ')}; several, joined by commas.") for name in FILTERS),
    Param("certain", "Only decisions that missing facts could not, or could, have changed.", words=("yes", "no")),
    Param("where", "A condition over facts, outcome, reason, certain, policy, rule, recorded, shadow and at."),
    Param("since", "From this moment or date on, or a duration back from now such as 7d."),
    Param("until", "Before this moment or date."),
]


@endpoints.add(
    "GET",
    "/api/v1/signins",
    role="viewer",
    returns=wire.SigninPage,
    params=[
        *_FILTERS,
        Param("after", "A cursor from an earlier page."),
        _LIMIT,
        Param("counts", "no: leave out counts and days, which take longer."),
    ],
)
def listed(call: Call) -> wire.SigninPage | None:
    """Sign-ins, newest first, with counts by outcome and day over everything that matches; 304 while nothing is new."""
    limit = call.number(_LIMIT)
    query = log_query(call.data, call.query, limit + 1)
    # Filters may look back from now: what was seen a minute ago is looked at again.
    minute = call.data.clock().replace(second=0, microsecond=0).isoformat()
    asked = "\n".join((*sorted(f"{name}={value}" for name, value in call.query.items()), minute))
    if call.unchanged(hashlib.sha256(f"{call.data.signins.version()}\n{asked}".encode()).hexdigest()[:20]):
        return None
    records = call.data.signins.page(query)
    following = None
    if len(records) > limit:
        last = records[limit - 1]
        following = base64.urlsafe_b64encode(msgspec.json.encode((to_stored(last.at), last.seq))).decode()
        link = urlencode({**call.query, "after": following})
        call.link = f'</api/v1/signins?{link}>; rel="next"'
    days: dict[int, dict[str, int]] = {}
    if call.query.get("counts") != "no":
        for day, outcome, count in call.data.signins.per_day(query):
            days.setdefault(day, {})[outcome] = count
    counts = {name: sum(d.get(name, 0) for d in days.values()) for name in ("allowed", "challenged", "blocked")}
    return wire.SigninPage(
        [summary(record) for record in records[:limit]],
        following,
        counts,
        [
            wire.Day(
                (date(1970, 1, 1) + timedelta(days=day)).isoformat(),
                found.get("allowed", 0),
                found.get("challenged", 0),
                found.get("blocked", 0),
            )
            for day, found in sorted(days.items())
        ],
    )


IMPORT_PARAMS = [
    Param("format", "ndjson when left out; ocsf are Authentication events of class 3002.", words=FORMATS),
    Param("mapping", "The name of a mapping that is kept: CSV needs one, NDJSON of another system too."),
    Param("name", "What the import is called in the list of imports, such as the name of the file."),
]
# As many imports as anybody will ever number.
MOST_NUMBER = 1 << 31
_GOES_ON = Param("goes_on", "The number of an import that this goes on with: a file that grows.", most=MOST_NUMBER)


@endpoints.add(
    "POST",
    "/api/v1/signins",
    role="operator",
    returns=wire.ImportResult,
    stream='One sign-in a line: {"id": …, "facts": {…}, "recorded": {"outcome": …, "reason": …}}; may be gzip.',
    limit="stream",
    params=[*IMPORT_PARAMS, _GOES_ON],
)
def take_in(call: Call) -> wire.ImportResult:
    """Take in a sign-in log; good lines are kept, broken ones counted and listed."""
    if call.stream is None:
        raise ServiceError(400, "bad-request", "send NDJSON, one sign-in a line")
    format, mapping = import_format(call)
    call.noted = call.query.get("name", "")[:200]
    goes_on = call.number(_GOES_ON) if "goes_on" in call.query else None
    return Importer(call.data, call.runtime.log, called(call, goes_on)).run(call.stream, format, mapping)


def called(call: Call, goes_on: int | None = None) -> Called:
    """Return what an import is called, and who asked for it."""
    get = call.query.get
    return Called(shorten(get("name", ""), 200), get("mapping", ""), call.who().name, goes_on)


def import_format(call: Call) -> tuple[str, LogMapping | None]:
    """Return the format of a log that is sent, and the mapping to read it by; CSV always has one."""
    format, name = _format(call, FORMATS), call.query.get("mapping", "")
    if format == "ocsf" and name:
        raise ServiceError(400, "bad-parameter", "OCSF events are read without a mapping", "leave `mapping` out")
    return format, kept_mapping(call.data, name) if name or format == "csv" else None


def _format(call: Call, known: Sequence[str]) -> str:
    format = call.query.get("format", "ndjson")
    if format not in known:
        raise ServiceError(400, "bad-parameter", f"`format` is one of {', '.join(known)}")
    return format


OLDER_THAN = Param("older_than", "Older than this duration, such as 400d.")
_USUAL_AGE = "400d"


@endpoints.add("GET", "/api/v1/signins/old", role="operator", returns=wire.Forgotten, params=[OLDER_THAN])
def old(call: Call) -> wire.Forgotten:
    """How many sign-ins a job that takes out old ones would take out; 400d when no age is given."""
    return would_forget(call.data, forget_before(call, _USUAL_AGE))


def forget_before(call: Call, usual: str = "") -> datetime:
    """Return the moment that sign-ins to be taken out are older than."""
    try:
        age = read_duration(call.query.get("older_than", usual))
        return call.data.clock() - timedelta(seconds=age)
    except (ValueRefused, OverflowError):
        raise ServiceError(400, "bad-parameter", "`older_than` is a duration such as 400d") from None


@endpoints.add(
    "GET",
    "/api/v1/signins/export",
    role="viewer",
    returns=Stream,
    media=("application/x-ndjson", "text/csv", "application/vnd.apache.parquet"),
    params=[*_FILTERS, Param("format", "ndjson when left out; an import reads it.", words=tuple(MEDIA))],
    heavy="export",
)
def export(call: Call) -> Stream:
    """Every sign-in that matches, in a format that others read."""
    format = _format(call, tuple(MEDIA))
    data = call.data
    pieces: Iterator[bytes]
    if call.runtime.exporter.is_for(data.signins.newest()):
        pieces = call.runtime.exporter.pieces(export_log, data.clock(), call.query, format)
    else:
        pieces = export_log(data, call.query, format)
    return Stream(MEDIA[format], pieces, f"signins.{'ndjson' if format == 'ocsf' else format}")


@endpoints.add("GET", "/api/v1/causes", role="viewer", returns=wire.CauseList, params=_FILTERS)
def causes(call: Call) -> wire.CauseList:
    """What blocks and challenges have in common: policy, rule and facts, how many they are, and what would help."""
    return service_causes.causes(call.data, log_query(call.data, call.query, 1))


@endpoints.add("GET", "/api/v1/signins/<id>", role="viewer", returns=wire.SigninDetail)
def one(call: Call) -> wire.SigninDetail:
    """One sign-in, by id or by the reference that a person quotes."""
    record = deciding.find(call.data, call.path["id"])
    return wire.SigninDetail(summary(record), convert(record.decision, Decision))


@endpoints.add("GET", "/api/v1/signins/<id>/record", role="viewer", returns=wire.WholeRecord)
def record(call: Call) -> wire.WholeRecord:
    """Everything one decision came from: its facts, and the documents of its revision."""
    return deciding.record_of(call.data, call.path["id"])


@endpoints.add("GET", "/api/v1/signins/<id>/trace", role="viewer", returns=wire.SigninTrace)
def trace(call: Call) -> wire.SigninTrace:
    """Why one sign-in came out as it did, and what would happen now."""
    return deciding.trace(call.data, call.path["id"])
