"""Changing one object of a document leaves every other line as it was."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.diagnostics import RulebookError
from caddrel.core.rulebook.edit.objects import moved, object_text, objects_of, read_path, with_object
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.demo.fill import documents

TEXT = """\
caddrel: 1

# who keeps the keys
settings:
  contact: help@example.org # ask them

places:
  # where the desks are
  office:
    networks: [192.0.2.0/26]

  # and the boats
  boats: {networks: [198.51.100.0/26]}

policies:
  first:
    mode: enforced
    rules:
      # nobody
      - {id: all, then: block}

  second:
    mode: shadow
    rules: [{id: all, then: allow}]
# the end
"""


def _one(text: str) -> list[Source]:
    return [Source("r.yaml", text)]


def test_an_object_is_read_and_put_back_as_it_stands() -> None:
    for text in (TEXT, documents()[1]):
        found = objects_of(_one(text))
        assert found
        for path, shown in found.items():
            assert with_object(_one(text), path, shown)[0].text == text
    assert object_text(_one(TEXT), ("places", "office")) == "office:\n  networks: [192.0.2.0/26]\n"
    assert object_text(_one(TEXT), ("settings",)) == "settings:\n  contact: help@example.org # ask them\n"
    assert object_text(_one(TEXT), ("policies", "none")) is None


@pytest.mark.parametrize("text", [
    "caddrel: 1\npolicies: {}\n", "caddrel: 1\npolicies:\nplaces: {}\n", "{}\n", "", "caddrel: 1\n",
    "{caddrel: 1, policies: {}}\n",
    "# nothing yet\n", "caddrel: 1\npolicies: ~\nplaces:\n", "caddrel: 1\n'policies':\n  {} # none\nplaces: {}\n",
    "caddrel: 1\npolicies:\n  # to come\n  {}\n", "caddrel: 1\npolicies: {} # none\nsettings: {}\n",
])  # fmt: skip
def test_sections_that_hold_nothing_take_what_is_put_there(text: str) -> None:
    assert not {path for path in objects_of(_one(text)) if len(path) > 1}
    put = "first:\n  mode: off\n  rules: [{then: block}]\n"
    made = with_object(_one(text), ("policies", "first"), put)
    assert object_text(made, ("policies", "first")) == put
    for said in re.findall("#.*", text):
        assert said in made[0].text
    assert "given-twice" not in {found.code for found in read_rulebook(made[0]).diagnostics}
    taken = with_object(made, ("policies", "first"), None)
    assert not {path for path in objects_of(taken) if len(path) > 1}


def test_a_change_touches_its_object_only() -> None:
    changed = with_object(_one(TEXT), ("policies", "first"), "first:\n  mode: off\n  rules: [{then: block}]\n")[0].text
    before = "  first:\n    mode: enforced\n    rules:\n      # nobody\n      - {id: all, then: block}\n"
    assert changed == TEXT.replace(before, "  first:\n    mode: off\n    rules: [{then: block}]\n")
    renamed = with_object(_one(TEXT), ("places", "boats"), "fleet: {networks: [198.51.100.0/26]}")[0].text
    assert renamed == TEXT.replace("boats: {", "fleet: {")
    gone = with_object(_one(TEXT), ("places", "office"), None)[0].text
    assert "office" not in gone
    assert "# and the boats\n  boats:" in gone
    added = with_object(_one(TEXT), ("policies", "third"), "third:\n  rules: [{then: block}]\n")[0].text
    assert added == TEXT.replace("# the end", "\n  third:\n    rules: [{then: block}]\n# the end")
    section = with_object(_one(TEXT), ("proofs", "key"), "key: {any_of: [[hwk]]}")[0].text
    assert section == TEXT + "\nproofs:\n  key: {any_of: [[hwk]]}\n"
    none = with_object(with_object(_one(TEXT), ("places", "office"), None), ("places", "boats"), None)
    assert "places" not in none[0].text
    assert read_rulebook(none).rulebook is not None


def test_documents_in_flow_style_are_written_in_blocks_first() -> None:
    text = '{"caddrel": 1, "policies": {"a": {"mode": "enforced", "rules": [{"then": "block"}]}}}'
    made = with_object(_one(text), ("policies", "b"), "b:\n  rules: [{then: allow}]\n")
    rulebook = read_rulebook(made).or_raise()
    assert list(rulebook.policies) == ["a", "b"]
    folder = [
        Source("one.yaml", "caddrel: 1\nplaces:\n  a: {countries: [NO]}\n"),
        Source("two.yaml", TEXT.partition("\n")[2]),
    ]
    made = with_object(folder, ("policies", "first"), None)
    assert made[0] == folder[0]
    assert "first" not in made[1].text


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("first", "not-one-object"),
        ("- a", "not-one-object"),
        ("{first: {mode: off}}", "not-one-object"),
        ("first: {mode: off}\nother: {mode: off}", "not-one-object"),
        ("first: [", "not-yaml"),
        ("second:\n  mode: off", "given-twice"),
    ],
)
def test_what_is_not_one_object_is_refused(text: str, code: str) -> None:
    with pytest.raises(RulebookError) as refused:
        with_object(_one(TEXT), ("policies", "first"), text)
    assert refused.value.diagnostics[0].code == code


@pytest.mark.parametrize("text", ["", "settings.x", "policies", "policies.", ".x"])
def test_what_names_no_object_is_refused(text: str) -> None:
    with pytest.raises(RulebookError):
        read_path(text)
    assert read_path("attributes.person.attributes.level") == ("attributes", "person.attributes.level")


_CHANGES: dict[str, list[str | None]] = {
    "first": ["first:\n  mode: off\n  rules: [{then: block}]\n", None, "first:\n  rules: [{then: allow}]\n"],
    "second": ["second:\n  mode: off\n  rules: [{then: block}]\n", None],
    "third": ["third:\n  rules: [{then: block}]\n"],
}


@given(
    st.lists(st.sampled_from(sorted(_CHANGES)), unique=True),
    st.lists(st.sampled_from(sorted(_CHANGES)), unique=True),
    st.data(),
)
def test_two_sets_of_changes_come_together_or_conflict(mine: list[str], theirs: list[str], data: st.DataObject) -> None:
    sides = []
    for names in (mine, theirs):
        sources = _one(TEXT)
        for name in names:
            sources = with_object(sources, ("policies", name), data.draw(st.sampled_from(_CHANGES[name])))
        sides.append(sources)
    ours, others = (objects_of(side) for side in sides)
    made, conflicts = moved(_one(TEXT), sides[0], sides[1], {})
    base, result = objects_of(_one(TEXT)), objects_of(made)
    for path in {*base, *ours, *others}:
        was, a, b = base.get(path), ours.get(path), others.get(path)
        clash = len({was, a, b}) == 3
        assert clash == (path in [conflict.path for conflict in conflicts])
        assert result.get(path) == (b if clash or a == was else a)
    taking = {".".join(conflict.path): "mine" for conflict in conflicts}
    settled, left = moved(_one(TEXT), sides[0], sides[1], taking)
    assert left == []
    for conflict in conflicts:
        assert objects_of(settled).get(conflict.path) == conflict.mine


def test_a_section_on_one_line_is_opened_up_and_the_rest_stays() -> None:
    flowing = TEXT.replace("places:\n", "proofs: {key: {any_of: [[hwk]]}} # keys\n\nplaces:\n")
    changed = with_object(_one(flowing), ("proofs", "key"), "key: {any_of: [[hwk], [swk]]}\n")[0].text
    assert changed == flowing.replace(
        "proofs: {key: {any_of: [[hwk]]}} # keys\n", "proofs: # keys\n  key: {any_of: [[hwk], [swk]]}\n"
    )
