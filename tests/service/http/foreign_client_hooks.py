"""What the client that is not ours is told beside the description: how lines are sent."""

from __future__ import annotations

from typing import Any

import schemathesis


@schemathesis.serializer("application/x-ndjson")
def lines(_context: Any, value: Any) -> bytes:
    """Send a text as it is."""
    return value if isinstance(value, bytes) else str(value).encode()
