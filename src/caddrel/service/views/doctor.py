"""The endpoint that tells how the service is doing."""

from __future__ import annotations

from caddrel.service.decisions import metrics
from caddrel.service.http.endpoints import Stream
from caddrel.service.tracing import doctor
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire.doctor import Examination

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/doctor", role="viewer", returns=Examination)
def examine(call: Call) -> Examination:
    """What is missing or doubtful about how the service is set up and fed."""
    return doctor.examine(call.data, call.runtime.findings, call.runtime.strange_words)


@endpoints.add("GET", "/metrics", role="viewer", returns=Stream, media=("application/openmetrics-text",))
def numbers(call: Call) -> Stream:
    """What the service counts, as OpenMetrics; a token of a viewer may read it."""
    made = call.runtime
    told = metrics.exposition(call.data, made.door, made.quick, made.decider, made.recorder, made.shadows)
    return Stream(metrics.CONTENT_TYPE_LATEST, [told])
