"""The JSON Schema says of a document's shape what the reader says."""

from __future__ import annotations

import json
from typing import Any

import pytest
import yaml
from hypothesis import given, settings
from tests.core.rulebook.read.test_rulebook import KELPLINE
from tests.json_schema import validator
from tests.loading import CASES, RulebookCase, decision_cases, rulebook_cases
from tests.strategies import rulebooks

from caddrel.core.rulebook.read.rulebook import SECTIONS, read_rulebook
from caddrel.core.rulebook.schema import rulebook_schema
from caddrel.core.rulebook.source import Source

SCHEMA = rulebook_schema()
# What is wrong with the shape alone; what words mean is for the reader.
SHAPE = {"unknown-key", "missing-key", "one-bound", "unknown-format"}


def _document(text: str) -> Any:
    """Return a document as the reader sees it: all text."""
    return yaml.load(text, yaml.BaseLoader)


def _good() -> dict[str, str]:
    found = {f"{case.file}": case.rulebook for case in decision_cases()}
    found |= {f"lint: {case.title}": case.text for case in rulebook_cases("lint/cases.txt")}
    found["kelpline"] = KELPLINE.read_text(encoding="utf-8")
    found["manifest"] = (CASES / "manifest.yaml").read_text(encoding="utf-8")
    return found


def test_the_schema_is_one_and_knows_every_section() -> None:
    validator(SCHEMA).check_schema(SCHEMA)
    assert set(SCHEMA["properties"]) == {"caddrel", *SECTIONS}


@pytest.mark.parametrize("name", _good())
def test_what_the_reader_takes_is_valid(name: str) -> None:
    text = _good()[name]
    read_rulebook(Source("r", text)).or_raise()
    assert [e.message for e in validator(SCHEMA).iter_errors(_document(text))] == []


def _misshapen() -> list[RulebookCase]:
    return [case for case in rulebook_cases("rulebooks/diagnostics.txt") if SHAPE & case.codes]


@pytest.mark.parametrize("case", _misshapen(), ids=lambda c: c.title)
def test_a_wrong_shape_is_invalid(case: RulebookCase) -> None:
    assert not validator(SCHEMA).is_valid(_document(case.text))


@given(rulebooks())
@settings(max_examples=60, deadline=None)
def test_random_rulebooks_are_valid(text: str) -> None:
    assert validator(SCHEMA).is_valid(json.loads(text))
