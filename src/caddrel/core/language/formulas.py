"""Reading what a rule does: effects, and the requirement formulas of `require`.

Not here: when requirements are met (`decide.requirements`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.values import ValueRefused, read_duration
from caddrel.core.language.nodes import (
    ITEM_KINDS,
    NAMED_ITEMS,
    TIMED_ITEMS,
    AllOf,
    AnyOf,
    Formula,
    Item,
)
from caddrel.core.language.parser import Reader, Stop
from caddrel.core.meant import meant

EffectKind = Literal["allow", "block", "abstain", "require"]
EFFECTS: tuple[EffectKind, ...] = get_args(EffectKind)
MOST_ITEMS = 60


@dataclass(frozen=True, slots=True)
class Effect:
    """What a rule does: `kind` is one of ``allow block abstain require``; `formula` goes with the last."""

    kind: EffectKind
    formula: Formula | None = None


class _FormulaReader(Reader):
    count = 0

    def formula(self) -> Formula:
        start = self.token.extent
        word, parts = self.chain(self.part)
        if not word:
            return parts[0]
        made = AllOf if word == "and" else AnyOf
        return made(tuple(parts), self.since(start))

    def part(self) -> Formula:
        if self.token.kind == "(":
            self.take()
            self.deeper()
            inner = self.formula()
            self.depth -= 1
            if self.token.kind != ")":
                if self.token.kind == "end":
                    raise self.fail("unclosed-bracket", "this bracket is never closed", "add )")
                self.end("the requirement")
            self.take()
            return inner
        return self.item()

    def item(self) -> Item:
        start = self.token.extent
        kind = next((k for k in ITEM_KINDS if self.accept(*k.split())), None)
        if kind is None:
            text = self.token.text
            hint = did_you_mean(text, (k.split()[0] for k in ITEM_KINDS), f"one of: {', '.join(ITEM_KINDS)}")
            raise self.fail("expected-requirement", f"expected a requirement, {self.at_cursor()}", hint, ITEM_KINDS)
        name, name_extent = "", start
        if kind in NAMED_ITEMS:
            operand = self.value(f"the name of a {NAMED_ITEMS[kind]}")
            name, name_extent = operand.text, operand.extent
        within = None
        if self.sees("within"):
            if kind not in TIMED_ITEMS:
                raise self.fail("within-not-here", f"`{kind}` takes no `within`", "only mfa and proofs do")
            self.take()
            limit = self.value("a duration")
            try:
                within = read_duration(limit.text)
            except ValueRefused as refused:
                raise Stop(Diagnostic("wrong-value", str(refused), extent=limit.extent)) from None
        self.count += 1
        if self.count > MOST_ITEMS:
            raise self.fail("formula-too-long", f"a formula may have {MOST_ITEMS} items at most")
        return Item(kind, name, within, self.since(start), name_extent)


def parse_formula(text: str) -> tuple[Formula | None, list[Diagnostic]]:
    """Return the tree of a requirement formula, or None, with the diagnostics."""
    effect, problems = parse_effect(f"require {text}")
    return (effect.formula if effect else None), problems


def parse_effect(text: str) -> tuple[Effect | None, list[Diagnostic]]:
    """Return what a rule's ``then`` says, or None, with the diagnostics."""
    reader = _FormulaReader(text)
    if reader.problems:
        return None, reader.problems
    try:
        token = reader.token
        kind = next((k for k in EFFECTS if token.kind == "word" and token.text == k), None)
        if kind is None:
            hint = meant(token.text, EFFECTS, f"one of {', '.join(EFFECTS)}")
            if any(k.split()[0] == token.text for k in ITEM_KINDS):
                hint = f"did you mean `require {shorten(text)}`?"
            raise reader.fail("unknown-effect", f"expected an effect, {reader.at_cursor()}", hint, EFFECTS)
        reader.take()
        formula = reader.formula() if kind == "require" else None
        if kind == "require":
            reader.end("the requirement")
        elif reader.token.kind != "end":
            message = f"nothing can follow `{kind}`, {reader.at_cursor()}"
            raise reader.fail("unexpected-word", message, "conditions belong under `when`")
    except Stop as stop:
        return None, [stop.diagnostic]
    return Effect(kind, formula), []
