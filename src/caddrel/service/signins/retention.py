"""Taking old sign-ins out of the log."""

from __future__ import annotations

from datetime import datetime

from caddrel.core.facts.values import show_moment
from caddrel.service.runtime import Deps
from caddrel.service.state.jobs import Cancelled, Progress
from caddrel.wire.signins import Forgotten


def would_forget(deps: Deps, before: datetime) -> Forgotten:
    """Return how many sign-ins are older than a moment."""
    return Forgotten(show_moment(before), deps.signins.older(before), done=False)


def forget(deps: Deps, before: datetime, progress: Progress) -> Forgotten:
    """Take out the sign-ins older than a moment, piece by piece; what signals look back at goes with them."""
    done = 0
    try:
        for count in deps.signins.forget(before):
            done += count
            progress(done)
    except Cancelled as cancelled:
        raise Cancelled(Forgotten(show_moment(before), done, done=True)) from cancelled
    finally:
        # Nobody may be about to store a record that names what is taken out here.
        with deps.log_lock:
            deps.signins.forget_unused()
            deps.histories.clear()
            deps.lockouts.read_again()
        deps.draft_outcomes.forget(before)
    return Forgotten(show_moment(before), done, done=True)
