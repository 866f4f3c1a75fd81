"""Which objects of a rulebook differ from those of another."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.rulebook.model import Rulebook
from caddrel.wire.decisions import Piece

# Every section of a rulebook with what one of its objects is called.
SECTIONS = {
    "policies": "policy",
    "places": "place",
    "standards": "standard",
    "schedules": "schedule",
    "proofs": "proof",
    "notices": "notice",
    "signals": "signal",
    "apps": "app",
    "password_standards": "password standard",
    "guarantees": "guarantee",
    "rehearsals": "rehearsal",
}


def changed_objects(then: Rulebook, now: Rulebook, deciding: set[str]) -> list[Piece]:
    """Return the objects that differ between two rulebooks; deciding policies come first."""
    found = sorted(_changed(then, now), key=lambda piece: (piece.id not in deciding, piece.kind != "policy"))
    if then.settings != now.settings:
        found.append(Piece("settings"))
    return found


def _changed(then: Rulebook, now: Rulebook) -> Iterator[Piece]:
    for section, kind in SECTIONS.items():
        before, after = getattr(then, section), getattr(now, section)
        for name in sorted({*before, *after}):
            if before.get(name) != after.get(name):
                part = after.get(name) or before.get(name)
                yield Piece(part.title or name, kind, name)
