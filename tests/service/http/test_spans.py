"""Requests are told of as spans where an endpoint is configured, and nowhere else."""

from __future__ import annotations

import queue
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

import httpx
import pytest
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from tests.command import serving_command
from tests.conftest import PATIENCE

from caddrel.service.http.spans import is_wanted


def test_a_request_is_a_span_at_the_endpoint(tmp_path: Path) -> None:
    told: queue.Queue[tuple[str, bytes]] = queue.Queue()

    class Collector(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            told.put((self.path, self.rfile.read(int(self.headers["Content-Length"]))))
            self.send_response(200)
            self.send_header("Content-Length", "0")
            self.end_headers()

        def log_message(self, format: str, *args: object) -> None:
            return

    with HTTPServer(("127.0.0.1", 0), Collector) as collector:
        threading.Thread(target=collector.serve_forever, daemon=True).start()
        endpoint = f"http://127.0.0.1:{collector.server_port}"
        with serving_command(
            tmp_path / "data", OTEL_EXPORTER_OTLP_ENDPOINT=endpoint, OTEL_BSP_SCHEDULE_DELAY="50"
        ) as url:
            answer = httpx.get(f"{url}/healthz", headers={"X-Request-ID": "told-as-a-span"}, timeout=PATIENCE)
            assert answer.status_code == 200
            path, body = told.get(timeout=PATIENCE)
        collector.shutdown()
    request = ExportTraceServiceRequest.FromString(body)
    (span, *_) = request.resource_spans[0].scope_spans[0].spans
    said = {each.key: each.value.string_value or each.value.int_value for each in span.attributes}
    assert (path, span.name) == ("/v1/traces", "GET")
    assert said["caddrel.request_id"] == "told-as-a-span"
    assert said["http.response.status_code"] == 200
    assert span.start_time_unix_nano <= span.end_time_unix_nano


@pytest.mark.parametrize(("environment", "wanted"), [
    ({}, False), ({"OTEL_EXPORTER_OTLP_ENDPOINT": ""}, False), ({"OTEL_EXPORTER_OTLP_ENDPOINT": "http://x"}, True),
    ({"OTEL_EXPORTER_OTLP_TRACES_ENDPOINT": "http://x"}, True), ({"OTEL_SERVICE_NAME": "x"}, False),
])  # fmt: skip
def test_only_where_an_endpoint_is_configured(environment: dict[str, str], wanted: bool) -> None:
    assert is_wanted(environment) is wanted
