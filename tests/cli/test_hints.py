"""Hints of the service say commands and options at the command line, not addresses and parameters."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live

import caddrel
from caddrel.cli.hints import own_words

SERVICE = Path(caddrel.__file__).parent / "service"
# A session of the console alone is asked for the first; the second is for who writes requests by hand.
_OF_OTHERS = ("/api/v1/session", "/api/openapi.json")


def _texts(node: ast.AST) -> Iterator[str]:
    """Yield the texts of what refuses something, blanks filled with a noun or a number."""
    if isinstance(node, ast.JoinedStr):
        text = "".join(str(p.value) if isinstance(p, ast.Constant) else "{}" for p in node.values)
        yield text.replace("/{}?", "/people?").replace("={}", "=12")
    elif isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    else:
        for inner in ast.iter_child_nodes(node):
            yield from _texts(inner)


def _hints() -> Iterator[str]:
    for path in sorted(SERVICE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            named = isinstance(node, ast.Assign) and any(getattr(t, "id", "") == "hint" for t in node.targets)
            called = isinstance(node, ast.Call) and getattr(node.func, "id", "") in {"ServiceError", "not_found"}
            if named or called:
                yield from _texts(node)


def test_no_address_and_no_parameter_is_left_in_a_hint() -> None:
    hints = [each for each in set(_hints()) if not any(other in each for other in _OF_OTHERS)]
    assert sum("/api/" in each for each in hints) > 3
    assert [each for each in hints if re.search(r"/api/|\b\w+=(yes|\d+)|\?\w+=", own_words(each))] == []


@pytest.mark.parametrize(
    ("command", "hint"),
    [
        (("groups", "add", "crew", "nobody.here"), "caddrel people list --search"),
        (("people", "show", "nobody.here"), "caddrel people list --search"),
        (("rulebook", "sheet", "nothing"), "caddrel rulebook show"),
    ],
)
def test_what_is_said_at_the_command_line(kelpline: Live, command: tuple[str, ...], hint: str) -> None:
    done = run(*command, env=kelpline.environment())
    assert done.returncode == 3
    assert hint in done.stderr
    assert "/api/" not in done.stderr


@pytest.mark.parametrize(
    "words",
    [
        ("replay", "--since", "1d", "--under"), ("prove", "--rulebook"), ("rulebook", "about", "app=a", "--rulebook"),
        ("devices", "failing", "crew-tablet", "--under"),
    ],
)  # fmt: skip
def test_a_draft_without_a_name_is_not_what_is_in_force(words: tuple[str, ...]) -> None:
    for empty in ("draft:", "draft: "):
        done = run(*words, empty, env={"CADDREL_URL": "http://127.0.0.1:9", "CADDREL_TOKEN": "x"})
        assert done.returncode == 2
        assert "write draft:NAME; see caddrel draft list" in done.stderr
