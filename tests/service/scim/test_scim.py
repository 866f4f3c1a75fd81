"""SCIM 2.0: people and groups as a directory keeps them; filters, patches, tags, and what is wrong."""

from __future__ import annotations

import json
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from functools import partial
from typing import Any

import httpx
import pytest
from tests.conftest import PATIENCE, Live, at_once, until
from tests.service.scim.conftest import GROUP, PATCH, PERSON, USER, Directory, client_of
from tests.service.streams.conftest import signed_in

from caddrel.client import Caddrel, Refused
from caddrel.service.scim import exchange
from caddrel.service.scim.questions import asks
from caddrel.service.scim.resources import MOST_AT_ONCE
from caddrel.service.state.limits import Limits

ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"


def _patch(directory: Directory, path: str, *operations: dict[str, Any], **headers: str) -> httpx.Response:
    return directory.patch(path, json={"schemas": [PATCH], "Operations": list(operations)}, headers=headers)


_SEARCH = {"schemas": ["urn:ietf:params:scim:api:messages:2.0:SearchRequest"], "filter": 'id sw "k"'}


def _document(live: Live, noun: str, id: str) -> dict[str, Any]:
    found = live.data.inventory.get(noun, id)
    assert found is not None
    return dict(found.document)


def test_a_person_is_made_changed_and_taken_out(live: Live, directory: Directory) -> None:
    made = directory.post(
        "/Users",
        json={
            "schemas": [USER, PERSON, ENTERPRISE], "userName": "Siri.Lund", "externalId": "4711",
            "displayName": "Siri Lund",
            "emails": [{"value": "siri.lund@kelpline.example", "primary": True}], "active": True,
            PERSON: {
                "kind": "contractor", "unit": "/fleet/deck", "factors": ["password"],
                "attributes": [
                    {"name": "clearance", "value": "3"}, {"name": "badge", "value": "B-7"},
                    {"name": "ashore", "value": "no"},
                ],
            },
            ENTERPRISE: {"department": "Deck", "manager": {"value": "kari"}},
        },
    )  # fmt: skip
    assert made.status_code == 201, made.text
    user = made.json()
    assert (user["id"], user["userName"], user["externalId"]) == ("siri.lund", "Siri.Lund", "4711")
    assert user["meta"]["location"] == f"{live.url}/scim/v2/Users/siri.lund"
    assert made.headers["etag"] == user["meta"]["version"]
    document = _document(live, "people", "siri.lund")
    assert (document["kind"], document["title"], document["factors"]) == ("contractor", "Siri Lund", ["password"])
    again = directory.post("/Users", json={"schemas": [USER], "userName": "siri.lund"})
    assert (again.status_code, again.json()["scimType"]) == (409, "uniqueness")
    read = directory.get("/Users/siri.lund").json()
    assert read["emails"] == user["emails"]
    assert document["attributes"] == {"clearance": 3, "badge": "B-7", "ashore": False}
    assert (read[PERSON]["attributes"], read[ENTERPRISE]) == (user[PERSON]["attributes"], user[ENTERPRISE])
    assert read[ENTERPRISE]["department"] == "Deck"
    changed = _patch(
        directory, "/Users/siri.lund", {"op": "replace", "path": f"{PERSON}:kind", "value": "employee"},
        {"op": "add", "path": "nickName", "value": "Siri"}, **{"If-Match": user["meta"]["version"]},
    )  # fmt: skip
    assert changed.status_code == 204, changed.text
    now = directory.get("/Users/siri.lund").json()
    assert (now[PERSON]["kind"], now["nickName"]) == ("employee", "Siri")
    stale = _patch(
        directory, "/Users/siri.lund", {"op": "replace", "path": "displayName", "value": "S"},
        **{"If-Match": user["meta"]["version"]},
    )  # fmt: skip
    assert stale.status_code == 412
    unchanged = directory.get("/Users/siri.lund", headers={"If-None-Match": now["meta"]["version"]})
    assert unchanged.status_code == 304
    # What a directory keeps is not edited here, and another directory does not see it.
    operator = {"Authorization": f"Bearer {live.token}"}
    refused = httpx.post(f"{live.url}/api/v1/people/siri.lund/off", headers=operator, timeout=PATIENCE)
    assert refused.json()["code"] == "kept-by-directory"
    with live.client() as client:
        assert client.profiles.person("siri.lund").item.kept_by == "the directory head office"
        # Nor by a file; one that leaves her as she is may name her.
        client.people.import_([json.dumps({"id": "siri.lund", "kind": "employee"}).encode()])
        with pytest.raises(Refused, match="kept by the directory head office; nothing was changed"):
            client.people.import_([b'{"id": "odd", "kind": "guest"}\n', b'{"id": "siri.lund", "kind": "guest"}\n'])
        assert _document(live, "people", "odd")["kind"] == "employee"
    with client_of(live, "the yard") as other:
        assert other.get("/Users/siri.lund").status_code == 404
        assert other.post("/Users", json={"schemas": [USER], "userName": "siri.lund"}).status_code == 409
    assert directory.delete("/Users/siri.lund").status_code == 204
    assert directory.get("/Users/siri.lund").status_code == 404
    assert live.data.inventory.get("people", "siri.lund") is None


def test_whoever_is_off_in_the_directory_is_out_at_once(
    live: Live,
    door: Caddrel,
    directory: Directory,
) -> None:
    ines = signed_in(door, "ines")
    answer = _patch(directory, "/Users/ines", {"op": "replace", "path": "active", "value": False})
    assert answer.status_code == 204, answer.text
    assert directory.get("/Users/ines").json()["active"] is False
    session = live.data.door_sessions.get(ines)
    assert session is not None
    assert session.ended_by == "directory head office"
    assert "off" in _document(live, "people", "ines")
    assert [each.note for each in live.data.audit.page(limit=2)] == ["ines: 1 session ended", "ines is off"]
    # Of some directories a truth is a text.
    back = _patch(directory, "/Users/ines", {"op": "Replace", "value": {"active": "True"}})
    assert back.status_code == 204, back.text
    assert "off" not in _document(live, "people", "ines")
    # Whoever is to leave later has not left; and that somebody is active does not say that they stay.
    leaves = (live.clock.now + timedelta(days=30)).isoformat()
    with live.client() as client:
        client.people.import_([json.dumps({"id": "odd", "off": leaves}).encode()])
    _patch(directory, "/Users/odd", {"op": "replace", "path": "active", "value": True})
    assert _document(live, "people", "odd")["off"] == leaves
    odd = _patch(directory, "/Users/odd", {"op": "replace", "path": "active", "value": False})
    assert odd.status_code == 204, odd.text
    assert live.data.inventories.current().people["odd"].is_off(live.clock.now)
    assert directory.get("/Users/odd").json()["active"] is False


def test_who_is_taken_off_a_group_is_decided_again_and_it_is_told_why(
    live: Live,
    door: Caddrel,
    directory: Directory,
) -> None:
    ines = signed_in(door, "ines")
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())
    crew = directory.get("/Groups/crew").json()
    assert [member["value"] for member in crew["members"]] == ["ines", "kari", "odd"]
    gone = _patch(directory, "/Groups/crew", {"op": "remove", "path": 'members[value eq "ines"]'})
    assert gone.status_code == 204, gone.text
    assert [member["value"] for member in directory.get("/Groups/crew").json()["members"]] == ["kari", "odd"]

    def because() -> str:
        found = live.data.door_sessions.get(ines)
        assert found is not None
        return found.because if found.ended is not None else ""

    why = until(because)
    assert "crew-only" in why
    assert "directory head office: " in why
    assert "took ines off crew" in why
    made = directory.post(
        "/Groups",
        json={"schemas": [GROUP], "displayName": "Night Watch", "members": [{"value": "ines"}, {"value": "crew"}]},
    )
    assert (made.status_code, made.json()["id"]) == (201, "night-watch")
    assert "night-watch" in _document(live, "people", "ines")["groups"]
    assert _document(live, "groups", "crew")["member_of"] == ["night-watch"]
    wrong = _patch(directory, "/Groups/night-watch", {"op": "add", "path": "members", "value": [{"value": "nobody"}]})
    assert (wrong.status_code, wrong.json()["scimType"]) == (400, "invalidValue")
    # Within itself a group is not.
    circle = _patch(directory, "/Groups/crew", {"op": "add", "path": "members", "value": [{"value": "night-watch"}]})
    assert circle.status_code == 400
    # None of a change is made of which a part is wrong: neither a group nor a member of one.
    with client_of(live, "the yard") as other:
        made = other.post("/Users", json={"schemas": [USER], "userName": "yard.hand"})
        assert made.status_code == 201, made.text
    for members in (["odd", "nobody"], ["odd", "night-watch"], ["odd", "yard.hand"]):
        named = [{"value": each} for each in members]
        half = directory.post("/Groups", json={"schemas": [GROUP], "displayName": "Half", "members": named})
        assert half.status_code == (201 if "night-watch" in members else 400), half.text
        if half.status_code == 201:
            assert directory.delete("/Groups/half").status_code == 204
        assert live.data.inventory.get("groups", "half") is None
        more = _patch(directory, "/Groups/night-watch", {"op": "add", "path": "members", "value": named})
        assert more.status_code == 400
        assert "night-watch" not in _document(live, "people", "odd")["groups"]
    # Its tag tells of its members too.
    before = directory.get("/Groups/night-watch")
    assert directory.get("/Groups/night-watch", headers={"If-None-Match": before.headers["etag"]}).status_code == 304
    _patch(directory, "/Groups/night-watch", {"op": "add", "path": "members", "value": [{"value": "odd"}]})
    after = directory.get("/Groups/night-watch", headers={"If-None-Match": before.headers["etag"]})
    assert after.status_code == 200
    stale = _patch(
        directory, "/Groups/night-watch", {"op": "remove", "path": "members"}, **{"If-Match": before.headers["etag"]}
    )
    assert stale.status_code == 412
    assert directory.delete("/Groups/night-watch").status_code == 204
    assert "night-watch" not in _document(live, "people", "ines")["groups"]


def test_what_others_change_of_members_at_the_same_instant_stays(live: Live, directory: Directory) -> None:
    directory.post("/Groups", json={"schemas": [GROUP], "displayName": "deck"}).raise_for_status()
    operator = {"Authorization": f"Bearer {live.token}"}

    def put_on(group: str) -> list[int]:
        # Neither changes what the other does, many times over.
        codes = []
        for n in range(40):
            method, path = ("DELETE", f"/{group}/members/ines") if n % 2 else ("POST", f"/{group}/members")
            body = None if n % 2 else {"person": "ines", "until": "2027-01-01"}
            codes.append(
                httpx.request(
                    method, f"{live.url}/api/v1/groups{path}", json=body, headers=operator, timeout=PATIENCE
                ).status_code
            )
        return codes

    def in_and_out() -> list[int]:
        ops: list[dict[str, Any]] = [
            {"op": "add", "path": "members", "value": [{"value": "ines"}]},
            {"op": "remove", "path": "members"},
        ]
        return [_patch(directory, "/Groups/deck", ops[n % 2]).status_code for n in range(41)]

    theirs, ours = at_once(partial(put_on, "night"), in_and_out)
    assert (set(theirs), set(ours)) == ({200}, {204})
    assert _document(live, "people", "ines")["groups"] == ["crew", "deck"]


EVERYTHING = {
    "name": {"formatted": "Siri A. Lund", "givenName": "Siri", "familyName": "Lund", "honorificPrefix": "Dr"},
    "nickName": "S", "profileUrl": "https://siri.example/", "title": "Mate", "userType": "Crew",
    "preferredLanguage": "nb", "locale": "nb-NO", "timezone": "Europe/Oslo", "password": "t0ps3cret",
    "emails": [{"value": "siri@kelpline.example", "type": "work", "primary": True}, {"value": "s@home.example"}],
    "phoneNumbers": [{"value": "tel:+47-55-50-10-10", "type": "work"}],
    "addresses": [{"type": "work", "streetAddress": "Quay 1", "locality": "Bergen", "country": "NO"}],
    "groups": [{"value": "crew"}], "id": "somebody-else", "meta": {"resourceType": "Group"},
    "entitlements": [{"value": "keys"}], "roles": [{"value": "mate"}],
    PERSON: {"kind": "contractor", "unit": "/fleet", "roles": ["deputy"], "factors": ["password"],
             "attributes": [{"name": "clearance", "value": "3"}]},
    ENTERPRISE: {"employeeNumber": "7", "department": "Deck", "manager": {"value": "kari", "displayName": "Kari"}},
}  # fmt: skip


SAID: list[dict[str, Any]] = [
    {},
    {"displayName": "Siri"},
    {"active": False},
    {"active": "True", PERSON: {}},
    {ENTERPRISE: {}},
    EVERYTHING,
    *({key: value} for key, value in EVERYTHING.items()),
]


def test_what_a_write_is_answered_is_what_is_read_then(live: Live, directory: Directory) -> None:
    for number, said in enumerate(SAID):
        name = f"Siri.Lund-{number}"
        extensions = [each for each in (PERSON, ENTERPRISE) if each in said]
        sent = {**said, "schemas": [USER, *extensions], "userName": name}
        made = directory.post("/Users", json=sent)
        assert made.status_code == 201, made.text
        path = f"/Users/{name.lower()}"
        assert made.json() == directory.get(path).json(), said
        assert "password" not in made.json()
        for changed in ({**sent, "displayName": "Other"}, sent, {"schemas": [USER], "userName": name.lower()}):
            answer = directory.put(path, json=changed)
            assert answer.status_code == 200, answer.text
            assert answer.json() == directory.get(path).json(), (said, changed)


def test_what_is_taken_away_is_gone_and_what_is_not_spoken_of_stays(live: Live, directory: Directory) -> None:
    said = {"schemas": [USER, PERSON], "userName": "siri", "displayName": "Siri", PERSON: {
        "kind": "contractor", "unit": "/fleet/deck", "roles": ["administrator", "cook"], "factors": ["password"],
        "attributes": [{"name": "badge", "value": "7"}]}}  # fmt: skip
    all_there = {"id": "siri", "title": "Siri", "kind": "contractor", "unit": "/fleet/deck", "factors": ["password"],
                 "roles": ["administrator", "cook"], "attributes": {"badge": 7}}  # fmt: skip
    assert directory.post("/Users", json=said).status_code == 201
    gone: list[tuple[str, dict[str, Any]]] = [
        ("displayName", {"title": None}),
        (f"{PERSON}:kind", {"kind": None}),
        (f"{PERSON}:unit", {"unit": None}),
        (f'{PERSON}:roles[value eq "administrator"]', {"roles": ["cook"]}),
        (f"{PERSON}:roles", {"roles": []}),
        (f"{PERSON}:factors", {"factors": []}),
        (f"{PERSON}:attributes", {"attributes": None}),
        (PERSON, {"kind": None, "unit": None, "roles": [], "factors": [], "attributes": None}),
    ]
    for path, changed in gone:
        assert directory.put("/Users/siri", json=said).status_code == 200
        assert _document(live, "people", "siri") == all_there
        answer = _patch(directory, "/Users/siri", {"op": "remove", "path": path})
        assert answer.status_code == 204, (path, answer.text)
        expected = {key: value for key, value in {**all_there, **changed}.items() if value is not None}
        assert _document(live, "people", "siri") == expected, path
        # That there are none is known, and stays so.
        assert _patch(directory, "/Users/siri", {"op": "add", "path": "nickName", "value": path}).status_code == 204
        assert _document(live, "people", "siri") == expected, path
    # Most directories know nothing of the extension: what they do not speak of stays.
    assert directory.put("/Users/siri", json=said).status_code == 200
    for silent in ({"schemas": [USER], "userName": "siri", "displayName": "S"}, {**said, PERSON: {"kind": "guest"}}):
        assert directory.put("/Users/siri", json=silent).status_code == 200
        found = _document(live, "people", "siri")
        assert {key: found[key] for key in ("unit", "roles", "factors", "attributes")} == {
            key: all_there[key] for key in ("unit", "roles", "factors", "attributes")
        }


def test_nothing_of_a_write_stays_that_fails(live: Live, directory: Directory) -> None:
    """Everything that is kept of somebody is kept in one commit; the last of it is what is audited."""
    before = live.data.audit.head()
    full = "BEFORE INSERT ON audit WHEN NEW.who LIKE 'directory %' BEGIN SELECT RAISE(ABORT, 'no'); END"
    with sqlite3.connect(live.data.folder / "book.sqlite") as file:
        file.execute(f"CREATE TRIGGER full {full}")
    assert directory.post("/Users", json={"schemas": [USER], "userName": "siri"}).status_code == 500
    guest = {"op": "replace", "path": f"{PERSON}:kind", "value": "guest"}
    assert _patch(directory, "/Users/kari", guest).status_code == 500
    group = {"schemas": [GROUP], "displayName": "Deck", "members": [{"value": "ines"}]}
    assert directory.post("/Groups", json=group).status_code == 500
    assert live.data.inventory.get("people", "siri") is None
    assert live.data.inventory.get("groups", "deck") is None
    assert "deck" not in _document(live, "people", "ines")["groups"]
    assert _document(live, "people", "kari")["kind"] != "guest"
    assert [live.data.kept_by.get("people", id) for id in ("siri", "kari")] == [None, None]
    assert live.data.audit.head() == before
    with sqlite3.connect(live.data.folder / "book.sqlite") as file:
        file.execute("DROP TRIGGER full")
    assert directory.post("/Users", json={"schemas": [USER], "userName": "siri"}).status_code == 201


def test_directories_find_page_and_sort(live: Live, directory: Directory) -> None:
    def found(**asked: Any) -> dict[str, Any]:
        answer = directory.get("/Users", params=asked)
        assert answer.status_code == 200, answer.text
        return dict(answer.json())

    assert [user["id"] for user in found()["Resources"]] == ["ines", "kari", "odd"]
    assert found(filter='userName eq "INES"')["totalResults"] == 1
    assert found(filter='userName eq "nobody"')["totalResults"] == 0
    # By any name of somebody, whatever the case of its letters.
    mine = {"schemas": [USER], "userName": "Siri.Lund@Kelpline.example", "externalId": "E-7", "displayName": "Siri L"}
    assert directory.post("/Users", json=mine).status_code == 201
    with live.client() as client:
        client.people.import_([json.dumps({"id": "Odd-2", "title": "Odd The Second"}).encode()])
    for text, ids in {
        'userName eq "siri.LUND@kelpline.example"': ["siri.lund@kelpline.example"],
        'externalId eq "E-7"': ["siri.lund@kelpline.example"],
        'externalId eq "e-7"': [],
        'displayName eq "siri l"': ["siri.lund@kelpline.example"],
        'displayName eq "odd the second"': ["Odd-2"],
        'userName eq "ODD-2"': ["Odd-2"],
        'userName eq "siri_lund@kelpline.example"': [],
        'userName eq "%"': [],
    }.items():
        assert [user["id"] for user in found(filter=text)["Resources"]] == ids, text
    with client_of(live, "the yard") as other:
        asked = {"filter": 'externalId eq "E-7"'}
        assert other.get("/Users", params=asked).json()["totalResults"] == 0
    assert directory.delete("/Users/siri.lund@kelpline.example").status_code == 204
    assert directory.delete("/Users/Odd-2").status_code == 204
    assert found(filter='externalId eq "E-7"')["totalResults"] == 0
    assert [u["id"] for u in found(filter=f'{PERSON}:kind eq "employee" and not (id sw "k")')["Resources"]] == [
        "ines",
        "odd",
    ]
    page = found(startIndex=2, count=1)
    assert (page["totalResults"], page["startIndex"], [u["id"] for u in page["Resources"]]) == (3, 2, ["kari"])
    assert [u["id"] for u in found(sortBy="userName", sortOrder="descending")["Resources"]] == ["odd", "kari", "ines"]
    assert set(found(attributes="userName")["Resources"][0]) == {"schemas", "id", "userName", "meta"} - {"meta"}
    for wrong in ("userName eq", "((((((((((((((id eq 1))))))))))))))", 'id eq "' + "x" * 2_000 + '"', "no-such pr"):
        assert directory.get("/Users", params={"filter": wrong}).status_code in {200, 400}
    assert directory.get("/Users", params={"filter": "userName eq"}).json()["scimType"] == "invalidFilter"


@pytest.mark.parametrize(
    ("method", "path", "only_asks"),
    [
        ("GET", "/scim/v2/Users", True),
        ("POST", "/scim/v2/Users/.search", True),
        ("POST", "/.search", True),
        ("POST", "/scim/v2/Users", False),
        ("PUT", "/scim/v2/Users/ines", False),
        ("PATCH", "/scim/v2/Groups/search", False),
        ("DELETE", "/scim/v2/Users/ines", False),
    ],
)
def test_changes_are_told_from_questions(method: str, path: str, *, only_asks: bool) -> None:
    """Changes are made one at a time; a question that takes long holds none of them up."""
    assert asks(method, path) is only_asks


def test_what_is_asked_waits_for_no_change(live: Live, directory: Directory) -> None:
    with client_of(live, "the yard") as other, ThreadPoolExecutor(1) as pool:
        with exchange._writing:
            made = pool.submit(other.post, "/Users", json={"schemas": [USER], "userName": "siri"})
            assert directory.get("/Users", params={"filter": 'id sw "i"'}).json()["totalResults"] == 1
            assert directory.post("/Users/.search", json=_SEARCH).json()["totalResults"] == 1
            assert not made.done()
        assert made.result(PATIENCE).status_code == 201


def test_what_is_offered_is_said_and_nobody_else_may(live: Live, directory: Directory) -> None:
    config = directory.get("/ServiceProviderConfig").json()
    assert all(config[what]["supported"] for what in ("patch", "bulk", "etag"))
    assert (config["bulk"]["maxOperations"], config["bulk"]["maxPayloadSize"]) == (MOST_AT_ONCE, Limits().body)
    assert {each["id"] for each in directory.get("/Schemas").json()["Resources"]} >= {USER, GROUP, PERSON, ENTERPRISE}
    assert {each["name"] for each in directory.get("/ResourceTypes").json()["Resources"]} == {"User", "Group"}
    for path in ("/Bulk", "/Me", "/Nothing", "/Users/nobody"):
        answer = directory.get(path)
        assert answer.status_code in {404, 405, 501}
        assert answer.json()["schemas"] == ["urn:ietf:params:scim:api:messages:2.0:Error"]
    for body in (b"", b"{", b"[]", b'{"schemas": []}', json.dumps({"schemas": [USER], "userName": "  "}).encode()):
        assert directory.post("/Users", content=body).status_code == 400
    lying = {"op": "replace", "path": "emails[type eq", "value": 1}
    assert _patch(directory, "/Users/ines", lying).status_code == 400
    assert _patch(directory, "/Users/ines", {"op": "remove", "path": "userName"}).status_code == 400
    odd = {"op": "replace", "path": f"{PERSON}:kind", "value": "admiral"}
    assert _patch(directory, "/Users/ines", odd).status_code == 400
    assert _document(live, "people", "ines")["kind"] == "employee"
    assert httpx.get(f"{live.url}/scim/v2/Users", timeout=PATIENCE).status_code == 401
    assert httpx.get(f"{live.url}/api/v1/people", headers=directory.headers, timeout=PATIENCE).status_code == 403
    operator = {"Authorization": f"Bearer {live.token}"}
    assert httpx.get(f"{live.url}/scim/v2/Users", headers=operator, timeout=PATIENCE).status_code == 403
