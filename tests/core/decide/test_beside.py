"""Sign-ins of one person to several apps, explained one after another: what is taken over changes nothing."""

from __future__ import annotations

from typing import Any

from hypothesis import HealthCheck, given, settings
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.decide.interpreter.judge import Beside
from caddrel.core.decide.trace import trace_json
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.decisions import decision_words

_APPS: list[dict[str, Any]] = [
    {"app.id": "a"}, {"app.id": "b", "app.labels": ["x"]}, {}, {"app.labels": ["y", "z"]}, {"app.id": "a"},
]  # fmt: skip


@settings(max_examples=60, suppress_health_check=list(HealthCheck), deadline=None)
@given(rulebooks(), attempts(), attempts())
def test_what_is_taken_over_from_another_app_changes_nothing(
    text: str, attempt: dict[str, Any], other: dict[str, Any]
) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    beside = Beside()
    # The last is another attempt altogether: of that nothing may be taken over.
    for told in [*({**attempt, **app} for app in _APPS), other, {**other, "app.id": "a"}]:
        values = read_told_facts(told, rulebook.catalogue)[0]
        facts = complete(values, rulebook.catalogue, rulebook.settings.assume)
        alone = explain(rulebook, facts)
        like = explain(rulebook, facts, beside=beside)
        assert (like.decision, decision_words(like)) == (alone.decision, decision_words(alone))
        said, whole = trace_json(like), trace_json(alone)
        # Those that were looked at for another app are not told of again.
        for part in ("places", "schedules"):
            assert said[part].items() <= whole[part].items()
        assert {**said, "places": {}, "schedules": {}} == {**whole, "places": {}, "schedules": {}}
