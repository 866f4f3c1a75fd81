"""How the service is reached and what it asks of those who use it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(slots=True)
class Settings:
    """How the service is reached and what it asks of those who use it.

    Attributes
    ----------
    origin
        What browsers know the console by: scheme, host and port (RFC 6454).
    hosts
        The hosts that a request may name, beside addresses of this machine; any address when it is empty.
    second_factor
        Whether console accounts need a second factor.
    hold_sessions
        A change that would end more sessions than this is held until somebody has looked at them.
    allow_private
        Whether events are sent to, and lists fetched from, addresses of this network, and over http.
    incoming
        The folder in which others put files that are taken in; None where there is none.
    """

    origin: str = "http://127.0.0.1:8420"
    hosts: tuple[str, ...] = ()
    second_factor: bool = False
    hold_sessions: int = 100
    allow_private: bool = False
    incoming: Path | None = None
