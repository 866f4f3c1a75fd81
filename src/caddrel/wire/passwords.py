"""Password checks and lock-outs as they travel; a candidate goes in and never comes out."""

from __future__ import annotations

import msgspec


class CandidateRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A candidate password to check.

    Attributes
    ----------
    person
        Whose it would be.
    app
        For which app; empty when it is for none in particular: every standard that may apply then does.
    age
        Seconds since it was set, for one that is in use already.
    """

    person: str
    candidate: str
    app: str = ""
    age: float | None = None

    def __repr__(self) -> str:
        """Return the request without the candidate."""
        return f"CandidateRequest(person={self.person!r}, app={self.app!r})"


class FailedRule(msgspec.Struct, frozen=True):
    """A rule that the candidate does not meet."""

    rule: str
    says: str


class StandardResult(msgspec.Struct, frozen=True):
    """What one password standard says."""

    standard: str
    title: str
    failed: list[FailedRule]
    not_checked: list[str]


class CandidateResult(msgspec.Struct, frozen=True):
    """Whether a candidate passes every standard that applies, with each standard's failed rules."""

    passes: bool
    standards: list[StandardResult]


class LockState(msgspec.Struct, frozen=True):
    """Whether a person is locked out for too many wrong passwords, by which standard and until when.

    `reserved` is the id of a try, where one was asked for: it counts as wrong until an evaluation tells its end.
    """

    locked: bool
    standard: str = ""
    since: str | None = None
    until: str | None = None
    wrong: int = 0
    reserved: str = ""
