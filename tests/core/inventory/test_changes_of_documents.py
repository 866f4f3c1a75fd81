"""Inventory documents changed, written as tables and read again, and what does not fit together."""

from __future__ import annotations

import csv
import io
import random
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.facts import layers
from caddrel.core.inventory import consistency
from caddrel.core.inventory.consistency import inconsistencies
from caddrel.core.inventory.csv_table import TableRefused, read_table, write_table
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.patch import not_off, off_now, patched, with_member, without_member
from caddrel.core.inventory.reader import read_inventory

# RFC 7396, appendix A.
MERGES: list[tuple[dict[str, Any], dict[str, Any], dict[str, Any]]] = [
    ({"a": "b"}, {"a": "c"}, {"a": "c"}),
    ({"a": "b"}, {"b": "c"}, {"a": "b", "b": "c"}),
    ({"a": "b"}, {"a": None}, {}),
    ({"a": "b", "b": "c"}, {"a": None}, {"b": "c"}),
    ({"a": ["b"]}, {"a": "c"}, {"a": "c"}),
    ({"a": "c"}, {"a": ["b"]}, {"a": ["b"]}),
    ({"a": {"b": "c"}}, {"a": {"b": "d", "c": None}}, {"a": {"b": "d"}}),
    ({"a": [{"b": "c"}]}, {"a": [1]}, {"a": [1]}),
    ({"e": None}, {"a": 1}, {"e": None, "a": 1}),
    ({}, {"a": {"bb": {"ccc": None}}}, {"a": {"bb": {}}}),
]


@pytest.mark.parametrize(("there", "change", "expected"), MERGES)
def test_a_change_is_a_merge_patch(there: dict[str, Any], change: dict[str, Any], expected: dict[str, Any]) -> None:
    assert patched(there, change) == expected


def test_a_membership_is_one_whatever_its_end() -> None:
    document = {"id": "a", "groups": ["crew", {"id": "yard", "until": "2026-12-01T00:00:00Z"}]}
    longer = with_member(document, "yard", "2027-01-01T00:00:00Z")
    assert longer["groups"] == ["crew", {"id": "yard", "until": "2027-01-01T00:00:00Z"}]
    assert with_member(document, "yard")["groups"] == ["crew", "yard"]
    assert without_member(document, "yard") == {"id": "a", "groups": ["crew"]}
    assert without_member(document, "office") is None
    assert with_member({"id": "b"}, "crew") == {"id": "b", "groups": ["crew"]}


@pytest.mark.parametrize(
    ("off", "put_off", "put_back"),
    [
        (None, "2026-12-01T00:00:00Z", None),
        ("2026-11-01", "2026-11-01", None),
        ("2026-12-01T00:00:00Z", "2026-12-01T00:00:00Z", None),
        # Whoever leaves at the end of the year is out today all the same; and "back" is no reason that they stay on.
        ("2026-12-31", "2026-12-01T00:00:00Z", "2026-12-31"),
    ],
)
def test_off_is_from_now_on_at_the_latest(off: str | None, put_off: str, put_back: str | None) -> None:
    now = datetime(2026, 12, 1, tzinfo=UTC)
    document = {"id": "a"} if off is None else {"id": "a", "off": off}
    assert off_now(document, now)["off"] == put_off
    assert not_off(document, now).get("off") == put_back


_NAMES = st.text("abcxyzæø.-", min_size=1, max_size=8).filter(lambda text: text != "-")
_WORDS = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=12)
_TITLES = _WORDS.map(str.strip).filter(lambda text: text not in ("", "-"))
_MEMBERS = st.one_of(
    _NAMES, st.fixed_dictionaries({"id": _NAMES, "until": st.just("2026-12-01T00:00:00Z")})
)  # fmt: skip
_PEOPLE = st.fixed_dictionaries(
    {"id": _NAMES},
    optional={
        "title": _TITLES,
        "kind": st.sampled_from(["employee", "guest"]),
        "groups": st.lists(_MEMBERS, max_size=3),
        "roles": st.lists(_NAMES, max_size=2),
        "attributes": st.dictionaries(
            _NAMES,
            st.one_of(st.booleans(), st.integers(-9, 9), st.lists(_NAMES, max_size=2), st.sampled_from(["x", "a b"])),
            min_size=1,
            max_size=2,
        ),
    },
)


@given(st.lists(_PEOPLE, max_size=4))
def test_a_table_that_was_written_is_read_as_it_was(people: list[dict[str, Any]]) -> None:
    assert [document for _, document in read_table("people", write_table("people", people))] == people


TABLES: list[tuple[str, str, str]] = [
    ("", "missing-key", "line 1"),
    ("title\nAda\n", "missing-key", "line 1"),
    ("id,titel\nada,Ada\n", "unknown-key", "line 1"),
    ("id,id\nada,bo\n", "bad-table", "line 1"),
    ("id,title\nada\n", "bad-table", "line 2"),
    ('id,title\nada,"Ad', "bad-table", "line 2"),
    ("id,title\nada,Ada,more\n", "bad-table", "line 2"),
]


@pytest.mark.parametrize(("text", "code", "place"), TABLES)
def test_a_table_that_is_none_says_where(text: str, code: str, place: str) -> None:
    with pytest.raises(TableRefused) as refused:
        list(read_table("people", text))
    assert next((each.code, each.path) for each in refused.value.problems) == (code, place)


def test_a_table_says_nothing_where_a_cell_is_empty() -> None:
    text = "\ufeffid,kind,groups,unit,attributes.level\r\nada,,crew; yard until 2026-12-01T00:00:00Z,-,-\r\n\r\n"
    assert list(read_table("people", text)) == [
        (
            "line 2",
            {
                "id": "ada",
                "groups": ["crew", {"id": "yard", "until": "2026-12-01T00:00:00Z"}],
                "unit": None,
                "attributes": {"level": None},
            },
        )
    ]
    assert next(csv.reader(io.StringIO(write_table("devices", [{"id": "d", "managed": True}]))))[0] == "id"


BEFORE = {
    "people": [{"id": "ada", "groups": ["crew"]}],
    "groups": [{"id": "crew", "member_of": ["sea"]}, {"id": "sea"}],
}
CHANGES: list[tuple[dict[str, Any], list[tuple[str, str]]]] = [
    ({"people": [{"id": "bo", "groups": ["crew", "crwe"]}]}, [("unknown-group", "warning")]),
    ({"people": [{"id": "Ada"}]}, [("ids-alike", "error")]),
    ({"people": [{"id": "ada", "title": "as it was"}]}, []),
    ({"people": [{"id": " bo"}]}, [("bad-id", "error")]),
    ({"people": [{"id": "bo berg"}]}, [("odd-id", "warning")]),
    ({"people": [{"id": "bo  berg"}, {"id": "Bo berg"}]}, [("ids-alike", "error"), ("odd-id", "warning")] * 2),
    ({"groups": [{"id": "sea", "member_of": ["crew"]}]}, [("group-circle", "error")]),
    ({"groups": [{"id": "sea", "member_of": ["sea"]}]}, [("group-circle", "error")]),
    ({"groups": [{"id": "mates", "member_of": ["nowhere"]}]}, [("unknown-group", "warning")]),
    ({"devices": [{"id": "tab", "person": "nobody"}]}, [("unknown-owner", "warning")]),
    (
        {"people": [{"id": "bo", "groups": [{"id": "gone", "until": "2026-12-01T00:00:00Z"}]}]},
        [("unknown-group", "warning")],
    ),
]


@pytest.mark.parametrize(("changed", "expected"), CHANGES, ids=str)
def test_what_does_not_fit_together_is_told(changed: dict[str, Any], expected: list[tuple[str, str]]) -> None:
    before, _ = read_inventory(BEFORE)
    made, problems = read_inventory(changed)
    assert not problems
    after = before.replaced(made)
    entries = {noun: list(getattr(made, noun).values()) for noun in ("people", "groups", "devices")}
    found = inconsistencies(before, after, entries, {})
    assert [(each.code, each.severity) for each in found] == expected


def test_a_group_that_goes_and_is_named_is_told() -> None:
    before, _ = read_inventory(BEFORE)
    after = before.replaced(Inventory(), {"groups": ["sea"]})
    (found,) = inconsistencies(before, after, {}, {"groups": ["sea"]})
    assert (found.code, found.path) == ("unknown-group", "groups.sea")


@pytest.mark.parametrize("seed", range(8))
def test_ids_alike_are_found_after_any_changes(monkeypatch: pytest.MonkeyPatch, seed: int) -> None:
    """What is known of an inventory is used for those that follow from it, also once layers are laid together."""
    monkeypatch.setattr(layers, "MOST_ABOVE", 6)
    monkeypatch.setattr(consistency, "_MOST_SEEN", 30)
    drawn = random.Random(seed)
    words = [f"{'ada' if drawn.random() < 0.5 else 'Ada'}{' ' * drawn.randrange(1, 3)}{n % 12}" for n in range(60)]
    inventories = [read_inventory({"people": [{"id": f"p{n}"} for n in range(40)]})[0]]
    found_any = 0
    for _ in range(150):
        # One change after another for the most part; some to what was there a while ago, or carried out by nobody.
        before = inventories[-1] if drawn.random() < 0.8 else drawn.choice(inventories)
        made, _ = read_inventory({"people": [{"id": id} for id in drawn.sample(words, drawn.randrange(1, 4))]})
        gone = drawn.sample(sorted(before.people), min(drawn.randrange(3), len(before.people)))
        after = before.replaced(made, {"people": gone})
        new = [id for id in made.people if id not in before.people]
        folded = {id: " ".join(id.split()).casefold() for id in after.people}
        expected = {f"people.{id}" for id in new if list(folded.values()).count(folded[id]) > 1}
        found = inconsistencies(before, after, {"people": list(made.people.values())}, {})
        assert {each.path for each in found if each.code == "ids-alike"} == expected
        found_any += bool(expected)
        if drawn.random() < 0.7:
            inventories.append(after)
    assert found_any > 10
