"""Taking old sign-ins out of the log."""

from __future__ import annotations

from datetime import datetime

from caddrel.core.facts.values import show_moment
from caddrel.service.signins.live_log import LiveLog
from caddrel.service.state.context import State
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.jobs import Cancelled, Progress
from caddrel.wire.signins import Forgotten


def would_forget(data: State, before: datetime) -> Forgotten:
    """Return how many sign-ins are older than a moment."""
    return Forgotten(show_moment(before), data.signins.older(before), done=False)


def forget(data: DataFolder, log: LiveLog, before: datetime, progress: Progress) -> Forgotten:
    """Take out the sign-ins older than a moment, piece by piece; what signals look back at goes with them."""
    done = 0
    try:
        for count in data.signins.forget(before):
            done += count
            progress(done)
    except Cancelled as cancelled:
        raise Cancelled(Forgotten(show_moment(before), done, done=True)) from cancelled
    finally:
        # Nobody may be about to store a record that names what is taken out here.
        with log.deciding:
            data.signins.forget_unused()
            log.histories.clear()
            log.lockouts.read_again()
        data.draft_outcomes.forget(before)
    return Forgotten(show_moment(before), done, done=True)
