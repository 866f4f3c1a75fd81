"""Which messages of a directory only ask; apart from the models of the messages, which take long to load."""

from __future__ import annotations


def asks(method: str, path: str) -> bool:
    """Tell whether a message changes nothing: a reading, or a search by POST (RFC 7644, section 3.4.3)."""
    return method in {"GET", "HEAD", "OPTIONS"} or path.rstrip("/").endswith("/.search")
