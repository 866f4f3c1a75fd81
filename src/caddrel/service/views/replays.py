"""Endpoints of replays: begun as a job, looked at when it has ended."""

from __future__ import annotations

import contextlib

import msgspec

from caddrel.service.http.endpoints import Stream
from caddrel.service.problems import ServiceError
from caddrel.service.replay.letters import letters
from caddrel.service.replay.request import check_replay, replay_lines, size_of
from caddrel.service.replay.steps import need_result, read_steps
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.state.jobs import Progress
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import jobs
from caddrel.wire import replays as wire
from caddrel.wire.decoding import convert

endpoints = Endpoints()


@endpoints.add(
    "POST",
    "/api/v1/replays",
    role="viewer",
    body=wire.ReplayRequest,
    returns=jobs.Job,
    limit="rulebook",
    status=202,
)
def start(call: Call) -> jobs.Job:
    """Decide stored sign-ins again under another rulebook, as a job."""
    body: wire.ReplayRequest = call.body
    # Read once: the result is marked with the version whose documents it was made with.
    under, version = drafting.with_documents(call.data, body.under)
    against = None if body.rulebook is None else drafting.with_documents(call.data, body.rulebook)[0]
    asked = msgspec.structs.replace(body, under=under, rulebook=against)
    # What cannot be read is told at once, and not when the job's turn has come.
    total = call.runtime.checker.do(size_of(under, against), check_replay, call.data, asked)
    results, name, now = call.runtime.replays, call.who().name, call.data.clock()
    kept = results.begin()
    # Jobs go on one after another: nobody may fill the row with replays.
    try:
        call.runtime.heavy.take("replay", name)
    except ServiceError:
        results.let_go(kept)
        raise

    def work(progress: Progress) -> wire.ReplayResult:
        pieces = call.runtime.replayer.pieces(replay_lines, now, asked)
        with contextlib.closing(pieces):
            for step in read_steps(pieces):
                if "changed" in step:
                    results.add(kept, msgspec.json.encode(step["changed"]))
                elif "done" in step:
                    progress(step["done"])
                else:
                    told = {**step["result"], "draft": body.under.draft, "version": version}
                    results.end(kept, convert(told, wire.ReplayResult))
        # Whom it hits is told with the result; a job is listed to everybody.
        return msgspec.structs.replace(need_result(kept.result), hit=[])

    def after() -> None:
        call.runtime.heavy.give_back("replay", name)
        if kept.result is None:
            results.let_go(kept)

    started = call.runtime.jobs.start("replay", name, total, "sign-ins", work, after)
    # It is found by its job, and told once there is a result.
    results.name(kept, started.id)
    return started


@endpoints.add("GET", "/api/v1/replays/<string(minlength=7):id>", role="viewer", returns=wire.ReplayResult)
def result(call: Call) -> wire.ReplayResult:
    """What a replay came to, with whom it hits."""
    return call.runtime.replays.result(call.path["id"])


@endpoints.add(
    "GET",
    "/api/v1/replays/<string(minlength=7):id>/changed",
    role="viewer",
    returns=Stream,
    media=("application/x-ndjson",),
)
def changed(call: Call) -> Stream:
    """The sign-ins that come out otherwise, one a line."""
    call.runtime.replays.result(call.path["id"])
    return Stream("application/x-ndjson", call.runtime.replays.changed(call.path["id"]))


@endpoints.add(
    "POST",
    "/api/v1/replays/<string(minlength=7):id>/letters",
    role="viewer",
    body=wire.LettersRequest,
    returns=wire.Letters,
)
def letters_of(call: Call) -> wire.Letters:
    """A text for each person whom a replay hits, from a template. Nothing is sent."""
    return letters(call.runtime.replays.result(call.path["id"]), call.body)


@endpoints.add("DELETE", "/api/v1/replays/<string(minlength=7):id>", role="viewer", returns=jobs.Job)
def cancel(call: Call) -> jobs.Job:
    """Cancel a replay of one's own."""
    job = call.runtime.jobs.get(call.path["id"])
    if job.kind != "replay" or job.by != call.who().name:
        raise ServiceError(
            403, "not-allowed", "only a replay of one's own is cancelled here", "see DELETE /api/v1/jobs"
        )
    return call.runtime.jobs.cancel(job.id)


@endpoints.add("GET", "/api/v1/drafts/<string(minlength=1):id>/replay", role="viewer", returns=wire.Replayed)
def of_draft(call: Call) -> wire.Replayed:
    """The last replay of a draft."""
    draft = drafting.need(call.data, call.path["id"])
    found = call.runtime.replays.of_draft(draft.name)
    if found is None:
        return wire.Replayed("", None, False)
    job, told = found
    return wire.Replayed(job, told, told.version != draft.version)
