"""Objects as values: back in the text, what did not change keeps its lines and its comments."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.diagnostics import RulebookError
from caddrel.core.rulebook.edit.objects import document_of, objects_of, with_object
from caddrel.core.rulebook.edit.values import value_of, with_value
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.demo.fill import documents

PATH = ("policies", "first")
TEXT = """\
first:  # the oldest one
  # what it is called
  title: Hello   # for now
  mode: enforced # since May
  people: [everyone]
  rules:
    # nobody from outside
    - id: a
      # as agreed
      when: device.owner is company
      then: block
    # the rest
    - id: b
      then: allow  # why not
    - then: require mfa
"""
OBJECTS = objects_of([Source("kelpline.yaml", documents()[1])])


@pytest.mark.parametrize(("change", "there", "gone"), [
    ({"mode": "shadow"}, ["  mode: shadow # since May", "  title: Hello   # for now"], ["enforced"]),
    ({"title": None}, ["first:  # the oldest one", "      # as agreed"], ["Hello", "# what it is called"]),
    ({"why": "because: of\nit"}, ["  why: |-", "    because: of", "    # the rest"], []),
    ({"people": ["group:crew", {"where": "person.home is NO"}]}, ["    - {where: person.home is NO}"], ["everyone"]),
    ({"note": "yes"}, ["  note: yes"], []),
    ({"title": "- odd: #1"}, ['  title: "- odd: #1"   # for now'], []),
])  # fmt: skip
def test_a_change_keeps_what_stands_beside_it(change: dict[str, Any], there: list[str], gone: list[str]) -> None:
    value: Any = value_of(TEXT)
    wanted = {key: kept for key, kept in (value | change).items() if kept is not None}
    made = with_value(TEXT, PATH, wanted)
    assert value_of(made) == wanted
    for line in there:
        assert line in made.splitlines()
    assert not [word for word in gone if word in made]


def test_rules_that_are_moved_take_their_comments_along() -> None:
    value: Any = value_of(TEXT)
    first, second, third = value["rules"]
    made = with_value(TEXT, PATH, {**value, "rules": [third, second, {**first, "then": "allow"}]})
    assert made.splitlines()[6:] == [
        "    - then: require mfa",
        "    # the rest",
        "    - id: b",
        "      then: allow  # why not",
        "    # nobody from outside",
        "    - id: a",
        "      # as agreed",
        "      when: device.owner is company",
        "      then: allow",
    ]
    renamed = with_value(TEXT, ("policies", "second"), value)
    assert renamed == TEXT.replace("first:", "second:", 1)


def test_every_object_of_the_demo_is_its_values() -> None:
    for path, text in OBJECTS.items():
        value = value_of(text)
        assert value is not None
        assert with_value(text, path, value) == text
        assert value_of(with_value("", path, value)) == value
    whole = read_rulebook(Source("r.yaml", document_of(OBJECTS))).or_raise()
    before = read_rulebook(Source("r.yaml", documents()[1])).or_raise()
    assert (whole.policies, whole.settings, whole.schedules) == (before.policies, before.settings, before.schedules)


TEXTS = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=12) | st.sampled_from(
    [
        "yes",
        "NO",
        "14.10",
        "# x",
        "a: b",
        "- a",
        "[a",
        "{",
        "'",
        '"',
        "|",
        "&a",
        "*a",
        "!t",
        "two\nlines",
        " a ",
        "%",
        "@",
    ]
)
VALUES = st.recursive(
    TEXTS,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from("abcdef"), inner, max_size=4),
    max_leaves=8,
)


@given(st.sampled_from([path for path in OBJECTS if len(path) == 2 and path[0] != "attributes"]), st.data())
def test_whatever_is_asked_for_is_what_it_says(path: tuple[str, ...], data: st.DataObject) -> None:
    text = OBJECTS[path]
    value: Any = value_of(text)
    for key in data.draw(st.lists(st.sampled_from([*value, "title", "note"]), max_size=3)):
        value = (
            {**value, key: data.draw(VALUES)}
            if data.draw(st.booleans())
            else {k: v for k, v in value.items() if k != key}
        )
    made = with_value(text, path, value)
    assert value_of(made) == value
    # It stands in the document as it was made, and the rest of that is as it was.
    document = document_of(OBJECTS)
    changed = objects_of(with_object([Source("r.yaml", document)], path, made))
    assert value_of(changed[path]) == value
    assert {p: t for p, t in changed.items() if p != path} == {
        p: t for p, t in objects_of([Source("r.yaml", document)]).items() if p != path
    }


@pytest.mark.parametrize("value", [{"a": 1}, {"a": None}, {"a": [True]}, {"": "x"}, {"a": {" ": "x"}}, 3])
def test_what_no_document_can_hold_is_refused(value: Any) -> None:
    with pytest.raises(RulebookError) as refused:
        with_value(TEXT, PATH, value)
    assert [d.code for d in refused.value.diagnostics] == ["bad-value"]


def test_a_value_too_deep_is_refused() -> None:
    value: Any = "x"
    for _ in range(40):
        value = [value]
    with pytest.raises(RulebookError, match="1 error"):
        with_value(TEXT, PATH, {"a": value})
