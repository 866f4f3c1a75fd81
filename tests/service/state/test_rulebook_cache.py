"""A company with many revisions: what is told of all of them is read once, and is what each of them says."""

from __future__ import annotations

import threading
from dataclasses import replace
from typing import Any

import pytest
from tests.conftest import Live

from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.profiles import policy_sheet
from caddrel.service.state import rulebook_cache
from caddrel.service.watch import shadow_policies
from caddrel.wire.decisions import File

MANY = 3 * rulebook_cache.MOST_READ


def _text(i: int) -> str:
    # `slow` changes now and then, `steady` never; `late` comes with the tenth, and looks back further from then on.
    late = "  late: {why: w, owner: o, mode: enforced, rules: [{then: allow}]}\n" if i >= 10 else ""
    signals = f"signals: {{far: {{kind: first-seen, of: network.country, after: 1, history: {20 if i >= 10 else 5}}}}}"
    return f"""caddrel: 1
{signals}
policies:
  steady: {{why: w, owner: o, mode: shadow, rules: [{{when: "risk.attempt is high", then: block}}]}}
  slow: {{why: w, owner: o, mode: shadow, rules: [{{when: "device.os_version is below {1 + i // 7}", then: block}}]}}
{late}"""


@pytest.fixture
def read(empty: Live, monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Numbers of revisions as they are read by the test; what goes on in the service reads them too."""
    for i in range(MANY):
        empty.data.revisions.publish([("r.yaml", _text(i))], "tests", f"the {i}th", empty.clock())
        empty.clock.forward(days=1)
    found: list[int] = []
    rulebook = empty.data.rulebooks._rulebook

    def noted(revision: Any) -> Any:
        if threading.current_thread() is threading.main_thread():
            found.append(revision.number)
        return rulebook(revision)

    monkeypatch.setattr(empty.data.rulebooks, "_rulebook", noted)
    return found


def test_since_when_a_policy_is_as_it_is_takes_no_reading_of_all_revisions_each_time(
    empty: Live, read: list[int]
) -> None:
    rulebooks = empty.data.rulebooks
    for i in range(MANY):
        text = read_rulebook(Source("r.yaml", _text(i))).or_raise()
        assert rulebooks.policies_of(i + 1) == text.policies
    assert rulebooks.policies_of(1)["steady"] is rulebooks.policies_of(MANY)["steady"]
    rulebooks.need_current()
    read.clear()
    published = {each.number: each.published_at for each in empty.data.revisions.all()}
    turned = MANY - (MANY - 1) % 7
    told = shadow_policies.shadow_policies(empty.data, empty.clock())
    since = {each.policy: each.since for each in told}
    assert since == {"steady": show_moment(published[1]), "slow": show_moment(published[turned])}
    policy = rulebooks.need_current().rulebook.policies["slow"]
    changes = [each.revision for each in policy_sheet._changes(empty.data, policy)]
    assert changes == [n for n in range(MANY, 0, -1) if n == 1 or (n - 1) % 7 == 0][: policy_sheet.MOST_CHANGES]
    assert read == []


def test_how_far_signals_look_back_is_asked_of_the_revisions_in_question(empty: Live, read: list[int]) -> None:
    rulebooks = empty.data.rulebooks
    for numbers, needed in (([], 0), ([1, 10], 5), ([11], 20), ([3, 12, 4], 20), (range(1, MANY + 1), 20)):
        assert rulebooks.needed_history(numbers) == needed, numbers
    # Once each; what goes on beside reads the current one too.
    assert len(read) <= MANY + 3
    read.clear()
    assert rulebooks.looks_back()
    assert rulebooks.needed_history(range(1, MANY + 1)) == 20
    assert read == []


def test_who_asks_first_after_a_publish_waits_for_no_reading(empty: Live, read: list[int]) -> None:
    with empty.client() as client:
        read.clear()
        assert client.rulebook.publish([File("r.yaml", _text(500))], "prepared").revision.number == MANY + 1
        published = empty.data.rulebooks.need_current()
        assert (published.revision.why, published.compiled.revision) == ("prepared", MANY + 1)
        assert published.rulebook == read_rulebook(Source("r.yaml", _text(500))).or_raise()
        assert MANY + 1 not in read
    # What was prepared and lost to somebody else counts for nothing.
    rulebooks = empty.data.rulebooks
    lost = replace(published.revision, number=MANY + 2, files=(("r.yaml", _text(600)),))
    rulebooks.prepare(lost, published.rulebook, ())
    empty.data.revisions.publish([("r.yaml", _text(700))], "others", "first", empty.clock())
    assert rulebooks.need_current().rulebook == read_rulebook(Source("r.yaml", _text(700))).or_raise()
    assert read[-1] == MANY + 2
