"""The company with a till, which has neighbours."""

from tests.service.streams.conftest import live

__all__ = ["live"]
