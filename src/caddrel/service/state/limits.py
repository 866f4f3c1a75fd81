"""The largest bodies taken, and what is left to processes of their own."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Limits:
    """The largest bodies taken, in bytes, and what is left to a process of its own.

    Attributes
    ----------
    apart
        Bytes; of a log that is longer, another process reads the rest.
    checked_here
        Characters; a rulebook that has more is read, to be checked, by another process.
    exported_here
        Records; a log that has more is exported by another process.
    """

    body: int = 256 * 1024
    rulebook: int = 8 * 1024 * 1024
    stream: int = 512 * 1024 * 1024
    line: int = 256 * 1024
    batch: int = 4 * 1024 * 1024
    apart: int = 4 * 1024 * 1024
    checked_here: int = 32 * 1024
    exported_here: int = 2_000
