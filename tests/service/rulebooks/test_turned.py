"""Which changes turned a kept rehearsal, told by check, draft and publish."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.wire.decisions import File

BEFORE = """
caddrel: 1
settings: {keyholders: [group:keepers]}
apps: {tower: {stance: open}, quay: {stance: open}}
places:
  office: {networks: [192.0.2.0/26]}
policies:
  outside:
    title: Outside is asked for more
    mode: enforced
    people: [everyone]
    apps: [tower]
    rules:
      - {id: far, when: not from office, then: require mfa}
  legacy:
    mode: enforced
    people: [everyone]
    apps: [tower]
    rules: [{id: old, when: client.kind is legacy, then: block}]
rehearsals:
  from-the-office:
    attempt: {app: tower, network.ip: 192.0.2.7, client.kind: browser}
    expect: allowed
  anywhere:
    attempt:
      {app: tower, client.kind: browser, person.factors: [password, authenticator-app], auth.methods: [pwd]}
    expect_open: [allowed, challenged]
"""
MOVED = BEFORE.replace("192.0.2.0/26", "192.0.2.64/26")
BLOCKED = BEFORE.replace("client.kind is legacy", "client.kind is not native")
BOTH = ["from-the-office", "anywhere"]
TWICE = BLOCKED.replace("not from office, then: require mfa", "client.kind is browser, then: block")
# The document, the rehearsals that fail, the changes that turned them, the policies that decide.
CHANGES = [
    # All others come from where the place is now: both outcomes are still possible.
    (MOVED, ["from-the-office"], ["places.office"], ["outside"]),
    (BLOCKED, BOTH, ["policies.legacy"], ["legacy"]),
    # Each of two policies blocks: only both taken back mend it.
    (TWICE, BOTH, ["policies.outside", "policies.legacy"], ["legacy", "outside"]),
    # What must be was changed itself.
    (BEFORE.replace("expect: allowed", "expect: blocked"), ["from-the-office"], ["rehearsals.from-the-office"], []),
]


@pytest.fixture
def live(guarded: Callable[[str], Live]) -> Live:
    return guarded(BEFORE)


@pytest.mark.parametrize(("text", "failing", "by", "deciding"), CHANGES)
def test_a_rehearsal_that_fails_names_policies_and_changes(
    live: Live, text: str, failing: list[str], by: list[str], deciding: list[str]
) -> None:
    files = [File("r.yaml", text)]
    with live.client() as operator:
        told = {each.id: each for each in operator.rulebook.check(files).rehearsals if not each.ok}
        assert {id: each.turned_by for id, each in told.items()} == dict.fromkeys(failing, by)
        assert {policy for each in told.values() for policy in {ref.policy for ref in each.decides}} == set(deciding)
        with pytest.raises(Refused) as refused:
            operator.rulebook.publish(files, "try")
        assert refused.value.problem.code == "rehearsals-fail"
        hints = {each.path.partition(".")[2]: each.hint or "" for each in refused.value.problem.errors}
        assert set(hints) == set(failing)
        assert all(hint.startswith(f"turned by the change of {', '.join(by)}. ") for hint in hints.values())


def test_a_draft_is_held_against_what_it_was_begun_on(live: Live) -> None:
    with live.client() as operator:
        draft = operator.drafts.begin("moved-office").info
        operator.drafts.save("moved-office", draft.version, [File("r.yaml", MOVED)])
        [failing] = [each for each in operator.rulebook.check(draft="moved-office").rehearsals if not each.ok]
        assert (failing.id, failing.turned_by) == ("from-the-office", ["places.office"])
        said = run("rulebook", "check", "draft:moved-office", env=live.environment()).stdout
        assert "turned by the change of places.office" in said
