"""Requests told of as spans (OpenTelemetry), where an endpoint is configured by the standard's own variables.

Needs the extra: ``pip install 'caddrel[telemetry]'``. Not here: the lines of the log, which they follow.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, MutableMapping
from typing import Any

# As the specification names them (OpenTelemetry protocol exporter).
ENDPOINTS = ("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT", "OTEL_EXPORTER_OTLP_ENDPOINT")


class NotInstalled(Exception):
    """An endpoint is configured, and what sends to it is not installed."""


def is_wanted(environment: Mapping[str, str]) -> bool:
    """Tell whether an endpoint is configured."""
    return any(environment.get(name) for name in ENDPOINTS)


class Spans:
    """A step of the log that makes a span of each answered request, and leaves the line as it is.

    Raises
    ------
    NotInstalled
        When the extra is missing.
    """

    def __init__(self) -> None:
        try:
            from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
            from opentelemetry.sdk.resources import Resource
            from opentelemetry.sdk.trace import TracerProvider
            from opentelemetry.sdk.trace.export import BatchSpanProcessor
            from opentelemetry.trace import SpanKind, Status, StatusCode
        except ImportError:
            raise NotInstalled("an endpoint for spans is configured: pip install 'caddrel[telemetry]'") from None
        self._server, self._failed = SpanKind.SERVER, Status(StatusCode.ERROR)
        self._provider = TracerProvider(resource=Resource.create({"service.name": "caddrel"}))
        self._provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter()))
        self._tracer = self._provider.get_tracer("caddrel")

    def __call__(self, _logger: Any, _name: str, event: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
        """Make a span of a line about a request."""
        if event.get("event") == "request.done":
            ended = time.time_ns()
            # By its method alone: a path may hold anybody's id, and each would be a name of its own.
            span = self._tracer.start_span(
                str(event["method"]),
                kind=self._server,
                start_time=ended - int(event["ms"] * 1_000_000),
                attributes={
                    "http.request.method": event["method"],
                    "url.path": event["path"],
                    "http.response.status_code": event["status"],
                    "caddrel.caller": event["caller"],
                    "caddrel.request_id": event["request_id"],
                },
            )
            if event["status"] >= 500:
                span.set_status(self._failed)
            span.end(ended)
        return event

    def close(self) -> None:
        """Send what waits."""
        self._provider.shutdown()
