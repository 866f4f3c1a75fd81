"""What people say elsewhere is told as what it is here; never taken for it."""

from __future__ import annotations

import pytest

from caddrel.core.meant import meant
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

BOOK = "caddrel: 1\nplaces: {{abroad: {{countries: [{country}]}}}}\npolicies:\n  p:\n    people: [{people}]\n"
RULE = "    rules: [{{when: '{when}', then: {then}}}]\n"
FINE = {"country": "NO", "people": "everyone", "when": "device.managed", "then": "block"}


@pytest.mark.parametrize(
    ("said", "hint"),
    [
        ({"country": "NOR"}, "`NO`"),
        ({"country": "UK"}, "`GB`"),
        ({"when": "network.country is uk"}, "`GB`"),
        ({"when": "person.kind is staff"}, "`employee`"),
        ({"when": "device.platform is one of [win10, ios]"}, "`windows`"),
        ({"when": "auth.methods has totp"}, "`otp`"),
        ({"when": "person.kind in [guest]"}, "`is one of`"),
        ({"when": "person.kind not in [guest]"}, "`is not one of`"),
        ({"when": "person.kind equals guest"}, "`is`"),
        ({"when": "person.groups includes crew"}, "`has`"),
        ({"when": "device.os_version gte 15"}, "`is at least`"),
        ({"when": "device.managed AND device.encrypted"}, "`and`"),
        ({"then": "deny"}, "`block`"),
        ({"then": "permit"}, "`allow`"),
        ({"then": "mfa"}, "`require mfa`"),
        ({"people": "all"}, "`everyone`"),
        ({"people": "finance"}, "`group:finance`"),
        ({"people": "ines.faro"}, "`person:ines.faro`"),
        ({"people": "contractors"}, "`kind:contractor`"),
        ({"people": "groop:finance"}, "`group:finance`"),
    ],
)
def test_words_of_elsewhere_are_errors_that_say_what_is_meant(said: dict[str, str], hint: str) -> None:
    assert read_rulebook(Source("r", (BOOK + RULE).format(**FINE))).rulebook is not None
    read = read_rulebook(Source("r", (BOOK + RULE).format(**{**FINE, **said})))
    (problem,) = (each for each in read.diagnostics if each.severity == "error")
    assert hint in f"{problem.message} {problem.hint}"
    assert problem.span is not None


def test_what_fits_no_list_is_not_suggested() -> None:
    assert meant("uk", ["NO", "IS"], "there are two") == "there are two"
    assert meant("Android", ["ios", "android"]) == "did you mean `android`?"
    assert meant("", ["a"], "none") == "none"
