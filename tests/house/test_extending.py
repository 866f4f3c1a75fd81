# ruff: noqa: E501 - a planted text stands as it will in its file
"""One of each is planted in a copy of the house: it works, and took as many places as `docs/extending.md` promises."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import pytest

import caddrel

SOURCE = Path(caddrel.__file__).parent
# A place that is edited: a file, what stands there, and what is put before it; of a new file only its text.
Edit = tuple[str, str, str]


@dataclass(frozen=True)
class Plant:
    """What is planted: the places, how many are promised, and what is asked of the house then."""

    promised: int
    edits: tuple[Edit, ...]
    works: str


_DECIDE = """
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.facts.attempts import read_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.language import examples
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.policies import policy_words

def decide(rules, facts):
    text = "caddrel: 1\\npolicies:\\n  p: {mode: enforced, rules: [" + rules + "]}\\n"
    rulebook = read_rulebook(Source("r", text)).or_raise()
    found = complete(read_facts(facts, rulebook.catalogue), rulebook.catalogue, {})
    explained = explain(rulebook, found)
    assert CompiledRulebook(rulebook).decide(found) == explained.decision
    assert policy_words(rulebook.policies["p"], rulebook)
    return explained.decision
"""

PLANTS = {
    "fact": Plant(
        2,
        (
            (
                "core/facts/catalogue.py",
                '    FactSpec("person.kind",',
                '    FactSpec("device.seat", FactType.WORD, "Where.", ("window", "aisle")),\n',
            ),
            (
                "core/language/examples.py",
                '    "person.kind": (',
                '    "device.seat": ("device.seat is aisle", "aisle"),\n',
            ),
        ),
        _DECIDE
        + """
from caddrel.core.rulebook.schema import rulebook_schema
condition, value = examples.FACTS["device.seat"]
assert decide("{when: " + condition + ", then: block}", {"device.seat": value}).outcome == "blocked"
assert decide("{when: " + condition + ", then: block}", {"device.seat": "window"}).outcome == "allowed"
assert decide("{when: " + condition + ", then: block}", {}).unknown == ("device.seat",)
""",
    ),
    "operator": Plant(
        4,
        (
            ("core/language/operators.py", '    KNOWN = "is known"', '    REPEATS = "repeats"\n'),
            (
                "core/language/operators.py",
                "        Operator(Op.KNOWN,",
                '        Operator(Op.REPEATS, "one", _TEXT, "The text twice."),\n',
            ),
            (
                "core/decide/interpreter/operators.py",
                "    Op.KNOWN: lambda",
                "    Op.REPEATS: lambda _kind, value, operands: fold(value) == fold(operands[0].text) * 2,\n",
            ),
            (
                "core/decide/compiled/expressions.py",
                "    Op.UNDER: _under,\n",
                '    Op.REPEATS: lambda value, test, _kind, names: f"(fold({value}) == {names.constant(fold(test.operands[0].text) * 2)})",\n',
            ),
            (
                "core/remedies/candidates.py",
                "        case Op.FLAG:\n",
                "        case Op.REPEATS:\n            return\n",
            ),
        ),
        _DECIDE
        + """
rule = '{when: client.name repeats "ping", then: block}'
assert decide(rule, {"client.name": "PingPing"}).outcome == "blocked"
assert decide(rule, {"client.name": "ping"}).outcome == "allowed"
assert not decide(rule, {}).certain
""",
    ),
    "requirement item": Plant(
        4,
        (
            ("core/language/nodes.py", '    "vetted client",\n', '    "calm sea",\n'),
            (
                "core/decide/requirements.py",
                '            case "new password":\n                if self',
                '            case "calm sea":\n                return truth_of("risk.attempt" not in self._values)\n',
            ),
            (
                "core/decide/requirements.py",
                '            case "notice" | "new password":\n                return True',
                '            case "calm sea":\n                return False\n',
            ),
            (
                "core/decide/requirements.py",
                '            case "new password":\n                return frozenset',
                '            case "calm sea":\n                return frozenset()\n',
            ),
            (
                "core/words/conditions.py",
                '        case "vetted client":\n',
                '        case "calm sea":\n            return say("a calm sea")\n',
            ),
            (
                "core/remedies/candidates.py",
                '            case "vetted client":\n',
                '            case "calm sea":\n                return\n',
            ),
        ),
        _DECIDE
        + """
assert decide("{then: require calm sea}", {}).outcome == "allowed"
blocked = decide("{then: require calm sea}", {"risk.attempt": "high"})
assert (blocked.outcome, [item.kind for item in blocked.in_the_way]) == ("blocked", ["calm sea"])
""",
    ),
    "lint": Plant(
        3,
        (
            (
                "core/lint/shouting.py",
                "",
                '"""Titles that shout."""\n\nfrom caddrel.core.lint.context import Context, Findings\n\nCODE = "title-shouts"\nCODES = {CODE: "tidiness"}\n\n\ndef check(context: Context) -> Findings:\n    """Find them."""\n    for policy in context.policies():\n        if policy.title.isupper():\n            yield context.finding(f"policies.{policy.id}", CODE, "it shouts", "speak")\n',
            ),
            ("core/lint/registry.py", "    unfit_requirements,\n    unused,\n)\nfrom", "    shouting,\n"),
            ("core/lint/registry.py", "    unused,\n)\nCHECKS", "    shouting,\n"),
            ("../../docs/lint/title-shouts.md", "", "# `title-shouts`\n"),
        ),
        """
from caddrel.service.rulebooks.publish import read_files
from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import CHECKS, lint
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
rulebook = read_rulebook(Source("r", "caddrel: 1\\npolicies:\\n  p: {title: STOP, rules: [{then: block}]}\\n")).or_raise()
assert "title-shouts" in CHECKS
assert "title-shouts" in [finding.code for finding in lint(Context(rulebook))]
""",
    ),
    "endpoint of a noun": Plant(
        3,
        (
            (
                "wire/audit.py",
                "class AuditPage(",
                'class AuditCount(msgspec.Struct, frozen=True):\n    """How many entries."""\n\n    count: int\n\n\n',
            ),
            (
                "service/views/audit.py",
                "@endpoints.add(",
                '@endpoints.add("GET", "/api/v1/audit/count", role="operator", returns=wire.AuditCount)\ndef count(call: Call) -> wire.AuditCount:\n    """How many entries there are."""\n    return wire.AuditCount(len(call.data.audit.entries(limit=5)))\n\n\n',
            ),
            (
                "client/caddrel.py",
                '    def list(self, search: str = "", before: int = 0',
                '    def count(self) -> audit.AuditCount:\n        """Return how many entries there are."""\n        return self._caller.get("/api/v1/audit/count", audit.AuditCount)\n\n',
            ),
        ),
        """
from caddrel.service.app import ENDPOINTS
from caddrel.client import Caddrel
[endpoint] = [each for each in ENDPOINTS if each.route == "/api/v1/audit/count"]
assert endpoint.role == "operator"
assert callable(Caddrel)
""",
    ),
}


@pytest.mark.parametrize("what", PLANTS)
def test_it_takes_as_many_places_as_promised(what: str, tmp_path: Path) -> None:
    plant = PLANTS[what]
    house = tmp_path / "src" / "caddrel"
    shutil.copytree(SOURCE, house, ignore=shutil.ignore_patterns("static", "__pycache__"))
    for file, there, put in plant.edits:
        path = house / file
        if not there:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(put, encoding="utf-8")
            continue
        text = path.read_text(encoding="utf-8")
        assert there in text, f"{file} has moved on: say where a {what} goes now"
        path.write_text(text.replace(there, put + there, 1), encoding="utf-8")
    # The example of an operator or item is counted with the table that asks for it.
    assert len({file for file, _, _ in plant.edits}) <= plant.promised
    environment = {**os.environ, "PYTHONPATH": str(house.parent), "PYTHONDONTWRITEBYTECODE": "1"}
    check = f"import caddrel; assert caddrel.__file__.startswith({str(house)!r})\n{plant.works}"
    done = subprocess.run(
        [sys.executable, "-c", check], env=environment, capture_output=True, text=True, check=False, cwd=tmp_path
    )
    assert done.returncode == 0, done.stderr
