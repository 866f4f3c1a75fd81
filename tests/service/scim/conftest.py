"""The company with a till, as a directory sees it."""

from tests.service.streams.conftest import door, live

__all__ = ["door", "live"]
