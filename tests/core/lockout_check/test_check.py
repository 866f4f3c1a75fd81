"""The lock-out check: whether keyholders and administrators can still get in, whatever fails."""

from __future__ import annotations

import json
from datetime import UTC, datetime

import pytest

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.lockout_check.candidates import FEEDS, possible, silenced
from caddrel.core.lockout_check.check import administration_apps, diagnostics, keyholders_of, locked_out, must_reach
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

NOW = datetime(2026, 11, 23, 2, 0, tzinfo=UTC)
INVENTORY, _PROBLEMS = read_inventory(
    {
        "people": [
            {"id": "key", "title": "The keyholder", "groups": ["keepers"], "factors": ["security-key"]},
            {"id": "admin", "roles": ["administrator"], "factors": ["password", "authenticator-app"]},
            {"id": "ines", "groups": ["crew"], "factors": ["password"]},
        ],
        "groups": [{"id": "keepers"}, {"id": "crew"}],
        "devices": [
            {"id": "lap", "person": "admin", "owner": "company", "managed": True, "encrypted": True,
             "platform": "windows", "os_version": "10.0.22631", "state_at": "2026-11-22T00:00:00Z"},
        ],
        "apps": [{"id": "tower", "title": "Tower", "labels": ["administration"]}, {"id": "vault"}, {"id": "post"}],
    }
)  # fmt: skip
BASE = """
caddrel: 1
settings: {keyholders: [group:keepers], assume: {risk.attempt: none, person.risk: none}}
apps: {tower: {stance: closed}, vault: {stance: closed}}
places:
  office: {networks: [192.0.2.0/26]}
  home-countries: {countries: [NO]}
schedules:
  day: {zone: Europe/Oslo, hours: {mon-fri: [08:00-16:00]}}
proofs: {strong: {any_of: [[hwk]]}}
standards: {tidy: {checks: {encrypted: {must: device.encrypted}}}}
signals: {far: {kind: travel-speed, above_kmh: 900, history: 30}}
policies:
  in: {mode: enforced, people: [group:keepers, role:administrator], apps: [tower], rules: [%s]}
"""


def _found(rules: str, more: str = "", before: str | None = None) -> list[str]:
    def compiled(text: str) -> CompiledRulebook:
        return CompiledRulebook(read_rulebook([Source("r.yaml", BASE % text + more)]).or_raise())

    found = locked_out(compiled(rules), INVENTORY, NOW, None, compiled(before) if before is not None else None)
    return [f"{out.person.id}{f' {out.feed}' if out.feed else ''}" for out in found]


@pytest.mark.parametrize(
    ("rules", "expected"),
    [
        ("{then: allow}", []),
        ("{then: require mfa}", ["key"]),
        ("{then: require mfa or proof strong}", []),
        ("{then: require proof strong}", ["admin"]),
        ("{then: block}", ["key", "admin"]),
        # At some place and at some time is enough.
        ("{when: not from office, then: block}, {then: allow}", []),
        ("{when: not during day, then: block}, {then: allow}", []),
        ("{when: not from office or not during day, then: block}, {then: allow}", []),
        # The keyholder has no device of their own.
        ("{when: not device passes tidy, then: block}, {then: allow}", ["key"]),
        ("{then: require company device}", ["key"]),
        # What is not known while a feed is dead may be the worst that it could be.
        ("{when: network.country is not NO, then: block}, {then: allow}",
         ["key the address data", "admin the address data"]),
        ("{when: signals has far, then: block}, {then: allow}", ["key the signals", "admin the signals"]),
        ("{when: surely signals has far, then: block}, {then: allow}", []),
        ("{when: risk.attempt is above low, then: block}, {then: allow}", []),
        ("{when: device.listed and device.state_age is above 30d, then: block}, {then: require mfa or proof strong}",
         []),
        ("{when: device.state_age is above 30d, then: block}, {then: require company device}",
         ["key", "admin the device reports"]),
    ],
)  # fmt: skip
def test_who_could_not_get_in_is_found(rules: str, expected: list[str]) -> None:
    assert not _PROBLEMS
    assert _found(rules) == expected


def test_only_who_can_get_in_now_is_locked_out_anew() -> None:
    assert _found("{then: block}", before="{then: require proof strong}") == ["key"]
    assert _found("{then: block}", before="{then: block}") == []
    more = "  all: {mode: enforced, rules: [{when: network.anonymiser is not none, then: block}]}\n"
    assert _found("{then: allow}", more) == ["key the address data", "admin the address data"]


def test_the_counterexample_is_what_the_interpreter_says_too() -> None:
    rulebook = read_rulebook([Source("r.yaml", BASE % "{then: require mfa}")]).or_raise()
    found = locked_out(CompiledRulebook(rulebook), INVENTORY, NOW)
    assert [person.id for person in must_reach(rulebook, INVENTORY, NOW)] == ["key", "admin"]
    assert administration_apps(rulebook, INVENTORY) == ["tower"]
    (out,) = found
    for attempt in possible(rulebook, INVENTORY, out.person, "tower", NOW):
        facts = complete(attempt.facts, rulebook.catalogue, rulebook.settings.assume, INVENTORY, Setting.LIVE, NOW)
        for feed in ("", *FEEDS):
            given = silenced(facts, feed, rulebook.settings.assume) if feed else facts
            assert decide(rulebook, given).outcome != "allowed"
    (said,) = diagnostics(found)
    assert said.code == "lockout-risk"
    assert said.message == "The keyholder could not open Tower any more: `in` / r1 requires mfa, which they cannot do"
    assert json.dumps(said.hint)


def test_without_a_labelled_app_every_closed_one_counts() -> None:
    rulebook = read_rulebook([Source("r.yaml", BASE % "{then: allow}")]).or_raise()
    bare, _ = read_inventory({"people": [{"id": "key", "groups": ["keepers"]}], "apps": [{"id": "tower"}]})
    assert administration_apps(rulebook, bare) == ["tower", "vault"]
    assert [(out.person.id, out.app) for out in locked_out(CompiledRulebook(rulebook), bare, NOW)] == [("key", "vault")]


def test_keyholders_named_by_group_and_id_are_those_that_conditions_find() -> None:
    people = [
        {"id": "ines", "groups": ["deck"]},
        {"id": "bruno", "groups": [{"id": "keys", "until": "2026-11-02T00:00:00Z"}]},
        {"id": "odd", "groups": ["crew"]}, {"id": "salka"},
    ]  # fmt: skip
    groups = [{"id": "keys"}, {"id": "deck", "member_of": ["keys"]}, {"id": "crew"}]
    inventory, problems = read_inventory({"people": people, "groups": groups})
    assert not problems
    text = "caddrel: 1\nsettings: {keyholders: [%s]}\n"
    for named, asked in (
        ("group:keys", '{where: "person.groups has keys"}'),
        ("group:keys, person:salka", '{where: "person.groups has keys or person.id is salka"}'),
        ("person:odd, group:nothing", '{where: "person.id is odd"}'),
    ):
        for day in (1, 3):
            now = datetime(2026, 11, day, tzinfo=UTC)
            books = [read_rulebook(Source("r", text % each)).or_raise() for each in (named, asked)]
            found = [[person.id for person in keyholders_of(book, inventory, now)] for book in books]
            assert found[0] == found[1] != [], (named, day)
