"""Many objects taken in: by patch, whole, as a full list; first told, in objects and in outcomes."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live, serving
from tests.service.inventory.test_changes import RULEBOOK

from caddrel.client import Refused
from caddrel.client.inventory import import_options
from caddrel.service.inventory.imports import read_lines
from caddrel.wire.decisions import File

FACTORS = ["password", "authenticator-app"]
PEOPLE: list[dict[str, Any]] = [
    {"id": "ada", "roles": ["administrator"], "groups": ["keys"], "factors": ["password"]},
    {"id": "bo", "title": "Bo", "kind": "employee", "groups": ["mates"], "factors": FACTORS, "unit": "/sea"},
    *({"id": f"p{i:02}", "groups": ["mates"], "factors": FACTORS} for i in range(30)),
]
GROUPS: list[dict[str, Any]] = [{"id": "keys"}, {"id": "crew"}, {"id": "mates", "member_of": ["crew"]}]


def _lines(objects: Sequence[dict[str, Any]]) -> list[bytes]:
    return [json.dumps(each).encode() + b"\n" for each in objects]


@pytest.fixture
def live(tmp_path: Path) -> Iterator[Live]:
    for each in serving(tmp_path / "data"):
        with each.client() as operator:
            operator.groups.import_(_lines(GROUPS))
            operator.people.import_(_lines(PEOPLE))
            operator.apps.import_(_lines([{"id": "post"}, {"id": "vault"}]))
            operator.devices.import_(_lines([{"id": "tab", "person": "bo", "platform": "android"}]))
            operator.rulebook.publish([File("r.yaml", RULEBOOK)], "to begin with")
        yield each


def test_what_a_file_does_not_name_stays_unless_it_says_so(live: Live) -> None:
    with live.client() as operator:
        done = operator.people.import_([b'{"id": "bo", "groups": ["crew"]}\n'])
        assert (done.added, done.changed, done.removed) == (0, 1, 0)
        assert operator.people.get("bo").item.document == {**PEOPLE[1], "groups": ["crew"]}
        assert operator.people.import_([b'{"id": "bo", "groups": ["crew"]}\n']).changed == 0
        operator.people.import_([b'{"id": "bo", "unit": null}\n'])
        assert "unit" not in operator.people.get("bo").item.document
        operator.people.import_([b'{"id": "bo", "title": "Bo"}\n'], **import_options("replace"))
        assert operator.people.get("bo").item.document == {"id": "bo", "title": "Bo"}
        # Of one that is named twice, what comes later counts beside what came before.
        operator.people.import_([b'{"id": "bo", "kind": "guest"}\n{"id": "bo", "unit": "/yard"}\n'])
        assert operator.people.get("bo").item.document == {"id": "bo", "title": "Bo", "kind": "guest", "unit": "/yard"}
        operator.people.import_([b"id,kind,groups\nbo,employee,mates;keys\n"], "csv")
        assert operator.people.get("bo").item.document["groups"] == ["mates", "keys"]


def test_a_dry_run_tells_who_gains_and_loses_and_changes_nothing(live: Live) -> None:
    with live.client() as operator:
        before = list(operator.people.all())
        told = operator.people.import_(
            [b'{"id": "bo", "groups": []}\n{"id": "cy", "roles": ["administrator"], "groups": ["nowhere"]}\n'],
            **import_options(dry_run=True),
        )
        assert (told.dry_run, told.added, told.changed) == (True, 1, 1)
        assert [each.code for each in told.warnings] == ["unknown-group"]
        assert "bo lost the group mates" in told.says
        assert "cy: new" in told.says
        turned = {(each.person, each.app): (each.before, each.after) for each in told.turned}
        assert turned["bo", "post"] == ("challenged", "allowed")
        assert turned["cy", "vault"] == ("", "allowed")
        assert (told.people, told.gaining) == (2, 2)
        assert list(operator.people.all()) == before
        # What would be refused is said before it is tried.
        told = operator.people.import_([b'{"id": "bo"}\n'], **import_options(dry_run=True, how="sync"))
        assert [each.code for each in told.warnings] == ["too-many-go", "lockout-risk"]
        assert all("would be refused" in each.message and "nothing was" not in each.message for each in told.warnings)
        accepting = import_options("sync", True, told.removed, "it is a test")
        assert operator.people.import_([b'{"id": "bo"}\n'], **accepting).warnings == []
        assert list(operator.people.all()) == before
        # A group touches its members, an app everybody.
        told = operator.groups.import_([b'{"id": "mates", "member_of": []}\n'], **import_options(dry_run=True))
        # The others come from no device that is known: they are blocked before and after.
        assert (told.people, {each.person for each in told.turned}) == (31, {"bo"})
        assert operator.apps.import_([b'{"id": "new"}\n'], **import_options(dry_run=True)).people == 32


def test_a_full_list_takes_out_what_it_does_not_name_once_that_was_seen(live: Live) -> None:
    short = _lines(PEOPLE[:12])
    with live.client() as operator:
        with pytest.raises(Refused) as refused:
            operator.people.import_(short, **import_options("sync"))
        assert (refused.value.problem.code, refused.value.problem.status) == ("too-many-go", 409)
        assert "accept_removals=20" in refused.value.problem.hint
        told = operator.people.import_(short, **import_options("sync", dry_run=True))
        assert told.removed == 20
        assert "p29" in told.going["people"]
        with pytest.raises(Refused):
            operator.people.import_(short, **import_options("sync", accept_removals=19))
        done = operator.people.import_(short, **import_options("sync", accept_removals=20))
        assert (done.removed, operator.people.list().total) == (20, 12)
        # Few go without a word, but never those who administer.
        assert operator.people.import_(_lines(PEOPLE[:10]), **import_options("sync")).removed == 2
        with pytest.raises(Refused) as refused:
            operator.people.import_(_lines(PEOPLE[1:10]), **import_options("sync"))
        assert refused.value.problem.code == "lockout-risk"
        assert "ada" in {item.id for item in operator.people.all()}


WRONG: list[tuple[str, bytes, dict[str, str], str, str]] = [
    ("people", b'{"id": "Bo"}\n', {}, "bad-inventory", "differ in letters"),
    ("people", b'{"id": "x", "kind": "gost"}\n', {}, "bad-inventory", "guest"),
    ("people", b'{"id": "x"}\n{"id": "y"\n', {}, "bad-inventory", "not JSON"),
    ("people", b'["x"]\n', {}, "bad-inventory", "expected an object"),
    ("people", b'{"title": "nobody"}\n', {}, "bad-inventory", "`id` is needed"),
    ("people", b"id,kind\nx,guest\ny\n", {"format": "csv"}, "bad-inventory", "line 3 has 1 cells"),
    ("people", b"\xff\xfe", {"format": "csv"}, "bad-inventory", "not-text"),
    ("groups", b'{"id": "crew", "member_of": ["mates"]}\n', {}, "bad-inventory", "within itself"),
    ("people", b'{"id": "x"}\n', {"how": "merge"}, "bad-parameter", "how"),
    ("people", b'{"id": "x"}\n', {"accept_removals": "many"}, "bad-parameter", "accept_removals"),
    ("inventory", b"[]", {}, "bad-inventory", "an object"),
    ("inventory", b"{", {}, "bad-inventory", "not JSON"),
    ("inventory", b'{"poeple": []}', {}, "bad-inventory", "people"),
]


@pytest.mark.parametrize(("noun", "sent", "params", "code", "said"), WRONG)
def test_what_is_wrong_is_told_and_nothing_is_taken_in(
    live: Live, noun: str, sent: bytes, params: dict[str, str], code: str, said: str
) -> None:
    with live.http() as http, live.client() as operator:
        version = operator.inventory.changes().next
        answer = http.post(f"/api/v1/{noun}", content=sent, params=params)
        assert answer.json()["code"] == code, answer.text
        assert said in answer.text
        assert operator.inventory.changes().next == version


def test_a_whole_inventory_goes_out_and_in_again(live: Live, tmp_path: Path) -> None:
    done = run("inventory", "export", env=live.environment())
    whole = tmp_path / "whole.json"
    whole.write_text(done.stdout, encoding="utf-8")
    assert sorted(json.loads(done.stdout)) == ["apps", "devices", "groups", "lists", "people"]
    again = run("inventory", "import", str(whole), "--dry-run", "--json", env=live.environment())
    assert json.loads(again.stdout) | {"says": ""} == {
        "added": 0, "changed": 0, "errors": [], "removed": 0, "dry_run": True, "going": {}, "warnings": [], "says": "",
        "people": 0, "gaining": 0, "losing": 0, "left_out": 0, "turned": [],
    }  # fmt: skip
    document = json.loads(done.stdout)
    document["people"] = [each for each in document["people"] if each["id"] != "p00"]
    document["groups"].append({"id": "yard"})
    whole.write_text(json.dumps(document), encoding="utf-8")
    done = run("inventory", "import", str(whole), "--sync", env=live.environment())
    assert done.stdout == "1 added, 0 changed, 1 taken out\n"
    table = run("people", "export", "--format", "csv", env=live.environment()).stdout
    file = tmp_path / "people.csv"
    file.write_text(table, encoding="utf-8")
    assert run("people", "import", str(file), env=live.environment()).stdout == "0 added, 0 changed\n"


def test_whoever_imports_and_whoever_changes_at_once_both_come_through(live: Live) -> None:
    """Each changes a field of the same people: none takes back what another has done."""

    def change(number: int) -> None:
        with live.client() as operator:
            for place in range(6):
                person = f"p{place:02}"
                if number % 2:
                    operator.people.import_(_lines([{"id": person, "attributes": {f"n{number}": True}}]))
                else:
                    operator.people.change(person, {"attributes": {f"n{number}": True}})

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(change, range(4)))
    with live.client() as operator:
        for place in range(6):
            assert set(operator.people.get(f"p{place:02}").item.document["attributes"]) == {"n0", "n1", "n2", "n3"}


def test_two_who_edit_one_person_do_not_overwrite_each_other(live: Live) -> None:
    with live.client() as operator:
        seen = operator.people.get("bo").item
        operator.people.change("bo", {"kind": "guest"}, seen.version)
        with pytest.raises(Refused) as refused:
            operator.people.change("bo", {"unit": "/yard"}, seen.version)
        assert refused.value.problem.code == "object-changed"
        assert operator.people.get("bo").item.document["unit"] == "/sea"
        with pytest.raises(Refused) as refused:
            operator.people.change("bo", {"id": "other"})
        assert refused.value.problem.code == "bad-inventory"
        with pytest.raises(Refused) as refused:
            operator.people.change("nobody", {"kind": "guest"})
        assert refused.value.problem.status == 404


def test_lists_are_filtered_by_conditions_over_their_own_facts(live: Live) -> None:
    with live.client() as operator:
        assert [each.id for each in operator.people.all(where="person.groups has crew", search="bo")] == ["bo"]
        assert operator.people.list(where="person.groups has crew", limit=3).total == 31
        assert [each.id for each in operator.people.all(where="person.roles has administrator")] == ["ada"]
        assert [each.id for each in operator.devices.all(where="device.platform is android")] == ["tab"]
        for noun, where in (("people", "device.managed"), ("apps", "from here"), ("people", "person.kind is")):
            with pytest.raises(Refused) as refused:
                getattr(operator, noun).list(where=where)
            assert refused.value.problem.code == "bad-filter"
        with pytest.raises(Refused) as refused:
            operator.groups.list(where="person.kind is guest")
        assert refused.value.problem.code == "bad-parameter"
    told = run("people", "list", "--group", "keys", "--json", env=live.environment())
    assert [json.loads(line)["id"] for line in told.stdout.splitlines()] == ["ada"]


class _Counting(io.RawIOBase):
    """The body of a request, which cannot be looked ahead into; counts how often it is asked."""

    def __init__(self, text: bytes) -> None:
        self._text = io.BytesIO(text)
        self.asked = 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        self.asked += 1
        return self._text.readinto(buffer)


def test_a_body_is_read_in_pieces_and_left_open(live: Live) -> None:
    lines = b"".join(b'{"id": "p-%d", "title": "Person %d"}\n' % (n, n) for n in range(5_000))
    body = _Counting(lines)
    found = read_lines(live.data, "people", body, "")  # type: ignore[arg-type]  # as the server hands it on
    assert [each[2]["id"] for each in found] == [f"p-{n}" for n in range(5_000)]
    assert body.asked < 20
    assert not body.closed
