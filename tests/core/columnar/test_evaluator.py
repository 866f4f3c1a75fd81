"""Attempts between which a rulebook sees no difference: deciding them once gives what deciding each gives."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from hypothesis import given
from hypothesis import strategies as st
from tests.core.decide.test_evaluators_agree import LISTED, slow
from tests.strategies import FACT_NAMES, SPECS, attempts, reported, rulebooks

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.columnar.completion import Bundler
from caddrel.core.columnar.equivalence import Likeness
from caddrel.core.columnar.evaluator import Alike, Kinds
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import TO_COME
from caddrel.core.facts.types import Signals
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

_READ, _PROBLEMS = read_inventory(
    {
        "people": [{"id": "a", "kind": "guest", "groups": ["a"], "factors": ["password"], "unit": "/a/b"}],
        "devices": [
            {"id": "a", "serial": "b", "owner": "company", "managed": True, "os_version": "14.2",
             "state_at": "2026-10-29T00:00:00Z", "listed_at": "2026-10-25T00:00:00Z"},
        ],
        "apps": [{"id": "a", "title": "The A", "labels": ["b"]}, {"id": "gate"}],
    }
)  # fmt: skip
INVENTORY = _READ.replaced(Inventory(lists=[LISTED]))
# Two attempts of a minute, a moment at the edge of a schedule, one in a zone of its own, and one with odd seconds.
_MOMENTS = [
    "2026-11-02T07:10:00Z", "2026-11-02T07:10:30Z", "2026-11-02T07:00:00Z", "2026-11-01T23:59:59.999999Z",
    "2026-11-02T09:10:00+02:00", "2026-10-31T21:00:00Z", "1962-03-01T07:00:00Z",
]  # fmt: skip


@st.composite
def _logs(draw: st.DrawFn) -> list[dict[str, Any]]:
    """Draw attempts of which many are like others in nearly everything."""
    log = []
    for first in draw(st.lists(attempts(), min_size=1, max_size=2)):
        attempt = {**first, "time.at": draw(st.sampled_from(_MOMENTS))}
        log.append(attempt)
        for _ in range(draw(st.integers(1, 6))):
            attempt = dict(attempt)
            name = draw(st.sampled_from([*FACT_NAMES, "time.at", "auth.methods", "device.state_age"]))
            if name == "time.at":
                attempt[name] = draw(st.sampled_from(_MOMENTS))
            elif name in attempt and draw(st.booleans()):
                del attempt[name]
            else:
                attempt[name] = draw(reported(SPECS[name]))
            log.append(attempt)
    return log


class _Told(NamedTuple):
    signals: Signals
    document: bytes = b""

    def noticed(self, _values: Sequence[Any]) -> dict[str, Any]:
        return {}


def _noticed(attempt: Bundled, drawn: int) -> None:
    """Give an attempt signals as if they had been worked out, some of them unknown."""
    if drawn:
        fired = {name for i, name in enumerate(("odd", "fast")) if drawn >> i & 1}
        attempt.noticed = _Told(Signals(fired, {"new"} if drawn & 4 else ())), []


@given(rulebooks(), _logs(), st.data())
@slow
def test_those_alike_are_decided_as_each_alone_would_be(
    text: str, log: list[dict[str, Any]], data: st.DataObject
) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    compiled = CompiledRulebook(rulebook, 3)
    alike, kinds = Alike(compiled), Kinds(Likeness(rulebook, compiled.parts))
    catalogue, assume = rulebook.catalogue, rulebook.settings.assume
    bundlers = [Bundler(catalogue, assume, INVENTORY, ["listed"]) for _ in range(2)]
    for document in [*log, *log]:
        drawn = data.draw(st.integers(0, 7)) if "signals" not in document else 0
        # What was remembered for one bundle must not be taken for another's: of the second all are made anew.
        for bundler in bundlers:
            attempt, apart = bundler.bundle([document, document])
            kinds.number([attempt])
            _noticed(attempt, drawn)
            _noticed(apart, drawn)
            apart.facts.reference = TO_COME
            assert alike.decide(attempt) == decide(rulebook, apart.facts, 3)
