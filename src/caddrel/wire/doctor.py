"""How the service is doing, as it travels."""

from __future__ import annotations

import msgspec


class Symptom(msgspec.Struct, frozen=True):
    """One thing looked at: `state` is ``good``, ``doubtful`` or ``bad``; `hint` is what to do about it."""

    about: str
    state: str
    says: str
    hint: str = ""


class Examination(msgspec.Struct, frozen=True):
    """Everything that was looked at; `well` when nothing is bad."""

    well: bool
    symptoms: list[Symptom]
