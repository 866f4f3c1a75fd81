"""What the service counts, as OpenMetrics."""

from __future__ import annotations

from collections.abc import Iterator

from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest

from caddrel.service.decisions.evaluate import Door
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.shadow_drafts import Shadows
from caddrel.service.state.context import State

__all__ = ["CONTENT_TYPE_LATEST", "exposition"]


class _Collector:
    """Reads the numbers when they are asked for."""

    def __init__(self, data: State, door: Door, recorder: Recorder, shadows: Shadows) -> None:
        self._data, self._door, self._recorder, self._shadows = data, door, recorder, shadows

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
            "caddrel_shadow_passed_over", "Attempts that drafts in shadow were too slow for.", self._shadows.passed_over
        )
        held = GaugeMetricFamily("caddrel_cache_entries", "What a cache holds.", labels=("cache",))
        most = GaugeMetricFamily("caddrel_cache_most", "What a cache holds at most.", labels=("cache",))
        for name, entries, largest in data.caches.sizes():
            held.add_metric((name,), entries)
            most.add_metric((name,), largest)
        yield from (held, most)
        yield GaugeMetricFamily("caddrel_log_changes", "How often the log was changed.", data.signins.head()[0])
        yield GaugeMetricFamily("caddrel_recording_failing", "Whether the last commit failed.", self._recorder.failing)


def exposition(data: State, door: Door, recorder: Recorder, shadows: Shadows) -> bytes:
    """Return everything that is counted."""
    registry = CollectorRegistry()
    registry.register(_Collector(data, door, recorder, shadows))
    found: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return found
