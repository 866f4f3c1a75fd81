"""A look that takes long is given again while the next one is under way."""

from __future__ import annotations

import pytest
from tests.conftest import Live

from caddrel.service.watch import watched
from caddrel.service.watch.watched import Watched
from caddrel.wire.decisions import File


def test_what_takes_long_is_looked_at_beside_and_what_is_published_is_seen_at_once(
    empty: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    runtime, data = empty.runtime, empty.runtime.data
    looks = Watched(data, runtime.findings, runtime.strange_words, lambda: None)

    def shadowed() -> bool:
        return any(item.key == "shadow:p" for item in looks.now().items)

    with empty.client("publisher") as publisher:
        # Quick looks are made anew.
        assert not shadowed()
        publisher.rulebook.publish(
            [File("r.yaml", "caddrel: 1\npolicies: {p: {mode: shadow, rules: [{then: block}]}}\n")], "first"
        )
        assert shadowed()
        monkeypatch.setattr(watched, "LONG", -1.0)
        before = looks.now()
        monkeypatch.setattr(watched, "REST", 0.0)
        aside = before.items[0]
        data.set_aside.put(aside.key, aside.mark, "seen", "tests", empty.clock())
        # Kept, and what was set aside is set aside.
        again = looks.now()
        assert {item.key for item in again.items} == {item.key for item in before.items}
        assert [item.set_aside for item in again.items if item.key == aside.key] == ["seen"]
        looks.stop()
        monkeypatch.setattr(watched, "REST", 1e9)
        monkeypatch.setattr(watched, "look", lambda *_: pytest.fail("nothing was to be looked at"))
        looks.now()
        monkeypatch.undo()
        publisher.rulebook.publish([File("r.yaml", "caddrel: 1\n")], "second", base=1)
        assert not shadowed()
