"""One benchmark's result."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Result:
    """A figure with the side that is better, and the goal where there is one."""

    name: str
    ratio: float
    better: str
    goal: float | None
    note: str

    @property
    def met(self) -> bool | None:
        """Whether the goal is met, None without one."""
        if self.goal is None:
            return None
        return self.ratio <= self.goal if self.better == "below" else self.ratio >= self.goal
