"""Endpoints of limits: which a rulebook has, what each choice of one comes to, and moving it."""

from __future__ import annotations

import contextlib

import msgspec

from caddrel.service.problems import ServiceError, not_found
from caddrel.service.replay.request import size_of
from caddrel.service.replay.steps import need_result, read_steps
from caddrel.service.replay.tightening_curve import check_tightening, limits_of_side, tightening_lines
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.state.jobs import Progress
from caddrel.service.views.calls import Call, Endpoints
from caddrel.service.views.drafts import seen_version
from caddrel.wire import jobs
from caddrel.wire import limits as wire
from caddrel.wire.decoding import convert
from caddrel.wire.drafts import ObjectSaved
from caddrel.wire.rulebooks import Side

endpoints = Endpoints()


@endpoints.add(
    "POST", "/api/v1/limits", role="viewer", body=Side, returns=wire.LimitList, limit="rulebook", heavy="compare"
)
def listed(call: Call) -> wire.LimitList:
    """The limits of a rulebook: least versions, ages, distances and levels by which it is stricter or milder."""
    side, _ = drafting.with_documents(call.data, call.body)
    changed = drafting.changed_paths(call.data, side.draft) if side.draft else []
    return call.runtime.checker.do(size_of(side), limits_of_side, call.data, side, changed)


@endpoints.add(
    "POST",
    "/api/v1/tightenings",
    role="viewer",
    body=wire.TighteningRequest,
    returns=jobs.Job,
    limit="rulebook",
    heavy="compare",
    status=202,
)
def start(call: Call) -> jobs.Job:
    """Try the choices of a limit on stored sign-ins, as a job."""
    body: wire.TighteningRequest = call.body
    under, version = drafting.with_documents(call.data, body.under)
    asked = msgspec.structs.replace(body, under=under)
    # What cannot be read is told at once, and not when the job's turn has come.
    total = call.runtime.checker.do(size_of(under), check_tightening, call.data, asked)
    name, now = call.who().name, call.data.clock()
    call.runtime.heavy.take("replay", name)

    def work(progress: Progress) -> wire.Tightening:
        found: wire.Tightening | None = None
        pieces = call.runtime.replayer.pieces(tightening_lines, now, asked)
        with contextlib.closing(pieces):
            for step in read_steps(pieces):
                if "done" in step:
                    progress(step["done"])
                else:
                    told = {**step["result"], "draft": body.under.draft, "version": version}
                    found = convert(told, wire.Tightening)
        return need_result(found)

    def after() -> None:
        call.runtime.heavy.give_back("replay", name)

    return call.runtime.jobs.start("tightening", name, total, "sign-ins", work, after)


@endpoints.add("GET", "/api/v1/tightenings/<string(minlength=7):id>", role="viewer", returns=wire.Tightening)
def result(call: Call) -> wire.Tightening:
    """A tightening curve, once its job has ended."""
    job = call.runtime.jobs.get(call.path["id"])
    if job.kind != "tightening" or job.state != "done":
        raise not_found(f"result of the tightening `{job.id}`", "see whether its job has ended: caddrel jobs list")
    return convert(job.result, wire.Tightening)


@endpoints.add("DELETE", "/api/v1/tightenings/<string(minlength=7):id>", role="viewer", returns=jobs.Job)
def cancel(call: Call) -> jobs.Job:
    """Cancel a tightening of one's own."""
    job = call.runtime.jobs.get(call.path["id"])
    if job.kind != "tightening" or job.by != call.who().name:
        raise ServiceError(403, "not-allowed", "only what is one's own is cancelled here", "see DELETE /api/v1/jobs")
    return call.runtime.jobs.cancel(job.id)


@endpoints.add(
    "POST", "/api/v1/drafts/<id>/limits", role="author", body=wire.MoveLimit, returns=ObjectSaved, seen="exact"
)
def move(call: Call) -> ObjectSaved:
    """Move a limit of a draft; the rest of the documents stays as it is."""
    call.noted = f"{call.body.limit[:200]}: {call.body.value[:80]}"
    saved = drafting.move_limit(call.data, call.path["id"], seen_version(call), call.body, call.who().name)
    call.etag = f'"{saved.info.version}"'
    return saved
