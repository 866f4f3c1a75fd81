"""Reads the text cases: a rulebook, then cases of title, facts and expected decision."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import yaml

CASES = Path(__file__).parent / "cases"
_LISTS = ("outstanding", "in_the_way", "unknown")


@dataclass(frozen=True)
class DecisionCase:
    file: str
    title: str
    rulebook: str
    facts: dict[str, Any]
    expected: dict[str, Any]
    texts: tuple[str, ...]


def decision_cases() -> list[DecisionCase]:
    """Return all decision cases; a file without cases, a case expecting nothing, a title used twice are errors."""
    found: list[DecisionCase] = []
    for path in sorted((CASES / "decisions").glob("*.txt")):
        rulebook, *blocks = path.read_text(encoding="utf-8").split("\n== ")
        assert blocks, f"{path.name} has no cases"
        for block in blocks:
            title, rest = block.split("\n", 1)
            facts, arrow, expected = rest.partition("\n=> ")
            assert arrow, f"{path.name}: “{title}” expects nothing"
            found.append(_case(path.stem, title.strip(), rulebook, json.loads(facts), expected.strip().splitlines()))
    titles = [(case.file, case.title) for case in found]
    assert len(set(titles)) == len(titles), "a title is used twice in one file"
    return found


def _case(file: str, title: str, rulebook: str, facts: dict[str, Any], lines: list[str]) -> DecisionCase:
    outcome, *words = lines[0].split()
    certain = "undetermined" not in words
    reason = next((w for w in words if w != "undetermined"), None)
    expected: dict[str, Any] = {
        "outcome": outcome,
        "reason": reason,
        "certain": certain,
        "deciding": [],
        "keep": {},
        "shadow": {"each": {}, "together": outcome},
        "tell": [],
        "revision": None,
    } | {name: [] for name in _LISTS}
    texts = []
    for line in lines[1:]:
        key, _, value = line.partition(": ")
        if key == "deciding":
            expected["deciding"] = [dict(zip(("policy", "rule"), r.split("/"), strict=True)) for r in value.split(", ")]
        elif key in _LISTS:
            expected[key] = value.split(", ")
        elif key == "keep":
            pairs = (pair.partition("=") for pair in value.split())
            expected["keep"] = {name: int(number) if equals else True for name, equals, number in pairs}
        elif key == "shadow":
            each = dict(pair.split("=", 1) for pair in value.split())
            expected["shadow"] = {"together": each.pop("together"), "each": each}
        elif key == "told":
            who, _, text = value.partition(" ")
            policy, _, rule = who.partition("/")
            expected["tell"].append(
                {"policy": None, "rule": None} if who == "default" else {"policy": policy, "rule": rule}
            )
            texts.append(text)
        else:
            raise AssertionError(f"{file}: “{title}”: unknown line {line!r}")
    return DecisionCase(file, title, rulebook, facts, expected, tuple(texts))


@dataclass
class RulebookCase:
    title: str
    lines: list[str] = field(default_factory=list)
    expected: list[str] = field(default_factory=list)

    @property
    def text(self) -> str:
        return "\n".join(self.lines) + "\n"

    @property
    def places(self) -> list[str]:
        """Return code and place of each expected finding."""
        return [" ".join(line.split(" ")[:2]).rstrip(":") for line in self.expected]

    @property
    def codes(self) -> set[str]:
        return {line.split()[0] for line in self.expected}


def rulebook_cases(name: str) -> list[RulebookCase]:
    """Return cases of a title, a rulebook and its findings; one that expects nothing at all is an error."""
    cases: list[RulebookCase] = []
    for line in (CASES / name).read_text(encoding="utf-8").splitlines():
        if line.startswith("> "):
            cases.append(RulebookCase(line[2:]))
        elif line.startswith("! "):
            cases[-1].expected.append(line[2:])
        elif cases and not cases[-1].expected:
            cases[-1].lines.append(line)
    assert all(case.expected for case in cases), name
    assert len({case.title for case in cases}) == len(cases), f"{name}: a title is used twice"
    return cases


def signal_cases(path: Path) -> list[dict[str, Any]]:
    """Return the cases of signals, each with the definitions it is about."""
    groups = yaml.safe_load(path.read_text(encoding="utf-8"))
    return [{**case, "signals": json.dumps(group["signals"])} for group in groups for case in group["cases"]]
