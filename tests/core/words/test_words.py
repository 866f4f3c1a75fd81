"""Policies as sentences that one would say, and hints for slips of the pen."""

from __future__ import annotations

import json

import pytest
from tests.loading import CASES

from caddrel.core.diagnostics import nearest, shorten
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.pieces import plain
from caddrel.core.words.policies import policy_words

PARTS = {
    "caddrel": 1,
    "apps": {"post": {"title": "Post"}},
    "places": {"office": {"title": "Head office", "networks": ["192.0.2.0/24"]}},
    "standards": {"tablet": {"title": "Crew tablet", "checks": {"a": {"must": "device.encrypted"}}}},
    "schedules": {"shore": {"zone": "Etc/UTC", "hours": {"mon": ["07:00-19:00"]}}},
    "proofs": {"strong": {"title": "Strong key", "any_of": [["hwk"]]}},
    "notices": {"terms": {"text": "t"}},
}


def _cases() -> list[tuple[str, str]]:
    lines = (CASES / "sentences.txt").read_text(encoding="utf-8").splitlines()
    given, said = ([line[2:] for line in lines if line.startswith(mark)] for mark in ("> ", "= "))
    return list(zip(given, said, strict=True))


@pytest.mark.parametrize(("policy", "sentence"), _cases(), ids=lambda text: text[:50])
def test_a_policy_is_one_sentence(policy: str, sentence: str) -> None:
    rulebook = read_rulebook(Source("r", json.dumps({**PARTS, "policies": {"p": json.loads(policy)}}))).or_raise()
    assert plain(policy_words(rulebook.policies["p"], rulebook)) == sentence


@pytest.mark.parametrize(
    ("slip", "meant"), [("devcie.owner", "device.owner"), ("COMPANY", "company"), ("x", None), ("z" * 5000, None)]
)
def test_slips_are_recognised(slip: str, meant: str | None) -> None:
    assert nearest(slip, ["device.owner", "company"]) == meant


def test_messages_show_nothing_that_could_mislead() -> None:
    assert shorten("a\u202eb\x00") == "a\\u202eb\\u0000"
    assert len(shorten("x" * 500)) == 60
