"""Tightening curves over stored records: each choice of a limit decided over the same ones.

Runs in the process of replays. Not here: which choices there are, and what is counted (`core.replay.tightening_curve`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np

from caddrel.core.facts.values import show_moment
from caddrel.core.garbage import between
from caddrel.core.replay.tally import Counted
from caddrel.core.replay.tightening_curve import Curve, Observed, Point, Variants, choices, ordered
from caddrel.core.rulebook.edit.limits import Limit, find_limit, limits_of
from caddrel.core.rulebook.edit.objects import Path, objects_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.tightening_curve import tightening_words
from caddrel.service.problems import ServiceError
from caddrel.service.replay.request import documents_of, query_of, rulebook_of
from caddrel.service.replay.sides import RecordedSide, ReplayedLog, RulebookSide, Under
from caddrel.service.replay.steps import far, step
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.service.state.drafted import sources
from caddrel.store.queries import Query
from caddrel.wire import limits as wire
from caddrel.wire.replays import Numbers
from caddrel.wire.rulebooks import Side


def limits_of_side(state: State, side: Side, changed: Sequence[Path]) -> wire.LimitList:
    """Return the limits of a rulebook that is named or given.

    Raises
    ------
    RulebookError
        When it cannot be read.
    """
    rulebook, _ = rulebook_of(state, side)
    return limits(rulebook, objects_of(sources(documents_of(state, side))), changed)


def limits(rulebook: Rulebook, objects: Mapping[Path, str], changed: Sequence[Path] = ()) -> wire.LimitList:
    """Return the limits of a rulebook."""
    found = limits_of(rulebook, objects)
    mine = set(changed)
    return wire.LimitList([limit_view(rulebook, each) for each in found], [e.address for e in found if e.path in mine])


def limit_view(rulebook: Rulebook, limit: Limit) -> wire.Limit:
    """Return a limit as it travels."""
    section, id = limit.path
    title = getattr(rulebook, section)[id].title or id
    return wire.Limit(limit.address, ".".join(limit.path), title, limit.words, limit.value, limit.kind.value)


def check_tightening(state: State, request: wire.TighteningRequest) -> int:
    """Return how many sign-ins will be looked at, all told, or refuse what cannot be.

    Raises
    ------
    LimitRefused
        When there is no such limit, or one of the choices is none.
    """
    if not 1 <= request.fewer_than <= 1_000_000:
        raise ServiceError(422, "bad-value", "fewer than how many people is between 1 and 1,000,000")
    query = query_of(state, request.since, request.until, request.where)
    variants = _variants(state, request)
    if request.choices:
        for value in ordered(variants.limit, request.choices):
            variants.of(value)
    count = sum(count for _, _, count in state.signins.per_day(query))
    return count if request.choices or not variants.limit.fact else 2 * count


def _variants(state: State, request: wire.TighteningRequest) -> Variants:
    rulebook, _ = rulebook_of(state, request.under)
    documents = sources(documents_of(state, request.under))
    objects = objects_of(documents)
    return Variants(rulebook, documents, objects, find_limit(limits_of(rulebook, objects), request.limit))


def tightening_lines(state: State, request: wire.TighteningRequest) -> Iterator[bytes]:
    """Yield a line of JSON for each step: how far it is, and at last the `result`."""
    rulebook, under = rulebook_of(state, request.under)
    variants = _variants(state, request)
    query = query_of(state, request.since, request.until, request.where)
    look = _Look(state, query, variants)
    steps: list[int] = []
    if request.choices:
        values = ordered(variants.limit, request.choices)
    else:
        for _ in look.observe(steps.append):
            yield from far(steps)
        values = choices(variants.limit, look.observed)
    curve = Curve(variants.limit, values)
    for _ in look.try_all(curve, steps.append):
        yield from far(steps)
    nobody, few = curve.strictest(1), curve.strictest(request.fewer_than)
    since, until = (show_moment(end) if end is not None else "" for end in (query.since, query.until))
    # What somebody asked for is told, also where it makes no difference.
    shown = curve.points if request.choices else curve.shown()
    yield step(
        "result",
        wire.Tightening(
            limit_view(rulebook, variants.limit), pieces(tightening_words(curve, request.fewer_than)),
            [_choice(point) for point in shown], curve.attempts, variants.counted,
            nobody.value if nobody is not None else "", few.value if few is not None else "", request.fewer_than,
            under, since, until,
        ),
    )  # fmt: skip


def _choice(point: Point) -> wire.Choice:
    def numbers(of: Counted) -> Numbers:
        return Numbers(of.count, len(of.people), len(of.devices))

    return wire.Choice(point.value, point.current, *map(numbers, (point.stopped, point.asked, point.hit)))


class _Look:
    """Stored records, looked at once for what a limit was compared with, and once for each of its choices."""

    def __init__(self, state: State, query: Query, variants: Variants) -> None:
        self._log, self._variants = ReplayedLog(state, query), variants
        self.observed = Observed(variants.limit) if variants.limit.fact else None
        self._sides: list[RulebookSide] = []
        self._done = 0

    def _side(self, rulebook: Rulebook) -> RulebookSide:
        # They assume the same and know the same facts: what is read of a record serves all of them.
        made = RulebookSide(self._log, Under(rulebook), self._sides[0] if self._sides else None)
        self._sides.append(made)
        return made

    def observe(self, progress: Callable[[int], None]) -> Iterator[None]:
        """Find the values of the fact where the limit makes a difference; yields after each part."""
        if self.observed is None:
            return
        ends = [self._side(rulebook) for rulebook in self._variants.ends()]
        for recorded in between(self._log.parts(ends)):
            one, other = (side.decisions(recorded).outcomes for side in ends)
            self.observed.add(ends[0].batch, np.flatnonzero(one != other))
            self._done += len(recorded)
            progress(self._done)
            yield

    def try_all(self, curve: Curve, progress: Callable[[int], None]) -> Iterator[None]:
        """Decide everything with each choice; yields after each part."""
        before = RecordedSide(self._log)
        without = [self._side(rulebook) for rulebook in self._variants.without()]
        sides = [self._side(self._variants.of(point.value)) for point in curve.points]
        for recorded in between(self._log.parts([*without, *sides])):
            found = []
            for place, side in enumerate((*without, *sides), 1):
                found.append(side.decisions(recorded).outcomes)
                # After each choice: somebody may want to cancel it, or be told how far it is.
                progress(self._done + len(recorded) * place // (len(without) + len(sides)))
                yield
            mild, after = found[: len(without)], found[len(without) :]
            curve.add(before.side(recorded)[0].outcomes, mild, after, recorded.people, recorded.devices)
            self._done += len(recorded)
