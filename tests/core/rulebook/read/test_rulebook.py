"""Reading rulebooks: every diagnostic at once and in its place; hostile documents; folders; positions."""

from __future__ import annotations

import json
import tracemalloc
from dataclasses import replace
from pathlib import Path

import pytest
from tests.loading import RulebookCase, rulebook_cases

import caddrel
from caddrel.core.diagnostics import RulebookError
from caddrel.core.language import nodes
from caddrel.core.language.nodes import (
    ITEM_KINDS,
    And,
    During,
    FactTest,
    FromPlace,
    Not,
    Or,
    Passes,
    Surely,
    items_of,
)
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.edit.writer import format_rulebook
from caddrel.core.rulebook.read.rulebook import read_beside, read_rulebook
from caddrel.core.rulebook.references import Ref, where_used
from caddrel.core.rulebook.source import Source

KELPLINE = Path(caddrel.__file__).parent / "demo" / "kelpline.yaml"


@pytest.mark.parametrize("case", rulebook_cases("rulebooks/diagnostics.txt"), ids=lambda c: c.title)
def test_diagnostics(case: RulebookCase) -> None:
    result = read_rulebook(Source("r.yaml", case.text))
    found = [d for d in result.diagnostics if d.severity != "note"]
    said = [f"{d.code} {d.span.line}:{d.span.column}" if d.span else d.code for d in found]
    assert said == case.places
    for diagnostic, line in zip(found, case.expected, strict=True):
        part = line.partition(": ")[2]
        assert part in f"{diagnostic.message} {diagnostic.hint}"
    assert (result.rulebook is None) == any(d.severity == "error" for d in found)


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("caddrel: 1\nsettings: " + "[" * 10_000, "too-deep"),
        ("caddrel: 1\npolicies: {p: {rules: [{when: " + "(" * 10_000 + ", then: block}]}}", "too-deep"),
        ("caddrel: 1\nsettings: {contact: " + "x" * 5_000_000 + "}", "document-too-large"),
        ("caddrel: 1\nsettings: {contact: \x07}", "not-yaml"),
        ("caddrel: 1\nsettings: {contact: \ud800}", "not-yaml"),
        (
            "caddrel: 1\nplaces:\n"
            + "".join(f"  p{i}: {{places: [p{i + 1}]}}\n" for i in range(3000))
            + "  p3000: {places: [p0]}\n",
            "circle",
        ),
        (
            "caddrel: 1\nplaces:\n"
            + "".join(f"  p{i}: {{places: [p{i + 1}]}}\n" for i in range(3000))
            + "  p3000: {countries: [IS]}\n",
            "too-deep",
        ),
        ("caddrel: 1\npolicies:\n  \u202eevil\u202c: {rules: []}\n", "bad-id"),
    ],
    ids=["brackets", "condition", "large", "control", "surrogate", "circle", "chain", "bidi"],
)
def test_hostile_documents_are_refused_in_bounded_memory(text: str, code: str) -> None:
    tracemalloc.start()
    result = read_rulebook(Source("r.yaml", text))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert result.rulebook is None
    assert code in {d.code for d in result.diagnostics}
    assert all(d.message.isprintable() for d in result.diagnostics)
    assert peak < 200_000_000


RULE = "caddrel: 1\npolicies:\n  p: {{rules: [{}]}}\n"


@pytest.mark.parametrize(
    ("rules", "code"),
    [
        ("{then: require " + " and ".join(["mfa"] * 61) + "}", "formula-too-long"),
        ("{when: person.id is one of [" + "a, " * 5000 + "a], then: block}", "list-too-long"),
        ("{then: block, tell: " + "x" * 501 + "}", "text-too-long"),
        (", ".join(["{then: block}"] * 201), "too-many-rules"),
    ],
    ids=["formula", "list", "text", "rules"],
)
def test_what_nobody_can_read_is_refused(rules: str, code: str) -> None:
    if code == "list-too-long":
        rules = rules.replace("when: ", 'when: "').replace("], then", ']", then')
    found = read_rulebook(Source("r", RULE.format(rules))).diagnostics
    assert [d.code for d in found] == [code]


def test_the_files_of_a_folder_are_merged_and_an_id_given_twice_is_an_error() -> None:
    one = Source("a.yaml", "caddrel: 1\nplaces:\n  here: {countries: [IS]}\n")
    two = Source("b.yaml", "caddrel: 1\npolicies:\n  p: {rules: [{when: from here, then: block}]}\n")
    rulebook = read_rulebook([one, two]).or_raise()
    assert list(rulebook.policies) == ["p"]
    again = read_rulebook([one, two, Source("c.yaml", "caddrel: 1\nplaces:\n  here: {countries: [NO]}\n")])
    assert [(d.code, d.span and d.span.file) for d in again.diagnostics] == [("duplicate-id", "c.yaml")]


def test_json_is_read_as_the_same_rulebook() -> None:
    text = '{"caddrel": 1, "policies": {"p": {"rules": [{"then": "require mfa", "keep": {"end_with_browser": true}}]}}}'
    rule = read_rulebook(Source("r.json", text)).or_raise().policies["p"].rules[0]
    assert rule.keep is not None
    assert rule.keep.end_with_browser is True


@pytest.mark.parametrize("indent", [None, 2, "\t"])
@pytest.mark.parametrize("ascii_only", [True, False])
def test_json_texts_of_every_kind_are_read(indent: int | str | None, ascii_only: bool) -> None:
    title = 'Ünï 😀 / "x" \\ end'
    document = {"caddrel": 1, "policies": {"p": {"title": title, "rules": [{"then": "block", "tell": "a\tb"}]}}}
    text = json.dumps(document, indent=indent, ensure_ascii=ascii_only).replace("/", "\\/")
    policy = read_rulebook(Source("r.json", text)).or_raise().policies["p"]
    assert (policy.title, policy.rules[0].tell) == (title, "a\tb")


def test_comments_survive_formatting() -> None:
    text = """# the top
caddrel: 1
policies: # all of them
  # before
  p: # beside
    rules: # ruled
      # first
      - then: require   mfa # item
        id: one
        # within
        when: (device.managed) # why
      # last
    mode: enforced
# the end
"""
    once = format_rulebook(Source("r", text))
    for comment in (
        "the top",
        "all of them",
        "before",
        "beside",
        "ruled",
        "first",
        "item",
        "within",
        "why",
        "last",
        "the end",
    ):
        assert once.count(f"# {comment}") == 1, comment
    assert "then: require mfa # item" in once
    assert "when: device.managed # why" in once
    assert once.index("mode: enforced") < once.index("rules:")
    assert format_rulebook(Source("r", once)) == once


def test_the_demo_rulebook_uses_every_kind_of_test_and_requirement() -> None:
    rulebook = read_rulebook(Source("k", KELPLINE.read_text(encoding="utf-8"))).or_raise()
    rules = [rule for policy in rulebook.policies.values() for rule in policy.rules]
    scopes = [policy.scope for policy in rulebook.policies.values()]
    conditions = [
        *(rule.when for rule in rules if rule.when is not None),
        *(check.must for standard in rulebook.standards.values() for check in standard.checks),
        *(s.condition for scope in scopes for s in (*scope.people, *scope.except_people, *scope.apps)),
    ]
    tests = [test for condition in conditions for test in nodes.tests_of(condition)]
    assert {test.op for test in tests if isinstance(test, FactTest)} == set(Op)
    assert {type(test) for test in tests} == {FactTest, FromPlace, Passes, During}
    assert {type(condition) for condition in conditions} >= {And, Or, Not, Surely}
    formulas = [rule.effect.formula for rule in rules if rule.effect.formula is not None]
    assert {item.kind for formula in formulas for item in items_of(formula)} == set(ITEM_KINDS)


def test_the_demo_rulebook_is_canonical_and_its_parts_know_where_they_are_used() -> None:
    text = KELPLINE.read_text(encoding="utf-8")
    assert format_rulebook(Source("k", text)) == text
    rulebook = read_rulebook(Source("k", text)).or_raise()
    used = where_used(rulebook)
    assert Ref("policy", "manifest-on-company-devices") in used[Ref("standard", "crew-tablet")]
    assert used[Ref("place", "terminal-sundby")] == [Ref("place", "terminals")]


def test_what_is_wrong_in_the_same_words_is_told_in_each_place() -> None:
    rules = "rules: [{when: device.managd, then: require mfaa}, {when: device.managd, then: require mfaa}]"
    text = f"""caddrel: 1
policies:
  a: {{people: [group, group], apps: ["label:"], {rules}}}
  b: {{people: [{{where: device.managed}}], {rules}}}
"""
    result = read_rulebook(Source("r.yaml", text))
    told = [(d.code, d.span.line, d.span.column) for d in result.diagnostics if d.span and d.severity == "error"]
    assert len(told) == len(set(told))
    assert [(code, line) for code, line, _ in told] == [
        ("wrong-value", 3), ("wrong-value", 3), ("wrong-value", 3),
        *[("unknown-fact", 3), ("expected-requirement", 3)] * 2,
        ("where-too-wide", 4), *[("unknown-fact", 4), ("expected-requirement", 4)] * 2,
    ]  # fmt: skip
    # And what is right in the same words is one: policies share it.
    good = text.replace("group, group", "group:x, group:x").replace('"label:"', "label:y").replace("managd", "managed")
    rulebook = read_rulebook(
        Source("r.yaml", good.replace("mfaa", "mfa").replace("where: device.managed", "where: person.kind is guest"))
    ).or_raise()
    a, b = rulebook.policies["a"], rulebook.policies["b"]
    assert a.rules[0].when is b.rules[1].when
    assert a.scope.people[0] is a.scope.people[1]
    assert rulebook.spans["policies.a.rules[0]"].column < rulebook.spans["policies.a.rules[1]"].column


BESIDE = """caddrel: 1
policies:
  more: {mode: enforced, people: [group:deck-crew], rules: [{when: from terminals, then: require mfa}]}
guarantees:
  never: {for: {apps: [manifest]}, when: not from terminals, at_least: block}
"""


def test_what_is_read_beside_a_rulebook_is_what_reading_all_of_it_gives() -> None:
    whole, more = Source("k", KELPLINE.read_text(encoding="utf-8")), Source("more", BESIDE)
    beside = read_beside(read_rulebook(whole).or_raise(), [more])
    assert replace(beside, spans={}) == replace(read_rulebook([whole, more]).or_raise(), spans={})


@pytest.mark.parametrize(
    ("old", "new", "code"),
    [
        ("from terminals, then", "from terminal, then", "unknown-place"),
        ("require mfa", "require mfaa", "expected-requirement"),
        ("caddrel: 1", "caddrel: 2", "unknown-format"),
        ("policies:", "polices:", "unknown-key"),
    ],
)
def test_what_cannot_be_read_beside_a_rulebook_is_told(old: str, new: str, code: str) -> None:
    rulebook = read_rulebook(Source("k", KELPLINE.read_text(encoding="utf-8"))).or_raise()
    with pytest.raises(RulebookError) as refused:
        read_beside(rulebook, [Source("more", BESIDE.replace(old, new, 1))])
    assert [(each.code, each.span is not None) for each in refused.value.diagnostics] == [(code, True)]


@pytest.mark.parametrize(
    ("old", "new"), [("  more: {", "  abroad: {"), ("caddrel: 1", "caddrel: 1\nsettings: {stance: closed}")]
)
def test_what_does_not_belong_beside_a_rulebook_is_refused(old: str, new: str) -> None:
    rulebook = read_rulebook(Source("k", KELPLINE.read_text(encoding="utf-8"))).or_raise()
    assert (old in BESIDE, "abroad" in rulebook.policies) == (True, True)
    with pytest.raises(ValueError, match=r"abroad|settings"):
        read_beside(rulebook, [Source("more", BESIDE.replace(old, new, 1))])
