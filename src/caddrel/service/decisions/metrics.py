"""What the service counts, as OpenMetrics."""

from __future__ import annotations

from collections.abc import Iterator

from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, HistogramMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest

from caddrel.service.decisions.decider import Decider
from caddrel.service.decisions.evaluate import Door
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.quick_answers import QuickAnswers
from caddrel.service.decisions.shadow_drafts import Shadows
from caddrel.service.state.context import State

__all__ = ["CONTENT_TYPE_LATEST", "exposition"]


class _Collector:
    """Reads the numbers when they are asked for."""

    def __init__(
        self, data: State, door: Door, quick: QuickAnswers, decider: Decider, recorder: Recorder, shadows: Shadows
    ) -> None:
        self._data, self._door, self._quick = data, door, quick
        self._decider, self._recorder, self._shadows = decider, recorder, shadows

    def collect(self) -> Iterator[Metric]:
        """Yield every family of numbers."""
        data = self._data
        yield GaugeMetricFamily("caddrel_revision", "The current revision.", data.revisions.current_number() or 0)
        words = CounterMetricFamily(
            "caddrel_words_not_understood", "Words on no list that doors reported.", labels=("fact", "word")
        )
        for (fact, word), count in self._door.strange.most_common(200):
            words.add_metric((fact, word), count)
        yield words
        yield CounterMetricFamily(
            "caddrel_shadow_passed_over",
            "Attempts that drafts in shadow passed over, as too many waited.",
            self._shadows.passed_over,
        )
        held = GaugeMetricFamily("caddrel_cache_entries", "What a cache holds.", labels=("cache",))
        most = GaugeMetricFamily("caddrel_cache_most", "What a cache holds at most.", labels=("cache",))
        for name, entries, largest in data.caches.sizes():
            held.add_metric((name,), entries)
            most.add_metric((name,), largest)
        yield from (held, most)
        yield GaugeMetricFamily("caddrel_log_changes", "How often the log was changed.", data.signins.head()[0])
        yield GaugeMetricFamily("caddrel_recording_failing", "Whether the last commit failed.", self._recorder.failing)
        yield from self._load()

    def _load(self) -> Iterator[Metric]:
        """Yield how much is asked, how long it takes, what waits, and what is refused."""
        quick, recorder = self._quick, self._recorder
        made = CounterMetricFamily("caddrel_evaluations", "Live decisions, by outcome.", labels=("outcome",))
        for outcome, count in sorted(self._door.outcomes.items()):
            made.add_metric((outcome,), count)
        yield made
        waiting = GaugeMetricFamily("caddrel_waiting", "What waits, by what for.", labels=("queue",))
        for name, count in (
            ("decision", self._decider.waiting), ("commit", recorder.waiting), ("shadow", self._shadows.waiting)
        ):  # fmt: skip
            waiting.add_metric((name,), count)
        yield waiting
        refused = CounterMetricFamily(
            "caddrel_refused", "Evaluations refused because too much waited, by what was too much.", labels=("why",)
        )
        for why, many in (("token", quick.refused), ("all", self._decider.refused), ("commit", recorder.refused)):
            refused.add_metric((why,), many)
        yield refused
        for name, doc, tally in (
            ("evaluation_seconds", "How long a door waited for a decision.", quick.seconds),
            ("evaluations_together", "How many were decided together.", self._decider.together),
            ("commit_seconds", "How long a commit of live decisions took.", recorder.seconds),
            ("commit_records", "How many live decisions were in a commit.", recorder.together),
        ):
            yield HistogramMetricFamily(f"caddrel_{name}", doc, buckets=tally.buckets(), sum_value=tally.sum)


def exposition(
    data: State, door: Door, quick: QuickAnswers, decider: Decider, recorder: Recorder, shadows: Shadows
) -> bytes:
    """Return everything that is counted."""
    registry = CollectorRegistry()
    registry.register(_Collector(data, door, quick, decider, recorder, shadows))
    found: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return found
