"""The house itself: sizes, sentences, codes, words, and what the core may load."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from functools import cache
from pathlib import Path
from typing import Any, cast

import pytest
from tests.house.codes import codes

import caddrel
from caddrel.demo.situations import SITUATIONS
from caddrel.service.app import ENDPOINTS
from caddrel.service.views.examples import BODIES
from caddrel.wire.decoding import convert

SOURCE = Path(caddrel.__file__).parent
ROOT = SOURCE.parents[1]
MODULES = sorted(p for p in SOURCE.rglob("*.py") if "migrations" not in p.parts)
CONSOLE = sorted(p for p in (ROOT / "console" / "src").rglob("*") if p.suffix in {".svelte", ".ts", ".css"})


@cache
def trees() -> dict[Path, ast.Module]:
    """Return what modules say, by their paths; read when a test asks, as each process that runs tests loads this."""
    return {path: ast.parse(path.read_text(encoding="utf-8")) for path in MODULES}


NO_NAMES = {"utils", "util", "helpers", "common", "manager", "misc"}


def test_a_module_is_one_concept_that_says_what_it_is() -> None:
    for path, tree in trees().items():
        assert ast.get_docstring(tree), f"{path}: start the module with a sentence of what lives here"
        assert path.read_text(encoding="utf-8").count("\n") <= 600, f"{path}: split it: one concept a file"
        assert path.stem not in NO_NAMES, f"{path}: name it for what it holds"


# Things that end as doings do.
_THINGS = ("encoding", "decoding", "wiring", "authoring", "mapping")


def test_modules_are_named_for_things_and_functions_are_of_a_size_to_read() -> None:
    for path, tree in trees().items():
        assert not path.stem.endswith("ing") or path.stem.endswith(_THINGS), f"{path}: name the thing, not the doing"
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef):
                assert _statements(node) <= 40, f"{path}: {node.name}: split it"


def _statements(node: ast.AST) -> int:
    """Count the statements of a function that are its own: functions in it are counted by themselves."""
    own = [child for child in ast.iter_child_nodes(node) if not isinstance(child, ast.FunctionDef | ast.ClassDef)]
    return sum(isinstance(child, ast.stmt) + _statements(child) for child in own)


def test_a_room_says_what_is_not_in_it() -> None:
    for room in sorted({path.parent for path in MODULES} - {SOURCE}):
        said = ast.get_docstring(trees()[room / "__init__.py"]) or ""
        assert "Not here: " in said, f"{room}: say what somebody might look for here, and where it is"


def test_every_room_is_on_the_plan() -> None:
    plan = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8").split("```")[1]
    rooms = {path.parent for path in MODULES if path.parent.parent in {SOURCE, SOURCE / "core", SOURCE / "service"}}
    assert len(rooms) > 30
    assert [room.name for room in sorted(rooms) if not re.search(rf"^ +{room.name}/\s", plan, re.MULTILINE)] == []


@pytest.mark.parametrize("folder", sorted({p.parent for p in (ROOT / "tests").rglob("test_*.py")}), ids=str)
def test_tests_are_where_their_source_is(folder: Path) -> None:
    there = folder.relative_to(ROOT / "tests")
    assert (SOURCE / there).is_dir() or there.parts[0] in {"console", "examples", "house"}


@pytest.mark.parametrize("page", sorted((ROOT / "docs").rglob("*.md")), ids=lambda p: p.name)
def test_files_that_pages_name_are_there(page: Path) -> None:
    text = page.read_text(encoding="utf-8")
    for name in re.findall(r"`([a-z_]+/[a-z_/]+\.(?:py|txt|yaml|md))`", text):
        assert any((root / name).is_file() for root in (SOURCE, ROOT)), name
    for name in re.findall(r"\]\((?!https?:|#)([^)#]+)", text):
        assert (page.parent / name).exists(), name


def test_every_body_has_an_example_that_is_one() -> None:
    for endpoint in ENDPOINTS:
        if endpoint.body is not None:
            assert convert(BODIES[endpoint.body], endpoint.body) is not None
            strict = (
                endpoint.body.__module__ == "caddrel.wire.authzen"
                or cast("Any", endpoint.body).__struct_config__.forbid_unknown_fields
            )
            assert strict, f"{endpoint.body.__name__}: what is not described is refused, but where a standard says not"


def test_components_are_small() -> None:
    large = {
        p.name: n for p in CONSOLE if (n := p.read_text(encoding="utf-8").count("\n")) > 200 and p.name != "types.ts"
    }
    assert set(large) <= {"app.css"}, f"split them: {large}"


def test_only_the_api_module_of_the_console_fetches_and_nothing_renders_markup() -> None:
    for path in CONSOLE:
        text = path.read_text(encoding="utf-8")
        assert "{@html" not in text, path
        assert not re.search(r"\bfetch\(", text) or path.name == "caller.ts", path


def test_nothing_decodes_into_a_type_that_another_thread_may_be_preparing() -> None:
    for path, tree in trees().items():
        if path.name == "decoding.py":
            continue
        loaded = [node for statement in tree.body if isinstance(statement, ast.Assign) for node in ast.walk(statement)]
        at_import = {id(node) for node in loaded}
        for node in ast.walk(tree):
            if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
                continue
            called = ast.unparse(node.func)
            typed = called.startswith("msgspec.") and "type" in {keyword.arg for keyword in node.keywords}
            assert not typed, f"{path}: {called}: use caddrel.wire.decoding"
            assert called != "msgspec.convert", f"{path}: {called}: use caddrel.wire.decoding"
            fixed = not called.endswith(".Decoder") or id(node) in at_import
            assert fixed, f"{path}: {called}: make it when the module is loaded"


def test_no_test_gives_up_on_a_service_that_is_only_slow() -> None:
    """By itself the client library gives up after five seconds, and the cores may be busy with something else."""
    calls = (
        (file, node)
        for file in (ROOT / "tests").rglob("*.py")
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8")))
        if isinstance(node, ast.Call) and ast.unparse(node.func) in _ASKING
    )
    assert [f"{file.name}:{c.lineno}" for file, c in calls if "timeout" not in {each.arg for each in c.keywords}] == []


_ASKING = {f"httpx.{name}" for name in ("get", "post", "put", "patch", "delete", "request", "stream", "Client")}


def test_every_code_has_a_case_and_is_explained() -> None:
    explained = (ROOT / "docs" / "diagnostics.md").read_text(encoding="utf-8")
    tests = [p for p in (ROOT / "tests").rglob("*") if p.suffix in {".py", ".txt"} and "house" not in p.parts]
    cases = "\n".join(p.read_text(encoding="utf-8") for p in tests)
    found = codes()
    assert len(found) > 60
    assert [c for c in sorted(found) if f"`{c}`" not in explained] == []
    assert [c for c in sorted(found) if not re.search(rf"(?<![\w-]){re.escape(c)}(?![\w-])", cases)] == []
    named = set(re.findall(r"^\| ((?:`[a-z-]+`(?:, )?)+)", explained, re.MULTILINE))
    assert {c for group in named for c in re.findall(r"`([a-z-]+)`", group)} <= found


def test_the_console_types_are_those_of_the_service() -> None:
    done = subprocess.run(
        [sys.executable, str(ROOT / "tools" / "console_types.py"), "--check"],
        check=False,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr


def test_the_core_loads_nothing_but_computation() -> None:
    script = (
        "import sys, pkgutil, importlib, caddrel.core as core\n"
        "for m in pkgutil.walk_packages(core.__path__, 'caddrel.core.'): importlib.import_module(m.name)\n"
        "print(' '.join(sorted({n.partition('.')[0] for n in sys.modules})))"
    )
    done = subprocess.run([sys.executable, "-c", script], check=True, capture_output=True, text=True)
    loaded = set(done.stdout.split())
    assert not loaded & {
        "flask",
        "sqlalchemy",
        "httpx",
        "click",
        "msgspec",
        "structlog",
        "sqlite3",
        "logging",
        "socket",
    }


def test_the_service_loads_no_solver_and_no_tables_until_it_is_asked_for_them() -> None:
    # Each takes as much memory as a service does, or has threads of its own; processes that it needs read them.
    script = "import sys, caddrel.wiring; print(' '.join({n.partition('.')[0] for n in sys.modules}))"
    done = subprocess.run([sys.executable, "-c", script], check=True, capture_output=True, text=True)
    assert not set(done.stdout.split()) & {"z3", "pyarrow", "dask", "distributed", "reportlab", "scim2_models"}


def test_security_names_tests_that_are_there() -> None:
    named = set(re.findall(r"`(test_\w+)`", (ROOT / "docs" / "security.md").read_text(encoding="utf-8")))
    written = "\n".join(p.read_text(encoding="utf-8") for p in (ROOT / "tests").rglob("*.py"))
    assert len(named) > 40
    assert sorted(name for name in named if f"def {name}(" not in written) == []


def test_every_situation_is_documented_with_its_command() -> None:
    text = (ROOT / "docs" / "demo.md").read_text(encoding="utf-8")
    for situation in SITUATIONS:
        assert f"| {situation.story} | `{situation.find}` |" in text


def test_documents_link_only_to_what_is_there() -> None:
    for path in (ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")):
        for target in re.findall(r"\]\(([^)#:]+)\)", path.read_text(encoding="utf-8")):
            assert (path.parent / target).exists(), f"{path.name} links to {target}"
    assert (ROOT / "README.md").read_text(encoding="utf-8").count("\n") <= 150


def test_what_is_remembered_has_a_name_and_an_end() -> None:
    for path, tree in trees().items():
        where = path.relative_to(SOURCE)
        for node in (n for n in ast.walk(tree) if isinstance(n, ast.FunctionDef)):
            for form in map(ast.unparse, node.decorator_list):
                if form in {"cache", "functools.cache"}:
                    assert not node.args.args, f"{where}: {node.name} remembers without an end"
                elif form.startswith(("lru_cache", "functools.lru_cache")):
                    assert "service" not in where.parts, f"{where}: {node.name}: take a Cache, which has a name"
                    assert "maxsize=" in form, f"{where}: say how much {node.name} remembers at most"
