"""What comes before and beside the policies of a batch: wrong credentials, lock-outs, and closed apps.

A reading of section 4 of its own. Not here: what policies say (`columnar.rulebook`).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from caddrel.core.columnar.batch import BIT, Batch, Flags
from caddrel.core.columnar.levels import Levels
from caddrel.core.facts.facts import Facts
from caddrel.core.rulebook.model import Rulebook

REASONS = (None, "effect", "closed", "unmeetable", "credentials", "locked-out")
EFFECT, CLOSED, UNMEETABLE, CREDENTIALS, LOCKED_OUT = range(1, len(REASONS))


def before_policies(batch: Batch) -> Levels:
    """Return why attempts are blocked before any policy is asked, by the place in `REASONS`."""
    methods = batch.methods
    wrong, locked = stopping(batch.entries["attempt"])[batch.codes["attempt"]].T
    # A password was tried, or nobody knows what was.
    tried = ~methods.known | methods.partly | (methods.used & np.uint32(BIT["pwd"]) != 0)
    found = np.where(wrong, np.uint8(CREDENTIALS), np.uint8(0))
    return np.where(locked & (wrong | tried), np.uint8(LOCKED_OUT), found)


def stopping(entries: Sequence[Facts]) -> Flags:
    """Return flags of what was asked for: with wrong credentials; by somebody who is locked out."""
    found = [(e.values.get("auth.credentials") == "wrong", e.values.get("auth.locked_out") is True) for e in entries]
    return np.array(found, np.bool_).reshape(-1, 2)


def signing_in(entries: Sequence[Facts]) -> Flags:
    """Return flags of what was asked for: it may be signing in; what it is is known."""
    operations = [entry.values.get("operation") for entry in entries]
    found = [(each in {None, "sign-in"}, each is not None) for each in operations]
    return np.array(found, np.bool_).reshape(-1, 2)


def app_stances(rulebook: Rulebook, entries: Sequence[Facts]) -> Flags:
    """Return flags of apps: closed and closed by their own line, strictly and then mildly read; not listed."""
    closed = rulebook.settings.stance == "closed"
    lines = {entry.stance for entry in rulebook.apps.values()}
    return np.array([_stance(rulebook, closed, lines, entry) for entry in entries], np.bool_).reshape(-1, 5)


class Stances:
    """Whether the apps of attempts are closed, in the strict and in the mild reading; and by their own lines."""

    def __init__(self, rulebook: Rulebook, batch: Batch) -> None:
        strict, own, mild, own_mild, unlisted = app_stances(rulebook, batch.entries["app"]).T
        signs_in, known = signing_in(batch.entries["attempt"])[batch.codes["attempt"]].T
        codes = batch.codes["app"]
        # An app that the inventory does not know is closed to whoever comes now.
        now = batch.live & unlisted.take(codes)
        self.strict: Flags = signs_in & (strict.take(codes) | now)
        self.own_strict: Flags = signs_in & own.take(codes)
        self.mild: Flags = signs_in & known & (mild.take(codes) | now)
        self.own_mild: Flags = signs_in & known & own_mild.take(codes)


def _stance(
    rulebook: Rulebook, closed: bool, lines: set[str | None], entry: Facts
) -> tuple[bool, bool, bool, bool, bool]:
    """Return flags of an app: closed and closed by its own line, strictly and then mildly read; not listed."""
    app = entry.values.get("app.id")
    if isinstance(app, str):
        listed = rulebook.apps.get(app)
        line = listed.stance if listed is not None else None
        shut = line == "closed" if line else closed
        return shut, line == "closed", shut, line == "closed", not entry.app_listed
    # An app that says nothing of its own may be meant, and has the setting's stance.
    return closed or "closed" in lines, "closed" in lines, closed and "open" not in lines, False, False
