"""What the service counts, as OpenMetrics."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest

if TYPE_CHECKING:
    from caddrel.service.runtime import Deps

__all__ = ["CONTENT_TYPE_LATEST", "exposition"]


class _Collector:
    """Reads the numbers when they are asked for."""

    def __init__(self, deps: Deps) -> None:
        self._deps = deps

    def collect(self) -> Iterator[Metric]:
        """Yield every family of numbers."""
        deps = self._deps
        yield GaugeMetricFamily("caddrel_revision", "The current revision.", deps.revisions.current_number() or 0)
        words = CounterMetricFamily(
            "caddrel_words_not_understood", "Words on no list that doors reported.", labels=("fact", "word")
        )
        for (fact, word), count in deps.strange.most_common(200):
            words.add_metric((fact, word), count)
        yield words
        yield CounterMetricFamily(
            "caddrel_shadow_passed_over", "Attempts that drafts in shadow were too slow for.", deps.shadows.passed_over
        )
        yield GaugeMetricFamily("caddrel_log_changes", "How often the log was changed.", deps.signins.head()[0])
        yield GaugeMetricFamily("caddrel_recording_failing", "Whether the last commit failed.", deps.recorder.failing)


def exposition(deps: Deps) -> bytes:
    """Return everything that is counted."""
    registry = CollectorRegistry()
    registry.register(_Collector(deps))
    found: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return found
