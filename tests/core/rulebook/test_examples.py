"""Every example of the reference: it is there for every row of the tables, and it is true."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest
import yaml

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.facts.attempts import read_facts
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.inventory.completion import complete
from caddrel.core.language import examples
from caddrel.core.language.nodes import ITEM_KINDS
from caddrel.core.language.operators import OPERATORS
from caddrel.core.rulebook.edit.writer import format_rulebook
from caddrel.core.rulebook.examples import DOCUMENT, KEYS
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.schema import rulebook_schema
from caddrel.core.rulebook.source import Source

ROOT = Path(__file__).parents[3]


def _rulebook(when: str, then: str = "block") -> Rulebook:
    document = yaml.load(DOCUMENT, yaml.BaseLoader)
    rule = {"then": then} | ({"when": when} if when else {})
    document["policies"] = {"p": {"mode": "enforced", "operations": list(FACTS["operation"].words), "rules": [rule]}}
    return read_rulebook(Source("r", yaml.dump(document))).or_raise()


def _truth(condition: str, facts: Mapping[str, Any]) -> str:
    rulebook = _rulebook(condition)
    # Offline completion without an inventory: flow and operation are the only defaults.
    completed = complete(read_facts(facts, rulebook.catalogue), rulebook.catalogue, {})
    explained = explain(rulebook, completed)
    assert CompiledRulebook(rulebook).decide(completed) == explained.decision
    return explained.policies[0].rules[0].truth.word


def test_every_row_of_every_table_has_an_example() -> None:
    assert list(examples.FACTS) == list(FACTS)
    assert list(examples.OPERATORS) == list(OPERATORS)
    assert set(examples.ITEMS) == set(ITEM_KINDS)


@pytest.mark.parametrize("name", FACTS)
def test_the_example_of_a_fact_is_true(name: str) -> None:
    condition, value = examples.FACTS[name]
    assert _truth(condition, {name: value}) == "true"
    always = name in {"operation", "flow"} or condition.startswith("surely")
    assert _truth(condition, {}) == ("false" if always else "unknown")


_FORMS = [
    *((op.name, OPERATORS[op].operand, *row) for op, row in examples.OPERATORS.items()),
    *((form, "", *row[1:]) for form, row in examples.TESTS.items()),
]


@pytest.mark.parametrize(("form", "operand", "condition", "yes", "no"), _FORMS, ids=[form[0] for form in _FORMS])
def test_the_example_of_a_test_is_true_and_false(form: str, operand: str, condition: str, yes: Any, no: Any) -> None:
    assert (_truth(condition, yes), _truth(condition, no)) == ("true", "false")


@pytest.mark.parametrize("kind", ITEM_KINDS)
def test_the_example_of_an_item_is_met(kind: str) -> None:
    _, item, facts, attainable = examples.ITEMS[kind]
    rulebook = _rulebook("", f"require {item}")
    every = {"person.factors": ["password", "security-key"], "auth.methods": [], "auth.notices": []}
    outcomes = []
    for said in (facts, every):
        completed = complete(read_facts(said, rulebook.catalogue), rulebook.catalogue, {})
        outcomes.append(explain(rulebook, completed).decision.outcome)
    assert outcomes == ["allowed", "challenged" if attainable else "blocked"]


def _paths(schema: Mapping[str, Any], at: str = "") -> Iterator[str]:
    """Yield every key that the JSON Schema of the format knows; ids are left out."""
    if schema.get("items"):
        yield from _paths(schema["items"], at)
    for name, inner in schema.get("properties", {}).items():
        if name not in {"title", "note"}:
            path = f"{at}.{name}".strip(".")
            yield path
            yield from _paths(inner, path)
    if isinstance(schema.get("additionalProperties"), dict):
        yield from _paths(schema["additionalProperties"], at)


def _plain(path: str) -> str:
    first, *rest = path.split(".")
    if first != "settings":
        rest = rest[1:]
    return ".".join(part for part in (first, *rest) if part not in {"0", "encrypted"})


def test_every_key_of_the_format_has_an_example() -> None:
    known = {p for p in _paths(rulebook_schema()) if ".without." not in p and ".for." not in p and ".where" not in p}
    sections = {p for p in known if "." not in p} - {"caddrel", "attributes"}
    assert known - sections == {_plain(p) for p in KEYS} - {"policies.title", "policies.note"}


@pytest.mark.parametrize("path", KEYS)
def test_the_example_of_a_key_is_read_and_kept(path: str) -> None:
    document = yaml.load(DOCUMENT, yaml.BaseLoader)
    *way, last = path.split(".")
    if way[:1] == ["attributes"]:
        way, last = [], "attributes"
    node: Any = document
    for part in way:
        node = node[int(part)] if isinstance(node, list) else node.setdefault(part, {})
    node[last] = yaml.load(KEYS[path][1], yaml.BaseLoader)
    if path.startswith("password-standards") and ".lock." in path:
        node.update({k: v for k, v in {"after": "5", "within": "15m", "for": "30m"}.items() if k not in node})
    result = read_rulebook(Source("r", yaml.dump(document)))
    assert [d for d in result.diagnostics if d.severity == "error"] == []
    written = yaml.load(format_rulebook(Source("r", yaml.dump(document))), yaml.BaseLoader)
    for part in way:
        written = written[int(part)] if isinstance(written, list) else written[part]
    assert last in written


def test_the_page_is_current() -> None:
    command = [sys.executable, str(ROOT / "tools" / "build_reference.py"), "--check"]
    done = subprocess.run(command, check=False, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
