"""Writes the reference of language and format from their tables: `python tools/build_reference.py [--check]`."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path

from caddrel.core.facts.catalogue import FACTS
from caddrel.core.language import examples
from caddrel.core.language.nodes import ITEM_KINDS
from caddrel.core.language.operators import OPERATORS
from caddrel.core.rulebook.examples import KEYS
from caddrel.core.rulebook.read.rulebook import SECTIONS

TARGET = Path(__file__).parent.parent / "docs" / "language.md"
_START = """# The language and the format, row by row

Written by `tools/build_reference.py` from the tables that the program itself works with; a test executes every
example. [The guide](rulebook.md) explains how it all fits together.
"""


def _table(columns: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    lines = [f"| {' | '.join(columns)} |", f"|{'---|' * len(columns)}"]
    lines += [f"| {' | '.join(cell.replace('|', chr(92) + '|') for cell in row)} |" for row in rows]
    return "\n".join(lines)


def _code(text: str) -> str:
    return f"`{text}`"


def _facts() -> str:
    rows = []
    for spec in FACTS.values():
        few = spec.words and len(spec.words) <= 9
        words = f" One of: {', '.join(spec.words)}." if few else ""
        condition, value = examples.FACTS[spec.name]
        shown = json.dumps(value, ensure_ascii=False)
        rows.append((_code(spec.name), spec.type.value, f"{spec.doc}{words}", _code(condition), _code(shown)))
    return _table(("fact", "type", "says", "example", "true for"), rows)


def _operators() -> str:
    rows = []
    for op, row in OPERATORS.items():
        operand = {"none": "", "one": " VALUE", "list": " [VALUE, …]"}[row.operand]
        types = "every type" if len(row.types) > 12 else ", ".join(sorted(row.types))
        condition, yes, no = examples.OPERATORS[op]
        shown = [_code(json.dumps(facts, ensure_ascii=False)) for facts in (yes, no)]
        rows.append((f"`{('FACT ' + op.value + operand).strip()}`", types, row.doc, _code(condition), *shown))
    return _table(("test", "types", "means", "example", "true for", "false for"), rows)


def _tests() -> str:
    rows = [
        (_code(form), doc, _code(condition), *(_code(json.dumps(facts, ensure_ascii=False)) for facts in (yes, no)))
        for form, (doc, condition, yes, no) in examples.TESTS.items()
    ]
    return _table(("form", "means", "example", "true for", "false for"), rows)


def _items() -> str:
    rows = []
    for kind in ITEM_KINDS:
        doc, item, facts, attainable = examples.ITEMS[kind]
        shown = _code(json.dumps(facts, ensure_ascii=False))
        rows.append((_code(kind), doc, _code(item), shown, "yes" if attainable else "no"))
    return _table(("item", "met when", "example", "met by", "can be met at the door"), rows)


def _keys() -> str:
    parts = []
    for section in ("caddrel", *SECTIONS):
        rows = []
        for path, (doc, example) in KEYS.items():
            first, *rest = path.split(".")
            if first == section:
                key = ".".join([first, *(["ID", *rest[1:]] if rest and first not in {"settings"} else rest)])
                key = key.replace(".rules.0", ".rules[]").replace(".checks.encrypted", ".checks.ID")
                rows.append((_code(key), doc, _code(example)))
        parts.append(_table(("key", "says", "example"), rows))
    return "\n\n".join(parts)


def reference() -> str:
    """Return the page."""
    parts = [
        ("Facts", _facts()),
        ("Tests of facts", _operators()),
        ("Other tests, and joining them", _tests()),
        ("Requirements", _items()),
        ("Keys of the rulebook", _keys()),
    ]
    return _START + "".join(f"\n## {title}\n\n{text}\n" for title, text in parts)


def main(check: bool) -> int:
    """Write the page, or tell whether it is current."""
    text = reference()
    if check and TARGET.read_text(encoding="utf-8") != text:
        print(f"{TARGET.name} is not current: run `make reference`", file=sys.stderr)
        return 1
    if not check:
        TARGET.write_text(text, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main("--check" in sys.argv[1:]))
