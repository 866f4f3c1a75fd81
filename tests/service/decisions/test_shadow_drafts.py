"""A draft in shadow makes of live attempts what it would decide, also where it reads them in another way."""

from __future__ import annotations

import threading
from contextlib import ExitStack
from typing import Any

import pytest
from tests.conftest import PATIENCE, Live

from caddrel.client import Caddrel
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.decisions import File

PUBLISHED = """
caddrel: 1
settings: {assume: {risk.attempt: none}}
attributes: {person.attributes.level: level}
notices: {terms: {title: Terms, version: 1, text: Behave.}}
signals: {seen: {kind: first-seen, of: network.country, after: 1, history: 30}}
policies:
  risk: {mode: enforced, rules: [{when: risk.attempt is at least medium, then: block}]}
  level: {mode: enforced, rules: [{when: person.attributes.level is at least high, then: block}]}
  terms: {mode: enforced, rules: [{then: require notice terms}]}
  seen: {mode: enforced, rules: [{when: signals has seen, then: block}]}
"""


_SITE = "  site: {mode: enforced, rules: [{when: person.attributes.site is oslo, then: block}]}\n"


@pytest.mark.parametrize(
    ("there", "instead", "would"),
    [
        ("risk: {mode", "risk: {mode", ["allowed", "allowed", "blocked"]),
        ("level is at least high", "level is at least medium", ["blocked"] * 3),
        # From here on an attempt has other facts under the draft: each would come out otherwise on the published ones.
        ("of: network.country", "of: network.city", ["allowed"] * 3),
        ("{risk.attempt: none}", "{risk.attempt: high}", ["blocked"] * 3),
        ("version: 1", "version: 2", ["challenged", "challenged", "blocked"]),
        ("attributes: {", "attributes: {person.attributes.site: name, ", ["allowed", "allowed", "blocked"]),
    ],
)
def test_it_is_what_the_draft_would_decide(empty: Live, there: str, instead: str, would: list[str]) -> None:
    assert there in PUBLISHED
    text = PUBLISHED.replace(there, instead) + (_SITE if "site" in instead else "")
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", PUBLISHED)], "the first")
        own = b'{"id": "ines", "attributes": {"level": "medium", "site": "bergen"}, "factors": ["password"]}'
        operator.people.import_([own])
        operator.apps.import_([b'{"id": "post"}'])
        begun = operator.drafts.begin("shade").info
        saved = operator.drafts.save("shade", begun.version, [File("r.yaml", text)])
        operator.drafts.shadow(saved.info)
        token = make_token(empty.data, "front", "door", 30, "tests")[1]
        found = []
        with Caddrel(empty.url, token) as door:
            for country in ("NO", "NO", "IS"):
                empty.clock.forward(minutes=1)
                found.append(_asked(door, country))
        assert [outcome for _, outcome in found] == ["allowed", "allowed", "blocked"]
        operator.drafts.shadow_report("shade")
        assert [operator.signins.trace(id).drafts["shade"] for id, _ in found] == would


def test_an_attempt_is_decided_under_the_drafts_that_were_in_shadow_when_it_came(
    empty: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    stored, begun, go_on = empty.data.draft_outcomes.add, threading.Event(), threading.Event()

    def held(outcomes: Any) -> None:
        begun.set()
        assert go_on.wait(PATIENCE)
        stored(outcomes)

    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", PUBLISHED)], "the first")
        operator.people.import_([b'{"id": "ines", "attributes": {"level": "medium"}, "factors": ["password", "push"]}'])
        operator.apps.import_([b'{"id": "post"}'])
        strict = PUBLISHED.replace("{risk.attempt: none}", "{risk.attempt: high}")
        proving = PUBLISHED.replace("require notice terms", "require mfa")
        for name in ("one", "two"):
            begun_as = operator.drafts.begin(name).info
            operator.drafts.save(name, begun_as.version, [File("r.yaml", strict)])
        token = make_token(empty.data, "front", "door", 30, "tests")[1]
        monkeypatch.setattr(empty.data.draft_outcomes, "add", held)
        # Nothing is worked out from the first on until all is said and done.
        with ExitStack() as ended:
            ended.callback(go_on.set)
            door = ended.enter_context(Caddrel(empty.url, token))
            operator.drafts.shadow(operator.drafts.get("one").info)
            ids = [_came(empty, door)]
            assert begun.wait(PATIENCE)
            ids.append(_came(empty, door))
            operator.drafts.end_shadow("one")
            ids.append(_came(empty, door))
            operator.drafts.shadow(operator.drafts.get("two").info)
            ids.append(_came(empty, door))
            saved = operator.drafts.save("two", operator.drafts.get("two").info.version, [File("r.yaml", proving)])
            operator.drafts.shadow(saved.info)
            ids.append(_came(empty, door))
        empty.runtime.shadows.settle()
        # The fourth was to be decided under what is there no more: it is passed over, not decided under something else.
        assert [operator.signins.trace(id).drafts for id in ids] == [
            {"one": "blocked"}, {"one": "blocked"}, {}, {}, {"two": "challenged"},
        ]  # fmt: skip


def _came(live: Live, door: Caddrel) -> str:
    """Return the id of a sign-in that is allowed, of a moment at which drafts may be put in shadow too."""
    live.clock.forward(minutes=1)
    id, outcome = _asked(door, "NO")
    assert outcome == "allowed"
    return id


def _asked(door: Caddrel, country: str) -> tuple[str, str]:
    """Return id and outcome of a sign-in from a country."""
    said = {
        "auth.credentials": "right", "auth.methods": ["pwd"], "network.country": country, "network.city": "Bergen",
        "accepted": [{"notice": "terms", "version": 1}],
    }  # fmt: skip
    ines, post = authzen.Entity("person", "ines"), authzen.Entity("app", "post")
    answer = door.access.evaluate(authzen.Evaluation(ines, authzen.Action("sign-in"), post, said))
    return answer.context["id"], answer.context["outcome"]
