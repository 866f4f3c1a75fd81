"""Endpoints of jobs: imports and retention that take long."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from dataclasses import replace

import msgspec

from caddrel.core.facts.values import show_moment
from caddrel.core.words.pieces import counted
from caddrel.service.http.endpoints import Param, Stream
from caddrel.service.problems import ServiceError
from caddrel.service.signins.importer import Importer
from caddrel.service.signins.retention import forget, would_forget
from caddrel.service.signins.taking_back import take_back, to_take_back
from caddrel.service.state.jobs import Progress
from caddrel.service.views.calls import Call, Endpoints
from caddrel.service.views.signins import IMPORT_PARAMS, MOST_NUMBER, OLDER_THAN, called, forget_before, import_format
from caddrel.wire import jobs as wire
from caddrel.wire.imports import TakenBack
from caddrel.wire.signins import Forgotten, ImportResult

endpoints = Endpoints()
_IMPORT = Param("import", "The number of the import.", most=MOST_NUMBER, needed=True)
_INSTEAD = Param("instead_of", "The number of an import to take back first: the file before, say.", most=MOST_NUMBER)


@endpoints.add("GET", "/api/v1/jobs", role="viewer", returns=wire.JobList)
def listed(call: Call) -> wire.JobList:
    """The jobs since the service started, newest first."""
    return wire.JobList(call.runtime.jobs.all())


@endpoints.add("GET", "/api/v1/jobs/<string(minlength=7):id>", role="viewer", returns=wire.Job)
def one(call: Call) -> wire.Job:
    """One job, as it is now."""
    return call.runtime.jobs.get(call.path["id"])


@endpoints.add(
    "GET", "/api/v1/jobs/<string(minlength=7):id>/events", role="viewer", returns=Stream, media=("text/event-stream",)
)
def events(call: Call) -> Stream:
    """A job each time it changes, as server-sent events, until it has ended."""
    return Stream("text/event-stream", _events(call.runtime.jobs.watch(call.path["id"])))


def _events(changes: Iterator[wire.Job | None]) -> Iterator[bytes]:
    for job in changes:
        yield b": still here\n\n" if job is None else b"event: job\ndata: " + msgspec.json.encode(job) + b"\n\n"


@endpoints.add("DELETE", "/api/v1/jobs/<string(minlength=7):id>", role="operator", returns=wire.Job)
def cancel(call: Call) -> wire.Job:
    """Cancel a job; what it has done stays done."""
    return call.runtime.jobs.cancel(call.path["id"])


@endpoints.add(
    "POST",
    "/api/v1/jobs/import",
    role="operator",
    returns=wire.Job,
    stream="As in POST /api/v1/signins.",
    limit="stream",
    params=[*IMPORT_PARAMS, _INSTEAD],
    status=202,
)
def start_import(call: Call) -> wire.Job:
    """Take in a sign-in log as a job, which goes on when the sender has gone; instead of an import, if one is named."""
    if call.stream is None:
        raise ServiceError(400, "bad-request", "send NDJSON, one sign-in a line")
    format, mapping = import_format(call)
    by = call.who().name
    importer = Importer(call.data, call.runtime.log, called(call))
    instead = call.number(_INSTEAD) if "instead_of" in call.query else None
    if instead is not None:
        to_take_back(call.data, instead)
    call.noted = ", ".join(
        part for part in (call.query.get("name", "")[:200], f"instead of import {instead}" if instead else "") if part
    )
    # In the data folder, where there is room for logs, and where others may not read.
    spooled = tempfile.TemporaryFile(dir=call.data.folder)  # noqa: SIM115 - closed when the job has ended
    shutil.copyfileobj(call.stream, spooled, 1024 * 1024)
    size = spooled.tell()
    spooled.seek(0)

    def work(progress: Progress) -> ImportResult:
        if instead is not None:
            take_back(call.data, call.runtime.log, instead, by, lambda _done: progress(0))
        return importer.run(spooled, format, mapping, progress)

    return call.runtime.jobs.start("import", by, size, "bytes", work, spooled.close)


@endpoints.add("POST", "/api/v1/jobs/take-back", role="operator", returns=wire.Job, params=[_IMPORT], status=202)
def start_taking_back(call: Call) -> wire.Job:
    """Take the sign-ins of an import out of the log again as a job, for good."""
    data, number, by = call.data, call.number(_IMPORT), call.who().name
    count = to_take_back(data, number)
    call.noted = f"import {number}: {counted(count, 'sign-in')}"

    def work(progress: Progress) -> TakenBack:
        return take_back(data, call.runtime.log, number, by, progress)

    return call.runtime.jobs.start("take-back", by, count, "sign-ins", work, lambda: None)


@endpoints.add(
    "POST",
    "/api/v1/jobs/forget",
    role="operator",
    returns=wire.Job,
    params=[replace(OLDER_THAN, needed=True)],
    status=202,
)
def start_forgetting(call: Call) -> wire.Job:
    """Take out old sign-ins as a job, for good."""
    data, before = call.data, forget_before(call)
    count = would_forget(data, before).count
    call.noted = f"{count} from before {show_moment(before)}"

    def work(progress: Progress) -> Forgotten:
        call.runtime.replays.forget(before)
        return forget(data, call.runtime.log, before, progress)

    return call.runtime.jobs.start("forget", call.who().name, count, "sign-ins", work, lambda: None)
