"""The API: its document, its problems, its rulebooks and rehearsals."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import httpx
import msgspec
import pytest
from jinja2 import Environment
from joserfc.jwk import RSAKey
from tests.conftest import NOW, Live
from tests.json_schema import validate_openapi, validator

from caddrel import wiring
from caddrel.client import Refused, Unreachable
from caddrel.client.caddrel import Caddrel
from caddrel.demo.fill import anchor, log_lines
from caddrel.service.app import ENDPOINTS
from caddrel.service.http import openapi
from caddrel.service.http.endpoints import Stream
from caddrel.wire.decisions import File
from caddrel.wire.limits import TighteningRequest
from caddrel.wire.problems import Problem
from caddrel.wire.replays import ReplayRequest
from caddrel.wire.rulebooks import Side

RULEBOOK = """caddrel: 1
policies:
  post-needs-mfa:
    title: Mail asks for a second factor
    mode: enforced
    apps: [post]
    rules: [{then: require mfa}]
"""


def test_the_openapi_document_is_valid_and_complete(vacant: Live) -> None:
    with vacant.http("") as http:
        document = http.get("/api/openapi.json").json()
    validate_openapi(document)
    assert document["openapi"].startswith("3.1")
    described = {(method.upper(), path) for path, item in document["paths"].items() for method in item}
    assert described == {(e.method, re.sub("<(?:[^:>]+:)?([a-z]+)>", r"{\1}", e.route)) for e in ENDPOINTS}
    (limit,) = [p for p in document["paths"]["/api/v1/people"]["get"]["parameters"] if p["name"] == "limit"]
    assert limit["schema"] == {"type": "integer", "minimum": 1, "maximum": 1000, "default": 50}


@pytest.mark.parametrize("given", [{}, {"person": ""}])
def test_what_is_needed_is_asked_for(vacant: Live, given: dict[str, str]) -> None:
    with vacant.http() as http:
        answer = http.get("/api/v1/groups/any/joining", params=given)
        assert (answer.status_code, answer.json()["code"]) == (400, "bad-parameter")
        assert answer.json()["title"] == "`person` is needed"
        # The largest number that there may be is one.
        assert http.get("/api/v1/imports", params={"before": 1 << 31}).status_code == 200
        assert http.get("/api/v1/imports", params={"before": (1 << 31) + 1}).status_code == 400
        assert http.post("/api/v1/jobs/take-back").json()["title"] == "`import` is needed"


@pytest.mark.parametrize(
    ("path", "methods"),
    [
        ("/api/v1/jobs/take-back", "OPTIONS, POST"),
        ("/api/v1/mappings/try", "OPTIONS, POST"),
        ("/api/v1/jobs/j-0123456789", "DELETE, GET, HEAD, OPTIONS"),
        ("/api/v1/people", "GET, HEAD, OPTIONS, POST"),
    ],
)
def test_an_address_says_which_methods_it_has(vacant: Live, path: str, methods: str) -> None:
    with vacant.http() as http:
        assert http.options(path).headers["Allow"] == methods
        assert http.request("TRACE", path).headers["Allow"] == methods


@pytest.mark.parametrize("method", ["GET", "HEAD", "OPTIONS", "PATCH", "TRACE"])
@pytest.mark.parametrize("path", ["/api//v1/people", "/api/v1//people", "/docs//publishing", "/healthz//"])
def test_what_is_not_at_an_address_is_not_there(vacant: Live, method: str, path: str) -> None:
    with vacant.http() as http:
        assert http.request(method, path).status_code == 404


@pytest.mark.parametrize(
    ("path", "of", "made_by"),
    [
        ("/api/openapi.json", openapi, "document"),
        ("/docs", Environment, "from_string"),
        ("/ssf/v1/jwks", RSAKey, "import_key"),
    ],
)
def test_what_anybody_may_ask_for_is_made_once(
    vacant: Live, path: str, of: object, made_by: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with vacant.http("") as http:
        first = http.get(path)
        assert first.status_code == 200

        def again(*_: object, **__: object) -> None:
            raise AssertionError("made again")

        # Each of them takes as long as ten to a hundred requests, and asking for it costs nothing.
        monkeypatch.setattr(of, made_by, again)
        assert [http.get(path).content for _ in range(3)] == [first.content] * 3


def test_the_schema_of_rulebooks_is_published(vacant: Live) -> None:
    with vacant.http("") as http:
        answer = http.get("/api/rulebook.schema.json")
    assert answer.headers["Content-Type"] == "application/schema+json"
    assert "policies" in answer.json()["properties"]


def test_the_schema_of_sign_ins_agrees_with_the_reader(kelpline: Live) -> None:
    with kelpline.http("") as http:
        answer = http.get("/api/signin.schema.json")
    assert answer.headers["Content-Type"] == "application/schema+json"
    schema = validator(answer.json())
    end = anchor(NOW)
    for i, line in enumerate(log_lines(end, days=2)):
        if i % 7 == 0:
            schema.validate(json.loads(line))
    at = {"time": {"at": "2026-11-20T08:00:00Z"}}
    cases = [
        ({"id": "a", "facts": {**at, "device": {"managed": True}, "auth.methods": {"pwd": 3, "otp": "1m"}}}, True),
        ({"id": "a", "facts": {**at, "person.attributes.clearance": 2, "device.id": None}, "recorded": None}, True),
        ({"id": "a", "facts": {**at, "device": {"managed": "yes"}}}, False),
        ({"id": "a", "facts": {**at, "persn.id": "x"}}, False),
        ({"id": "a", "facts": {**at, "risk.attempt": 3}}, False),
        ({"id": "", "facts": at}, False),
        ({"id": "a", "facts": at, "recorded": {"verdict": "x"}}, False),
        ({"facts": at}, False),
    ]
    with kelpline.client() as client:
        for document, good in cases:
            assert schema.is_valid(document) == good, document
            if not good:
                assert client.signins.import_([json.dumps(document).encode()]).broken == 1


def test_every_reading_endpoint_answers_as_it_says(kelpline: Live) -> None:
    with kelpline.client() as client:
        job = client.jobs.import_([]).id
        client.drafts.begin("told")
        replay = client.replays.start(ReplayRequest(Side(draft="told"), since="2026-11-22")).id
        assert [each.state for each in client.jobs.follow(replay)][-1] == "done"
        curve = client.tightenings.start(
            TighteningRequest(Side(), "standards.crew-tablet.patched", ["16"], "2026-11-22")
        ).id
        assert [each.state for each in client.jobs.follow(curve)][-1] == "done"
    with kelpline.http() as http:
        # Only whoever asks is told.
        question = http.post("/api/v1/rulebook/proofs", json={"prove": {}}).json()["id"]
    examples = {
        "/api/v1/drafts/<id>": "told",
        "/api/v1/imports/<id>": "1",
        "/api/v1/drafts/<id>/shadow": "told",
        "/api/v1/drafts/<id>/replay": "told",
        "/api/v1/replays/<id>": replay,
        "/api/v1/replays/<id>/changed": replay,
        "/api/v1/tightenings/<id>": curve,
        "/api/v1/jobs/<id>": job,
        "/api/v1/rulebook/proofs/<id>": question,
        "/api/v1/jobs/<id>/events": job,
        "/api/v1/rulebook/policies/<id>": "abroad",
        "/api/v1/signins/<id>": "s-000001",
        "/api/v1/signins/<id>/trace": "s-000001",
        "/api/v1/signins/<id>/record": "s-000001",
        "/api/v1/people/<id>": "ines.faro",
        "/api/v1/people/<id>/lock": "ines.faro",
        "/api/v1/groups/<id>": "bridge",
        "/api/v1/devices/<id>": "tab-0117",
        "/api/v1/apps/<id>": "manifest",
        "/api/v1/lists/<id>": "bad-addresses",
        "/api/v1/people/<id>/profile": "ines.faro",
        "/api/v1/people/<id>/coverage": "ines.faro",
        "/api/v1/groups/<id>/coverage": "bridge",
        "/api/v1/apps/<id>/coverage": "manifest",
        "/api/v1/groups/<id>/profile": "bridge",
        "/api/v1/devices/<id>/profile": "tab-0117",
        "/api/v1/apps/<id>/profile": "manifest",
        "/api/v1/lists/<id>/profile": "bad-addresses",
        "/api/v1/rulebook/policies/<id>/sheet": "abroad",
        "/api/v1/standards/<id>/failing": "crew-tablet",
    }
    object = "/api/v1/drafts/told/objects"
    whole = {
        # A day of it says as much as all thirty.
        "/api/v1/signins/export": "/api/v1/signins/export?since=2026-11-22",
        "/api/v1/causes": "/api/v1/causes?since=2026-11-16",
        "/api/v1/groups/<id>/joining": "/api/v1/groups/keyholders/joining?person=ines.faro",
        "/api/v1/rulebook/standing/<path>": "/api/v1/rulebook/standing/places.terminals",
        "/api/v1/drafts/<id>/objects/<path>": f"{object}/standards.crew-tablet",
        "/api/v1/drafts/<id>/objects/<path>/covers": f"{object}/policies.abroad/covers?side=people&limit=3",
        "/api/v1/drafts/<id>/objects/<path>/holds": f"{object}/places.terminals/holds?address=192.0.2.70",
    }
    with kelpline.http() as http:
        for endpoint in ENDPOINTS:
            if endpoint.method != "GET":
                continue
            route = re.sub("<[^:>]+:id>", "<id>", endpoint.route)
            answer = http.get(whole.get(route) or route.replace("<id>", examples.get(route, "")))
            assert answer.status_code == 200, endpoint.route
            if endpoint.returns is not Stream:
                msgspec.json.decode(answer.content, type=endpoint.returns, strict=True)
            assert "default-src 'none'" in answer.headers["Content-Security-Policy"]
            assert answer.headers["X-Request-ID"]


@pytest.mark.parametrize("number", [2**53, 2**63, 10**30, -1])
def test_whole_numbers_in_bodies_are_such_as_everybody_reads(vacant: Live, number: int) -> None:
    with vacant.http() as http:
        document = http.get("/api/openapi.json").json()
        schemas, asked = document["components"]["schemas"], 0
        for path, operations in document["paths"].items():
            for method, operation in operations.items():
                body = operation.get("requestBody", {}).get("content", {}).get("application/json", {})
                for way, schema in _whole_numbers(body.get("schema", {}), schemas):
                    assert (schema["minimum"], schema["maximum"]) == (0, 2**53 - 1), (path, way)
                    answer = http.request(method, path, content=_with(body["example"], way, number))
                    assert 400 <= answer.status_code < 500, (path, way, answer.text)
                    asked += 1
    assert asked > 15


def _whole_numbers(schema: Any, schemas: Any, way: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], Any]]:
    """Yield where a body has whole numbers, and what is said of them."""
    if "$ref" in schema:
        schema = schemas[schema["$ref"].rpartition("/")[2]]
    if schema.get("type") == "integer":
        yield way, schema
    for one in schema.get("anyOf", ()):
        yield from _whole_numbers(one, schemas, way)
    for name, member in schema.get("properties", {}).items():
        yield from _whole_numbers(member, schemas, (*way, name))


def _with(document: Any, way: tuple[str, ...], number: int) -> str:
    """Return a document, written, with a number at one place of it."""
    changed = json.loads(json.dumps(document))
    at = changed
    for name in way[:-1]:
        at = at.setdefault(name, {})
    at[way[-1]] = number
    return json.dumps(changed)


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code"),
    [
        ("GET", "/api/v1/nothing", None, 404, "not-found"),
        ("PUT", "/api/v1/people", None, 405, "method-not-allowed"),
        ("GET", "/api/v1/people/nobody", None, 404, "not-found"),
        ("GET", "/api/v1/people?serch=x", None, 400, "unknown-parameter"),
        ("GET", "/api/v1/people?limit=0", None, 400, "bad-parameter"),
        ("GET", "/api/v1/people?limit=1&limit=2", None, 400, "bad-parameter"),
        ("GET", "/api/v1/signins?since=yesterday", None, 400, "bad-parameter"),
        ("GET", "/api/v1/signins?certain=maybe", None, 400, "bad-parameter"),
        ("GET", "/api/v1/signins?after=x", None, 400, "bad-cursor"),
        ("GET", "/api/v1/signins/s-0", None, 404, "not-found"),
        ("GET", "/api/v1/rulebook", None, 409, "no-rulebook"),
        ("GET", "/api/v1/rulebook?revision=7", None, 409, "no-rulebook"),
        ("POST", "/api/v1/rehearse", b"{}", 409, "no-rulebook"),
        ("POST", "/api/v1/signins", b"{}", 409, "no-rulebook"),
        ("POST", "/api/v1/rehearse", b"{", 400, "bad-request"),
        ("POST", "/api/v1/rehearse", b'{"fcts": {}}', 400, "bad-request"),
        ("POST", "/api/v1/rehearse", b"\xff\xfe", 400, "bad-request"),
        ("POST", "/api/v1/rehearse", b"[" * 15_000, 400, "bad-request"),
        ("POST", "/api/v1/rulebook/check", b'{"files": []}', 422, "no-files"),
        ("POST", "/api/v1/rulebook/check", b" " * 70_000, 413, "too-large"),
        ("POST", "/api/v1/tokens", b" " * 30_000, 413, "too-large"),
        ("POST", "/api/v1/people", b'{"id": "' + b"x" * 6_000 + b'"}', 413, "too-large"),
    ],
)  # fmt: skip
def test_refusals_are_problem_documents(
    vacant: Live, method: str, path: str, body: bytes | None, status: int, code: str
) -> None:
    with vacant.http() as http:
        answer = http.request(method, path, content=body)
    problem = msgspec.json.decode(answer.content, type=Problem)
    assert (answer.status_code, problem.status, problem.code) == (status, status, code)
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert problem.request_id == answer.headers["X-Request-ID"]


def test_an_unexpected_error_tells_nothing_but_its_request(tmp_path: Path) -> None:
    wiring.log_nothing()
    opened = wiring.open_data(tmp_path)

    def broken() -> datetime:
        raise RuntimeError("the secret of the house")

    token = wiring.kept_token(opened.runtime, "", "tests")
    opened.runtime.data.clock = broken
    server = wiring.build_server(opened, "127.0.0.1", 0)
    server.start()
    try:
        with pytest.raises(Refused) as refused, Caddrel(server.url, token) as client:
            client.tokens.create("late", "viewer", 1)
    finally:
        server.stop()
    assert refused.value.problem.code == "internal-error"
    assert "secret" not in str(msgspec.to_builtins(refused.value.problem))


def test_publishing_a_wrong_rulebook_publishes_nothing_and_tells_all(empty: Live) -> None:
    wrong = RULEBOOK.replace("enforced", "on").replace("mfa}", "mfaa}")
    with empty.client() as client:
        checked = client.rulebook.check([File("r.yaml", wrong)])
        assert not checked.ok
        with pytest.raises(Refused) as refused:
            client.rulebook.publish([File("r.yaml", wrong)], "a try")
        problem = refused.value.problem
        assert problem.code == "bad-rulebook"
        said = [(e.code, e.span and (e.span.file, e.span.line, e.span.column)) for e in problem.errors]
        assert said == [("wrong-value", ("r.yaml", 5, 11)), ("expected-requirement", ("r.yaml", 7, 28))]
        assert client.rulebook.history() == []


def test_publishing_numbers_revisions_and_refuses_a_lost_update(empty: Live) -> None:
    files = [File("r.yaml", RULEBOOK)]
    with empty.client("publisher") as client:
        first = client.rulebook.publish(files, "the first", base=0)
        empty.clock.forward(hours=1)
        second = client.rulebook.publish([File("r.yaml", f"{RULEBOOK}# again\n")], "again", base=1)
        assert (first.revision.number, second.revision.number) == (1, 2)
        with pytest.raises(Refused) as refused:
            client.rulebook.publish(files, "too late", base=1)
        assert refused.value.problem.code == "published-in-between"
        with pytest.raises(Refused, match="say why") as unsaid:
            client.rulebook.publish(files, "  ")
        assert unsaid.value.problem.code == "no-why"
        history = client.rulebook.history()
        assert [(r.number, r.why, r.published_by, r.current) for r in history] == [
            (2, "again", "token test publisher", True),
            (1, "the first", "token test publisher", False),
        ]
        assert client.rulebook.get(1).files[0].text == RULEBOOK
        with pytest.raises(Refused, match="no revision 9"):
            client.rulebook.get(9)


def test_a_rehearsal_says_everything_that_is_wrong_with_it(kelpline: Live) -> None:
    with kelpline.client("viewer") as client, pytest.raises(Refused) as refused:
        client.rehearse({"person": "ines.farro", "app": "manifst", "devic.owner": "x", "device.managed": "perhaps"})
    assert refused.value.problem.code == "bad-attempt"
    said = {(e.code, e.path): e.hint for e in refused.value.problem.errors}
    assert said[("unknown-person", "person.id")] == "did you mean `ines.faro`?"
    assert said[("unknown-app", "app.id")] == "did you mean `manifest`?"
    assert said[("unknown-fact", "devic.owner")] == "did you mean `device.owner`?"
    assert ("wrong-value", "device.managed") in said


def test_rehearsing_against_another_rulebook_and_with_json_facts(kelpline: Live) -> None:
    given = {"person": "ines.faro", "app": "post", "auth.methods": "pwd,otp:5m"}
    with kelpline.client("viewer") as client:
        answer = client.rehearse(given, files=[File("r.yaml", RULEBOOK)])
        assert (answer.decision.outcome, answer.decision.revision) == ("allowed", None)
        facts = {"person.id": "ines.faro", "app": {"id": "post"}, "device.id": "nowhere-1"}
        answer = client.rehearse(facts=facts, files=[File("r.yaml", RULEBOOK)])
        assert answer.decision.outstanding == ["mfa"]
        assert answer.trace.facts["device.owner"].value == "unlisted"
        assert "not in the inventory" in answer.remarks[0]
        old = client.rehearse({"person": "ines.faro", "app": "manifest", "device": "tab-0117"}, revision=1)
        assert old.decision.revision == 1


def test_nobody_there_and_somebody_else_there(empty: Live) -> None:
    with pytest.raises(Unreachable, match="no answer"), Caddrel("http://127.0.0.1:9") as client:
        client.health()
    gateway = httpx.MockTransport(lambda _: httpx.Response(502, text="<h1>Bad gateway</h1>"))
    with Caddrel("http://gateway.example", transport=gateway) as client, pytest.raises(Refused) as refused:
        client.health()
    assert refused.value.problem.code == "http-error"
    with Caddrel(empty.url) as client, pytest.raises(Unreachable, match="not as Caddrel does"):
        client._caller.get("/healthz", Problem)
