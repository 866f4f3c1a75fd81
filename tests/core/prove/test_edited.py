"""A rulebook that is edited keeps what was made of it, where that does for it, and answers as one read anew."""

from __future__ import annotations

import pytest

from caddrel.core.inventory.reader import read_inventory
from caddrel.core.prove.guarantees import Prover, prove
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

BEFORE = """caddrel: 1
settings: {assume: {risk.attempt: low}}
places: {office: {networks: [192.0.2.0/24]}, home: {countries: [NO]}}
policies:
  a: {mode: enforced, people: [group:crew], rules: [{when: device.os_version is below 15, then: block}]}
  b:
    mode: enforced
    rules: [{when: from office, then: require mfa within 15m}, {when: risk.attempt is high, then: block}]
  c: {mode: enforced, rules: [{when: 'client.name contains "@kelpline"', then: allow}]}
guarantees:
  g: {for: {people: [group:crew]}, when: device.os_version is 14.5, at_least: block}
  h: {for: {people: [everyone]}, when: risk.attempt is high, at_least: require mfa}
"""


def _plenty() -> float:
    return 1e6


def _read(text: str) -> Rulebook:
    return read_rulebook(Source("r", text)).or_raise()


def _answers(prover: Prover, rulebook: Rulebook) -> list[str]:
    return [prover.prove(each).answer for each in rulebook.guarantees.values()]


def _warm() -> Prover:
    rulebook = _read(BEFORE)
    prover = Prover(rulebook, list(rulebook.guarantees.values()), None, _plenty)
    assert _answers(prover, rulebook) == ["holds", "holds"]
    return prover


@pytest.mark.parametrize(
    ("old", "new", "warm", "answers"),
    [
        ("then: require mfa within 15m", "then: block", True, ["holds", "holds"]),
        ("risk.attempt is high, then: block", "risk.attempt is high, then: allow", True, ["holds", "fails"]),
        ("mode: enforced, people: [group:crew]", "mode: off, people: [group:crew]", True, ["fails", "holds"]),
        ("people: [group:crew], rules", "people: ['group:crew', everyone], rules", True, ["holds", "holds"]),
        # What nothing asked for: another value, group, fact, method, age, list, or part of a text.
        ("{when: device.os_version is below 15", "{when: device.os_version is below 14.2", False, ["fails", "holds"]),
        ("people: [group:crew], rules", "people: [group:bridge], rules", False, ["fails", "holds"]),
        ("people: [group:crew], rules", "people: ['kind:guest'], rules", False, ["fails", "holds"]),
        ("when: from office", "when: from home", False, ["holds", "holds"]),
        ("mfa within 15m", "mfa within 20m", False, ["holds", "holds"]),
        ("{when: from office", "{when: auth.methods has hwk", True, ["holds", "holds"]),
        ("{when: from office", "{when: auth.methods has rba", False, ["holds", "holds"]),
        ("{when: from office", "{when: auth.age is below 1h", False, ["holds", "holds"]),
        ("@kelpline", "kelp", False, ["holds", "holds"]),
        ("{when: device.os_version is below 15", "{when: device.os_version is known", True, ["fails", "holds"]),
        ("{when: device.os_version is below 15", "{when: device.os_version is unknown", True, ["fails", "holds"]),
    ],
)  # fmt: skip
def test_an_edit_is_told_as_if_it_were_read_anew(old: str, new: str, warm: bool, answers: list[str]) -> None:
    assert old in BEFORE
    rulebook = _read(BEFORE.replace(old, new))
    guarantees = list(rulebook.guarantees.values())
    edited = _warm().edited(rulebook, guarantees, _plenty)
    assert edited is not None
    assert edited.is_warm == warm
    assert _answers(edited, rulebook) == answers == [prove(rulebook, each, None, _plenty).answer for each in guarantees]


@pytest.mark.parametrize(
    ("old", "new"),
    [("risk.attempt: low", "risk.attempt: high"), ("[NO]", "[NO, SE]"), ("settings: {", "settings: {stance: closed, ")],
)
def test_where_more_than_policies_is_another_nothing_is_kept(old: str, new: str) -> None:
    rulebook = _read(BEFORE.replace(old, new))
    assert _warm().edited(rulebook, list(rulebook.guarantees.values()), _plenty) is None


def test_a_guarantee_that_is_another_is_asked_of_what_is_there() -> None:
    text = BEFORE.replace("device.os_version is 14.5", "device.os_version is below 15")
    rulebook = _read(text)
    edited = _warm().edited(rulebook, list(rulebook.guarantees.values()), _plenty)
    assert edited is not None
    assert edited.is_warm
    assert _answers(edited, rulebook) == ["holds", "holds"]


def test_after_very_many_edits_all_is_made_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("caddrel.core.prove.guarantees._MOST_TAKEN", 3)
    prover, texts = _warm(), (BEFORE.replace("mode: enforced, people", "mode: off, people"), BEFORE)
    kept = []
    for number in range(6):
        rulebook = _read(texts[number % 2])
        edited = prover.edited(rulebook, list(rulebook.guarantees.values()), _plenty)
        assert edited is not None
        kept.append(edited.is_warm)
        assert _answers(edited, rulebook) == (["holds", "holds"] if number % 2 else ["fails", "holds"])
        prover = edited
    assert kept == [True, True, True, False, True, True]


PEOPLE = """caddrel: 1
policies:
  crew: {mode: enforced, people: [group:crew], rules: [{when: device.managed, then: allow}, {then: block}]}
  guests: {mode: enforced, people: ['kind:guest'], apps: [till], rules: [{then: block}]}
guarantees:
  g: {for: {people: [group:crew], apps: [till]}, who: inventory, at_least: block}
  h: {for: {people: ['kind:guest']}, who: inventory, at_least: block}
"""
INVENTORY = {
    "people": [{"id": "ines", "kind": "employee", "groups": ["crew"]}, {"id": "odd", "kind": "guest"}],
    "groups": [{"id": "crew"}],
    "devices": [{"id": "tab", "managed": False}, {"id": "desk", "managed": True}],
    "apps": [{"id": "till"}, {"id": "post"}],
}


@pytest.mark.parametrize(
    ("old", "new", "warm"),
    [
        ("{when: device.managed, then: allow}", "{when: not device.managed, then: allow}", True),
        ("rules: [{then: block}]}", "rules: [{then: allow}]}", True),
        ("apps: [till], rules", "rules", True),
        ("apps: [till], rules", "apps: [post], rules", True),
        ("mode: enforced, people: [group:crew]", "mode: off, people: [group:crew]", True),
        ("people: ['kind:guest'], apps: [till]", "people: [odd], apps: [till]", None),
        ("device.managed, then", "device.owner is personal, then", False),
    ],
)
def test_an_edit_for_those_of_the_inventory_is_told_as_if_it_were_read_anew(
    old: str, new: str, warm: bool | None
) -> None:
    inventory, problems = read_inventory(INVENTORY)
    assert (problems, old in PEOPLE) == ([], True)
    before, after = _read(PEOPLE), _read(PEOPLE.replace(old, new.replace("[odd]", "['person:odd']")))
    prover = Prover(before, list(before.guarantees.values()), inventory, _plenty)
    assert _answers(prover, before) == ["fails", "fails"]
    guarantees = list(after.guarantees.values())
    edited = prover.edited(after, guarantees, _plenty)
    assert edited is not None
    assert warm is None or edited.is_warm == warm
    for guarantee in guarantees:
        anew, told = prove(after, guarantee, inventory, _plenty), edited.prove(guarantee)
        assert told.answer == anew.answer
        if anew.counterexample is not None and told.counterexample is not None:
            assert (
                told.counterexample.attempt.reported["person.id"] == anew.counterexample.attempt.reported["person.id"]
            )
