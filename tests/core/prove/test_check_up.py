"""The check-up: what fails where nothing is written, what mends it, and who gets in while a feed is dead."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest

from caddrel.core.inventory.reader import read_inventory
from caddrel.core.prove.check_up import check_up
from caddrel.core.prove.safeguards import Company, safeguards
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

NOW = datetime(2026, 11, 23, 9, tzinfo=UTC)
# Those that are tried by people, or about feeds.
TRIED = {"keyholders-get-in", "keyholders-without-feeds", "feeds-are-missed"}


def plenty() -> float:
    return 1e6


def _read(text: str) -> Rulebook:
    return read_rulebook(Source("r", text)).or_raise()


@pytest.mark.parametrize("safeguard", [each.name for each in safeguards() if each.name not in TRIED])
def test_a_safeguard_fails_where_nothing_is_written_and_its_remedy_mends_it(safeguard: str) -> None:
    text = """caddrel: 1
places: {office: {networks: [192.0.2.0/24]}}
notices: {terms: {text: Be careful.}}
policies:
  silent: {mode: enforced, apps: [nowhere], rules: [{then: block}]}
"""
    inventory = read_inventory(
        {"apps": [{"id": "a", "labels": ["administration"]}, {"id": "s", "labels": ["sensitive"]}]}
    )
    company = Company(_read(text), inventory[0], NOW)
    (found,) = check_up(company, plenty, safeguard)
    assert found.verdict == "fails", found
    if found.safeguard.remedy is not None:
        assert found.counterexample is not None
        assert found.remedy is not None
        assert found.remedy.mends
    bare = Company(_read("caddrel: 1\n"), None, NOW)
    (other,) = check_up(bare, plenty, safeguard)
    assert other.verdict == ("not-applicable" if found.safeguard.needs else other.verdict)


OPENING = "apps: {a: {stance: closed}}\npolicies:\n  in: {mode: enforced, apps: [a], rules: [{%sthen: require mfa}]}\n"
KEYS = {"id": "key", "kind": "employee", "factors": ["password", "push"], "groups": ["keys"]}


@pytest.mark.parametrize(
    ("text", "people", "verdicts"),
    [
        (OPENING % "", [KEYS], ("passes", "passes", "passes")),
        (OPENING % "", [], ("not-applicable", "not-applicable", "passes")),
        # One factor is not two, with every feed alive: of those dead nothing is said beside it.
        (OPENING % "", [{**KEYS, "factors": ["password"]}], ("fails", "passes", "passes")),
        (OPENING % "when: risk.attempt is known, ", [KEYS], ("passes", "fails", "passes")),
        ("settings: {assume: {risk.attempt: none}}\n" + OPENING % "", [KEYS], ("passes", "passes", "passes")),
        (
            "settings: {assume: {risk.attempt: none}}\n" + OPENING % "when: risk.attempt is below high, ",
            [KEYS],
            ("passes", "passes", "fails"),
        ),
        ("policies:\n  p: {rules: [{then: block}]}\n", [KEYS], ("not-applicable", "not-applicable", "passes")),
    ],
)
def test_who_must_get_in_does_also_while_a_feed_is_dead(
    text: str, people: list[dict[str, Any]], verdicts: tuple[str, ...]
) -> None:
    whole = f"caddrel: 1\n{text}"
    if "settings:" in whole:
        whole = whole.replace("settings: {", "settings: {keyholders: ['group:keys'], ")
    else:
        whole += "settings: {keyholders: ['group:keys']}\n"
    inventory = read_inventory({"people": people, "groups": [{"id": "keys"}], "apps": [{"id": "a", "labels": []}]})[0]
    company = Company(_read(whole), inventory, NOW)
    found = {each.safeguard.name: each for each in check_up(company, plenty)}
    assert tuple(found[name].verdict for name in sorted(TRIED, key=list(found).index)) == verdicts
    assert all(found[name].says for name in TRIED if found[name].verdict in {"fails", "not-applicable"})


def test_a_company_that_has_what_mends_it_is_checked_up_again() -> None:
    text = "caddrel: 1\npolicies:\n  p: {rules: [{then: allow}]}\n"
    (found,) = check_up(Company(_read(text), None, NOW), plenty, "old-programs")
    assert found.remedy is not None
    more = "".join(f"  {line}\n" for line in found.remedy.text.splitlines())
    mended = f"{text}{more}"
    (again,) = check_up(Company(_read(mended), None, NOW), plenty, "old-programs")
    assert again.verdict == "passes"
    # One of that name that does something else is left as it is: what mends is called otherwise.
    other = f"{text}  safeguard-old-programs: {{mode: enforced, rules: [{{then: allow}}]}}\n"
    (third,) = check_up(Company(_read(other), None, NOW), plenty, "old-programs")
    assert third.verdict == "fails"
    assert third.remedy is not None
    assert (third.remedy.path, third.remedy.mends) == ("policies.safeguard-old-programs-2", True)
