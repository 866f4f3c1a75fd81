"""The command line, run as a person would: the real program, its words, its exit codes."""

from __future__ import annotations

import json
import os
import re
import subprocess
from pathlib import Path

import click
import pytest
from tests.command import BIN, run
from tests.conftest import PATIENCE, Live, serving
from tests.service.http.test_api import RULEBOOK

from caddrel.cli import cli
from caddrel.client import Refused
from caddrel.demo.situations import SITUATIONS
from caddrel.wire.drafts import PatternRequest

ROOT = Path(__file__).parents[2]
PAGE_RULEBOOK = ROOT / "tests" / "cases" / "manifest.yaml"


def _commands(command: click.Command = cli, path: tuple[str, ...] = ()) -> list[tuple[str, ...]]:
    if not isinstance(command, click.Group):
        return [path]
    context = click.Context(command)
    found = []
    for name in command.list_commands(context):
        inner = command.get_command(context, name)
        assert inner is not None
        found.extend(_commands(inner, (*path, name)))
    return found


@pytest.mark.parametrize("path", _commands(), ids=" ".join)
def test_every_command_explains_itself_with_an_example_and_is_in_the_reference(path: tuple[str, ...]) -> None:
    command: click.Command = cli
    context = click.Context(cli)
    for name in path:
        assert isinstance(command, click.Group)
        found = command.get_command(context, name)
        assert found is not None
        command = found
    assert f"caddrel {' '.join(path)}" in (command.help or "").partition("Example")[2]
    assert f"`{' '.join(path)}`" in (ROOT / "docs" / "reference.md").read_text(encoding="utf-8")
    for option in command.params:
        if isinstance(option, click.Option):
            assert option.help, option.name


def test_offline_decisions_have_the_documented_shape_and_order(tmp_path: Path) -> None:
    lines = [
        {"id": "a1", "facts": {"person.id": "ines.faro", "person.groups": [], "app.id": "manifest",
                               "device.owner": "personal", "time.at": "2026-11-02T07:10:00Z"}},
        {"facts": {"person": {"id": "x", "groups": [], "roles": ["administrator"]},
                   "app.id": "gangway", "app.labels": [],
                   "person.factors": ["security-key"], "auth.methods": {"hwk": "30m"}}},
        {"id": "a3", "facts": {"persn.id": "x"}},
        {"id": "a4", "facts": {"device.managed": True, "device": {"managed": False}}},
        {"id": "a5", "facts": {"person.id": "m", "person.groups": [], "app.id": "library", "app.labels": []}},
    ]  # fmt: skip
    text = "\n".join([*map(json.dumps, lines), "broken", '{"id": "a7", "id": "a8", "facts": {}}']) + "\n"
    done = run("decide", "--rulebook", str(PAGE_RULEBOOK), "--attempts", "-", stdin=text)
    assert done.returncode == 1
    out = [json.loads(line) for line in done.stdout.splitlines()]
    assert [o["id"] for o in out] == ["a1", 2, "a3", "a4", "a5", 6, 7]
    assert out[0] == {
        "id": "a1", "outcome": "blocked", "reason": "effect", "certain": True,
        "deciding": [{"policy": "manifest-on-company-devices", "rule": "not-ours"}],
        "outstanding": [], "in_the_way": [], "unknown": [], "keep": {},
        "shadow": {"each": {}, "together": "blocked"},
        "tell": [{"policy": "manifest-on-company-devices", "rule": "not-ours",
                  "text": "Open manifest on a company tablet. Yours can be enrolled at any crew office.",
                  "link": "https://help.kelpline.example/enrol"}],
        "revision": None,
    }  # fmt: skip
    assert (out[1]["outcome"], out[1]["certain"]) == ("allowed", True)
    assert out[2]["error"]["hint"] == "did you mean `person.id`?"
    assert [out[i]["error"]["code"] for i in (2, 3, 5, 6)] == ["unknown-fact", "given-twice", "not-json", "given-twice"]
    assert (out[4]["outcome"], out[4]["deciding"]) == ("allowed", [])


def test_offline_decisions_with_an_inventory_and_a_trace(tmp_path: Path) -> None:
    inventory = {
        "people": [{"id": "ines", "groups": ["mates"], "roles": [], "factors": ["password"]}],
        "groups": [{"id": "mates", "member_of": ["keyholders"]}],
        "devices": [{"id": "tab", "serial": "K1", "owner": "company", "managed": True}],
        "lists": [{"id": "bad-addresses", "networks": ["198.51.100.0/24"]}],
    }
    (tmp_path / "inventory.json").write_text(json.dumps(inventory))
    attempt = {
        "facts": {"person.id": "ines", "app.id": "manifest", "device.serial": "K1", "network.ip": "198.51.100.7"}
    }
    arguments = [
        "decide",
        "--rulebook",
        str(PAGE_RULEBOOK),
        "--attempts",
        "-",
        "--inventory",
        str(tmp_path / "inventory.json"),
    ]
    done = run(*arguments, "--trace", stdin=json.dumps(attempt))
    assert done.returncode == 0
    answer = json.loads(done.stdout)
    # Through her group she is a keyholder, whom the policy excepts.
    assert (answer["outcome"], answer["certain"]) == ("allowed", True)
    assert answer["trace"]["facts"]["person.groups"] == {
        "value": ["keyholders", "mates"], "shown": "keyholders, mates", "origin": "inventory",
    }  # fmt: skip
    scope = next(p for p in answer["trace"]["policies"] if p["policy"] == "manifest-on-company-devices")["scope"]
    assert scope["failed"] == "except_people"
    (tmp_path / "inventory.json").write_text('{"people": [{"id": "x", "kind": 3}]}')
    done = run(*arguments, stdin="{}")
    assert done.returncode == 1
    assert "people[0].kind" in done.stderr or "`kind`" in done.stderr


def test_a_wrong_rulebook_is_shown_with_place_caret_code_and_hint(tmp_path: Path) -> None:
    path = tmp_path / "rulebook.yaml"
    path.write_text(RULEBOOK.replace("mfa}", "mfaa}").replace("enforced", "on"))
    for words in (["check"], ["publish", "--why", "x"], ["format"]):
        done = run("rulebook", words[0], str(path), *words[1:])
        assert done.returncode == 1
        assert f"{path}:5:11: error: `on` is not one of off, shadow, enforced [wrong-value]" in done.stderr
        assert "    7 │     rules: [{then: require mfaa}]" in done.stderr
        assert "      │                            ^^^^" in done.stderr
        assert "did you mean `mfa`?" in done.stderr
    as_json = run("rulebook", "check", str(path), "--json")
    assert as_json.returncode == 1
    assert [d["code"] for d in json.loads(as_json.stdout)["diagnostics"]] == ["wrong-value", "expected-requirement"]


def test_formatting_writes_only_what_was_not_canonical(tmp_path: Path) -> None:
    path = tmp_path / "rulebook.yaml"
    path.write_text(RULEBOOK.replace("caddrel: 1\n", "caddrel: 1 # v\n"))
    assert run("rulebook", "format", str(path), "--check").returncode == 1
    assert run("rulebook", "format", str(path), "--write").returncode == 0
    once = path.read_text()
    assert "# v" in once
    assert run("rulebook", "format", str(path), "--check").returncode == 0
    assert run("rulebook", "format", str(path)).stdout == once


def test_nobody_there_is_one_line_and_exit_3() -> None:
    done = run("people", "list", env={"CADDREL_URL": "http://127.0.0.1:9"})
    assert done.returncode == 3
    assert done.stderr.count("\n") == 1
    assert "no answer from http://127.0.0.1:9" in done.stderr
    refused = run("serve", "--bind", "nowhere")
    assert refused.returncode == 2
    assert run("peple").returncode == 2
    assert "did you mean `people`?" in run("peple").stderr
    assert run("decide").returncode == 2


def test_importing_says_what_was_broken_and_exits_1(empty: Live, tmp_path: Path) -> None:
    (tmp_path / "rulebook.yaml").write_text(RULEBOOK)
    env = empty.environment()
    published = run("rulebook", "publish", str(tmp_path / "rulebook.yaml"), "--why", "the first", env=env)
    assert published.stdout == "Revision 1 is current: the first\n"
    log = tmp_path / "log.ndjson"
    good = '{"id": "s-1", "facts": {"person.id": "odd", "time.at": "2026-11-20T08:00:00Z"}}\n'
    log.write_text(good + "broken\n")
    done = run("signins", "import", str(log), env=env)
    assert (done.returncode, done.stdout) == (1, "1 added, 0 there already, 0 with other content, 1 broken\n")
    assert "line 2: the line is not JSON" in done.stderr
    log.write_text(good)
    again = run("signins", "import", str(log), "--json", env=env)
    assert (again.returncode, json.loads(again.stdout)["already_there"]) == (0, 1)


def test_inventory_commands_take_arrays_and_lines(empty: Live, tmp_path: Path) -> None:
    env = empty.environment()
    (tmp_path / "people.json").write_text('[{"id": "odd", "title": "Odd Vik", "kind": "employee"}, {"id": "yrsa"}]')
    assert run("people", "import", str(tmp_path / "people.json"), env=env).stdout == "2 added, 0 changed\n"
    assert "Odd Vik" in run("people", "list", env=env).stdout
    assert json.loads(run("people", "show", "odd", "--json", env=env).stdout)["item"]["document"]["kind"] == "employee"
    listed = run("people", "list", "--json", "--search", "yrs", env=env).stdout
    assert [json.loads(line)["id"] for line in listed.splitlines()] == ["yrsa"]
    assert run("people", "show", "nobody", env=env).returncode == 3
    (tmp_path / "people.json").write_text('[{"id": "odd", "kind": "pirate", "x": 1}]')
    wrong = run("people", "import", str(tmp_path / "people.json"), env=env)
    assert wrong.returncode == 1
    assert "line 1.x" in wrong.stderr


def test_tokens_and_accounts(empty: Live) -> None:
    env = empty.environment()
    token = run("token", "create", "nightly", "--role", "viewer", env=env).stdout.strip()
    viewer = {**env, "CADDREL_TOKEN": token}
    assert run("people", "list", env=viewer).returncode == 0
    refused = run("token", "list", env=viewer)
    assert refused.returncode == 3
    assert "needs the role operator" in refused.stderr
    assert run("account", "put", "maren", "--role", "author", env=env).returncode == 0
    assert json.loads(run("account", "list", "--json", env=env).stdout)["items"][0]["name"] == "maren"
    entered = run("account", "enter", "maren", "--data", str(empty.folder), "--url", empty.url)
    assert entered.stdout.startswith(f"{empty.url}/#/enter?code=")
    listed = json.loads(run("token", "list", "--json", env=env).stdout)["items"]
    made = next(t["id"] for t in listed if t["name"] == "nightly")
    assert run("token", "revoke", made, env=env).returncode == 0
    assert run("people", "list", env=viewer).returncode == 3


@pytest.mark.parametrize("columns", ["80", "160"])
def test_text_for_people_keeps_to_the_width(kelpline: Live, columns: str) -> None:
    env = {**kelpline.environment(), "COLUMNS": columns}
    listed = run("signins", "list", "--outcome", "blocked", "--limit", "40", env=env)
    id = re.findall(r"s-\d{6}", listed.stdout)[0]
    pages = [
        listed,
        run("trace", id, env=env),
        run("rulebook", "show", env=env),
        run("devices", "show", "tab-0117", env=env),
    ]
    pages.append(run("rehearse", "person=ines.faro", "app=manifest", "--trace", env=env))
    for page in pages:
        assert page.returncode == 0
        assert max(map(len, page.stdout.splitlines())) <= int(columns)


def test_one_command_traces_the_newest_of_its_kind(kelpline: Live) -> None:
    env = kelpline.environment()
    for situation in SITUATIONS:
        done = run("trace", *situation.find.split(), env=env)
        assert done.returncode == 0, situation.name
        assert "decided by" in done.stdout
    assert run("trace", "--person", "ines.faro", "--country", "GB", env=env).returncode == 1
    assert run("trace", "--person", "nobody", env=env).returncode == 3
    assert run("trace", env=env).returncode == 2
    assert json.loads(run("trace", "s-000001", "--json", env=env).stdout)["same"] is True


def test_a_rehearsal_that_cannot_be_read_names_every_fact(kelpline: Live) -> None:
    done = run("rehearse", "person=ines.farro", "risk.attempt=grave", "colour=red", env=kelpline.environment())
    assert done.returncode == 1
    for words in ("did you mean `ines.faro`?", "none, low, medium, high", "there is no fact `colour`"):
        assert words in done.stderr
    assert run("rehearse", "person", env=kelpline.environment()).returncode == 2


def _tour() -> str:
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    return "\n".join(re.findall(r"<!-- tour -->\n```sh\n(.*?)```", text, re.DOTALL))


def test_the_tour_of_the_readme_runs(kelpline_folder: Path, tmp_path: Path) -> None:
    import shutil

    from tests.conftest import serving

    from caddrel.demo.fill import ADDRESSES

    shutil.copytree(kelpline_folder, tmp_path / "data")
    for live in serving(tmp_path / "data", address_files=[ADDRESSES]):
        env = {"PATH": f"{BIN}:{os.environ['PATH']}", "HOME": "/nonexistent", **live.environment()}
        done = subprocess.run(
            ["bash", "-eu", "-c", _tour()],
            check=False,
            capture_output=True,
            text=True,
            env=env,
            cwd=tmp_path,
            timeout=PATIENCE,
        )
        assert done.returncode == 0, done.stderr
        for words in ("Install the system update to Android 15", "✓ allowed", "✕ blocked", "Revision 3 is current"):
            assert words in done.stdout


def test_the_demo_command_starts_tells_and_stops(kelpline_folder: Path, tmp_path: Path) -> None:
    import shutil
    import signal

    shutil.copytree(kelpline_folder, tmp_path / "demo")
    process = subprocess.Popen(
        [str(BIN / "caddrel"), "demo", "--data", str(tmp_path / "demo"), "--bind", "127.0.0.1:0"],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env={"PATH": os.environ["PATH"]},
    )  # fmt: skip
    assert process.stdout is not None
    profile = tmp_path / "demo" / "demo.json"
    printed = ""
    while "Stop:" not in printed:
        line = process.stdout.readline()
        assert line, "the demo ended before it told where to look"
        printed += line
    told = json.loads(profile.read_text())
    names = {"url", "token", "login_url", "pid", "doorway_url", "neighbours_url", "directory_token", "receiver_token"}
    assert set(told) == names
    assert profile.stat().st_mode & 0o777 == 0o600
    assert told["login_url"] in printed
    assert told["pid"] == process.pid
    assert run("rulebook", "history", env={"CADDREL_PROFILE": str(profile)}).returncode == 0
    process.send_signal(signal.SIGTERM)
    process.communicate(timeout=PATIENCE)
    assert process.returncode == 0


def test_the_service_writes_one_line_a_request_and_no_secret(tmp_path: Path) -> None:
    import signal

    import httpx

    process = subprocess.Popen(
        [str(BIN / "caddrel"), "serve", "--data", str(tmp_path / "data"), "--bind", "127.0.0.1:0"],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env={"PATH": os.environ["PATH"]},
    )  # fmt: skip
    assert process.stderr is not None
    url = re.search(r"http://[0-9.:]+", process.stderr.readline())
    code = re.search(r"code=(\S+)", process.stderr.readline())
    assert url is not None
    assert code is not None
    with httpx.Client(base_url=url[0], verify=False, timeout=PATIENCE) as http:
        http.get("/api/v1/people?search=hidden", headers={"Authorization": "Bearer cad_x_secret"})
        http.post("/api/v1/session", json={"code": code[1]})
        cookie = http.cookies["caddrel_session"]
        http.post("/api/v1/session", json={"name": "odd", "password": "a secret guess"})
    process.send_signal(signal.SIGTERM)
    _, written = process.communicate(timeout=PATIENCE)
    lines = [json.loads(line) for line in written.splitlines()]
    requests = [e for e in lines if e["event"] == "request.done"]
    assert {e["event"] for e in lines} <= {"request.done", "audit.checkpoint"}
    assert [(e["event"], e["method"], e["path"], e["status"]) for e in requests] == [
        ("request.done", "GET", "/api/v1/people", 401),
        ("request.done", "POST", "/api/v1/session", 200),
        ("request.done", "POST", "/api/v1/session", 401),
    ]
    assert all(e["ms"] >= 0 and len(e["request_id"]) == 16 for e in requests)
    for secret in (code[1], cookie, "secret"):
        assert secret not in written


def test_a_trace_is_decided_again_without_a_service(kelpline: Live) -> None:
    for where in ("outcome is blocked", "outcome is challenged", "signals has too-fast", "reason is closed"):
        written = run("trace", "--where", where, "--json", env=kelpline.environment())
        assert written.returncode == 0
        done = run("decide", "--recheck", "-", stdin=written.stdout)
        assert done.returncode == 0
        assert done.stdout.endswith("again, in every field.\n")
    document = json.loads(written.stdout)
    document["record"]["facts"]["values"]["app.id"] = ["reported", "manifest"]
    other = run("decide", "--recheck", "-", "--json", stdin=json.dumps(document))
    assert "deciding" in json.loads(other.stdout)["differing"]
    document["record"]["decision"]["outcome"] = "blocked"
    assert run("decide", "--recheck", "-", stdin=json.dumps(document)).returncode == 1
    for broken in ("", "{}", '{"record": {"files": [{}]}}', '{"record": {"files": []}}'):
        assert run("decide", "--recheck", "-", stdin=broken).returncode == 2


def test_a_trace_tells_what_has_changed_since(kelpline: Live) -> None:
    early = run("trace", "--until", "2026-10-30", "--person", "ines.faro", env=kelpline.environment())
    assert "Now, under revision 2" in early.stdout
    assert "changed since: Crew tablet" in early.stdout
    with kelpline.client("viewer") as client:
        trace = client.signins.trace(client.signins.list(person="ines.faro", limit=9).items[-1].id)
        assert len(trace.around) == 11
        assert [item.at for item in trace.around] == sorted(item.at for item in trace.around)
        assert trace.since == []


def test_the_first_token_and_rulebook_come_from_the_host(tmp_path: Path) -> None:
    for live in serving(tmp_path / "data"):
        here = ("--data", str(live.folder))
        made = run("token", "create", "mine", "--role", "operator", *here, env={"HOME": "/nonexistent"})
        assert made.returncode == 0, made.stderr
        env = {"CADDREL_URL": live.url, "CADDREL_TOKEN": made.stdout.strip()}
        listed = run("rulebook", "starts", env=env).stdout
        assert "shared-terminals: Terminals shared by shifts" in listed
        file = tmp_path / "rulebook.yaml"
        file.write_text(run("rulebook", "starts", "small-office", env=env).stdout, encoding="utf-8")
        assert run("rulebook", "starts", "small-offices", env=env).returncode == 2
        done = run("rulebook", "publish", str(file), "--why", "The first rulebook", env=env)
        assert done.returncode == 0, done.stderr
        assert run("draft", "begin", "mine", env=env).returncode == 0
        with live.client() as client:
            entry = next(each for each in client.audit.list().items if each.did == "token")
            assert (entry.who, entry.target, entry.note) == ("host", "mine", "operator, 90 days")
        wrong = run("token", "create", " ", "--role", "operator", *here, env={"HOME": "/nonexistent"})
        assert (wrong.returncode, "needs a name" in wrong.stderr) == (2, True)


def test_a_policy_is_added_from_a_pattern(kelpline: Live) -> None:
    env = kelpline.environment()
    listed = run("draft", "add", "--list-patterns", env=env)
    assert listed.returncode == 0
    assert "second-factor: {people} need a second factor" in listed.stdout
    assert run("draft", "begin", "patterned", env=env).returncode == 0
    words = ("draft", "add", "patterned", "fares", "--pattern")
    done = run(*words, "second-factor", "apps=farebox", "within=4h", "--title", "Fares", env=env)
    assert done.returncode == 0, done.stderr
    assert "needs MFA" in done.stdout
    again = run(*words, "second-factor", "apps=farebox", env=env)
    assert (again.returncode, "the draft has a policy `fares`" in again.stderr) == (3, True)
    for more, says in (
        (("secnd-factor",), "did you mean `second-factor`?"),
        (("second-factor",), "to be filled in: Which apps"),
        (("second-factor", "aps=post"), "did you mean `apps`?"),
    ):
        wrong = run("draft", "add", "patterned", "other", "--pattern", *more, env=env)
        assert (wrong.returncode, says in wrong.stderr) == (3, True), wrong.stderr
    assert run("draft", "add", "patterned", "other", "--pattern", "second-factor", "apps", env=env).returncode == 2
    # Parts that it needs come along where they are not there; a place that is none is an error at once.
    lost = run(
        "draft", "add", "patterned", "lost", "--pattern", "only-from-places", "apps=post", "place=atlantis", env=env
    )
    assert (lost.returncode, "unknown-place" in lost.stdout) == (1, True), lost.stdout
    with kelpline.client("author") as author:
        assert {each.name for each in author.drafts.patterns()} >= {"second-factor", "enrolling"}
        for pattern, code in (("nothing-like-it", "bad-pattern"), ("second-factor", "policy-exists")):
            version = author.drafts.get("patterned").info.version
            request = PatternRequest(pattern=pattern, id="fares", blanks={"apps": "post"})
            with pytest.raises(Refused) as refused:
                author.drafts.add_from_pattern("patterned", version, request)
            assert refused.value.problem.code == code
        # Without an id of its own it has the one that follows from its title.
        unnamed = ("draft", "add", "patterned", "--pattern", "second-factor", "apps=post", "--title", "Mail, twice")
        assert "policies.mail-twice is in the draft" in run(*unnamed, env=env).stdout
        assert "has a policy `mail-twice`" in run(*unnamed, env=env).stderr
        assert "no id follows" in run(*unnamed[:-1], "2026", env=env).stderr
        value = author.drafts.look("patterned", "policies.fares").value
        assert (value["title"], value["apps"], "mode" in value) == ("Fares", ["farebox"], False)
        author.drafts.discard("patterned")
