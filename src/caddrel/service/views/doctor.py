"""The endpoint that tells how the service is doing."""

from __future__ import annotations

from caddrel.service import doctor
from caddrel.service.endpoints import Call, Endpoints
from caddrel.wire.doctor import Examination

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/doctor", role="viewer", returns=Examination)
def examine(call: Call) -> Examination:
    """What is missing or doubtful about how the service is set up and fed."""
    return doctor.examine(call.deps)
