"""A replay of stored records: read as columns, decided under rulebooks, counted.

Not here: what each side comes to (`sides`), jobs (`views.replays`), and what a replay is asked for (`request`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator

import numpy as np

from caddrel.core.facts.facts import Facts
from caddrel.core.garbage import between
from caddrel.core.replay.breakdown import Breakdown
from caddrel.core.replay.recorded import Recorded
from caddrel.core.replay.tally import Attempts, Changed, Tally
from caddrel.service.replay.sides import RecordedSide, ReplayedLog, RulebookSide, Under
from caddrel.service.state.context import State
from caddrel.store.queries import Query


class LogReplay:
    """Replays the records that a query finds.

    Parameters
    ----------
    before
        None for what was recorded.
    """

    def __init__(self, state: State, query: Query, before: Under | None, after: Under) -> None:
        self._log = ReplayedLog(state, query)
        self._recorded = RecordedSide(self._log) if before is None else None
        self._before = RulebookSide(self._log, before) if before is not None else None
        self._after = RulebookSide(self._log, after)
        self.tally = Tally()
        self.by = Breakdown(after.rulebook)
        # Of each person whom it hits, the facts of the last attempt that changes, as they are on the new side.
        self.last: dict[str, Facts] = {}
        # Facts that attempts lack on the new side, where it is not certain what comes of them.
        self.lacking: Counter[str] = Counter()

    def run(self, progress: Callable[[int], None]) -> Iterator[Changed]:
        """Replay everything; yields the attempts that come out otherwise, the earliest first.

        Parameters
        ----------
        progress
            Is told how many records are done; what it raises ends the replay.
        """
        done = 0
        sides = [side for side in (self._before, self._after) if side is not None]
        for recorded in between(self._log.parts(sides)):
            yield from self._part(recorded)
            done += len(recorded)
            progress(done)

    def _part(self, recorded: Recorded) -> Iterator[Changed]:
        if self._recorded is not None:
            before, meaning = self._recorded.side(recorded)
            self.tally.meaning += meaning
        else:
            assert self._before is not None
            before = self._before.side(recorded)
        after = self._after.side(recorded, self.lacking)
        attempts = Attempts(
            lambda rows: self._log.ids(recorded.seqs[rows]), recorded.people, recorded.devices, recorded.moments
        )
        # The earliest come first, so that the last of each stays.
        last: dict[str, int] = {}
        rows: list[int] = []
        for changed in self.tally.add(attempts, before, after):
            rows.append(changed.row)
            if changed.person is not None:
                last[changed.person] = changed.row
            yield changed
        self.last.update((person, self._after.batch.facts(row)) for person, row in last.items())
        self.by.add(self._after.batch, recorded.people, np.array(rows, np.intp))
