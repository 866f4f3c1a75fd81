"""Reading the text of a condition into its tree.

A recursive-descent reader of the grammar of the reference page. It stops at the first word that cannot be understood;
what the words mean for the facts is checked by `checker`, which collects everything.
Not here: requirement formulas (`formulas`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import TypeVar

from caddrel.core.diagnostics import Diagnostic, Extent, did_you_mean, shorten
from caddrel.core.facts.types import FactType
from caddrel.core.language.lexer import Token, tokens
from caddrel.core.language.nodes import (
    And,
    Condition,
    During,
    FactTest,
    FromPlace,
    Not,
    Operand,
    Or,
    Passes,
    Surely,
)
from caddrel.core.language.operators import OPERATORS, SETS, Op, Operator

T = TypeVar("T")
DEEPEST = 50
LONGEST_LIST = 5_000
# So many conditions are remembered, of so many characters at most: whoever makes them up makes no more of them.
MOST_REMEMBERED, LONGEST_REMEMBERED = 8_192, 120

# The longest first: `is not one of` before `is not`.
_SPELLINGS = sorted(
    ((tuple(row.op.value.split()), row) for row in OPERATORS.values() if row.op.value), key=lambda each: -len(each[0])
)
# How a comparison is said elsewhere.
_ELSEWHERE = {
    "in": "is one of", "equals": "is", "equal": "is", "eq": "is", "ne": "is not", "differs": "is not",
    "includes": "has", "matches": "contains", "like": "contains", "gt": "is above", "lt": "is below",
    "ge": "is at least", "gte": "is at least", "le": "is at most", "lte": "is at most",
}  # fmt: skip
_AFTER_IS = ("not", "one", "at", "above", "below", "known", "unknown")
_VERBS = tuple(
    dict.fromkeys(
        op.value if op.value.split()[0] not in {"is", "has"} else op.value.split()[0] for op in OPERATORS if op.value
    )
)
_OPERANDS = {FactType.NAMES: "an id", FactType.METHODS: "an id", FactType.TEXT: "a text", FactType.PATH: "a path"}


class Stop(Exception):
    """Reading cannot go on; carries the diagnostic that says why."""

    def __init__(self, diagnostic: Diagnostic) -> None:
        super().__init__(diagnostic.message)
        self.diagnostic = diagnostic


class Reader:
    """A cursor over tokens, shared by the readers of conditions and of formulas."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens, self.problems = tokens(text)
        self.at = 0
        self.depth = 0

    @property
    def token(self) -> Token:
        """The token to be read next."""
        return self.tokens[self.at]

    def ahead(self, by: int = 1) -> Token:
        """Return the token `by` places on."""
        return self.tokens[min(self.at + by, len(self.tokens) - 1)]

    def take(self) -> Token:
        """Return the next token and move on."""
        token = self.token
        if token.kind != "end":
            self.at += 1
        return token

    def sees(self, *words: str) -> bool:
        """Tell whether these words come next, unquoted."""
        tokens, at = self.tokens, self.at
        for word in words:
            # The last token is the end of the text, and no word: nobody looks past it.
            token = tokens[at]
            if token.text != word or token.kind != "word":
                return False
            at += 1
        return True

    def accept(self, *words: str) -> bool:
        """Move past these words if they come next."""
        if self.sees(*words):
            self.at += len(words)
            return True
        return False

    def fail(self, code: str, message: str, hint: str = "", expected: tuple[str, ...] = ()) -> Stop:
        """Return the refusal of the token that comes next."""
        return Stop(Diagnostic(code, message, hint, expected, extent=self.token.extent))

    def expect(self, kind: str, after: str) -> Token:
        """Take a token of this kind or refuse."""
        if self.token.kind != kind:
            raise self.fail("expected", f"expected `{kind}` {after}, {self.at_cursor()}", "", (kind,))
        return self.take()

    def at_cursor(self) -> str:
        """Say what stands at the cursor."""
        return "but the text ends here" if self.token.kind == "end" else f"found `{shorten(self.token.text)}`"

    def since(self, start: Extent) -> Extent:
        """Return the extent from `start` to the last token taken."""
        return Extent(start.start, self.tokens[max(self.at - 1, 0)].extent.end)

    def deeper(self) -> None:
        """Count one level of nesting; refuse what nobody can read."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise self.fail(
                "too-deep", f"brackets and `not` go more than {DEEPEST} deep", "name a part and refer to it"
            )

    def value(self, what: str) -> Operand:
        """Take a value, bare or quoted."""
        if self.token.kind not in {"word", "quoted"}:
            raise self.fail("expected-value", f"expected {what}, {self.at_cursor()}")
        token = self.take()
        return Operand(token.text, token.extent)

    def listed(self, what: str) -> tuple[Operand, ...]:
        """Take a list in square brackets."""
        if self.token.kind != "[":
            raise self.fail("expected-list", f"expected a list, {self.at_cursor()}", "lists are written [a, b]")
        opening = self.take()
        found = [self.value(what)]
        while self.token.kind == ",":
            self.take()
            found.append(self.value(what))
        if self.token.kind != "]":
            hint = "separate values with commas" if self.token.kind != "end" else "close the list with ]"
            raise self.fail("expected", f"expected `,` or `]` in the list, {self.at_cursor()}", hint, (",", "]"))
        self.take()
        if len(found) > LONGEST_LIST:
            message = f"this list has {len(found)} values; at most {LONGEST_LIST} are read"
            raise Stop(Diagnostic("list-too-long", message, extent=self.since(opening.extent)))
        return tuple(found)

    def end(self, after: str) -> None:
        """Refuse anything that is left over."""
        if self.token.kind == "end":
            return
        text = self.token.text
        hint = did_you_mean(text, ("and", "or")) if self.token.kind == "word" else ""
        if self.token.kind == ")":
            hint = "there is a bracket too many"
        message = f"expected `and`, `or` or the end after {after}, found `{shorten(text)}`"
        raise self.fail("unexpected-word", message, hint, ("and", "or"))

    def chain(self, part: Callable[[], T]) -> tuple[str, list[T]]:
        """Read parts joined by one word; return the word, empty for a single part.

        A chain that mixes `and` and `or` is refused with its two bracketed readings.
        """
        starts = [self.token.extent.start]
        parts = [part()]
        word = "and" if self.sees("and") else "or" if self.sees("or") else ""
        while word and self.accept(word):
            starts.append(self.token.extent.start)
            parts.append(part())
        if word and self.sees("or" if word == "and" else "and"):
            raise self._mixed(word, starts[0], starts[-1], part)
        return word, parts

    def _mixed(self, word: str, first: int, last: int, part: Callable[[], object]) -> Stop:
        mixed = self.token.extent
        end = self.tokens[self.at - 1].extent.end
        joiner = self.take().text
        rest_start = self.token.extent.start
        try:
            part()
            rest = self.text[rest_start : self.tokens[self.at - 1].extent.end]
        except Stop:
            rest = "…"
        whole, tail = self.text[first:end], self.text[last:end]
        head = self.text[first:last].rstrip().removesuffix(word).rstrip()
        one, two = f"({whole}) {joiner} {rest}", f"{head} {word} ({tail} {joiner} {rest})"
        message = "`and` and `or` in one chain need brackets"
        return Stop(Diagnostic("mixed-and-or", message, f"write `{one}` or `{two}`", (one, two), mixed))


class _ConditionReader(Reader):
    def condition(self) -> Condition:
        start = self.token.extent
        word, parts = self.chain(self.negation)
        if not word:
            return parts[0]
        made = And if word == "and" else Or
        return made(tuple(parts), self.since(start))

    def negation(self) -> Condition:
        start = self.token.extent
        if self.sees("not") or self.sees("surely"):
            made = Not if self.take().text == "not" else Surely
            self.deeper()
            part = self.negation()
            self.depth -= 1
            return made(part, self.since(start))
        return self.test()

    def test(self) -> Condition:
        token = self.token
        if token.kind == "(":
            self.take()
            self.deeper()
            inner = self.condition()
            self.depth -= 1
            if self.token.kind != ")":
                if self.token.kind == "end":
                    raise self.fail("unclosed-bracket", "this bracket is never closed", "add )")
                self.end("the test")
            self.take()
            return inner
        if token.kind != "word":
            message = f"expected a test, {self.at_cursor()}"
            hint = "a test starts with a fact such as device.managed" if token.kind == "end" else ""
            raise self.fail("expected-test", message, hint)
        if self.accept("from"):
            return self._from(token)
        if self.accept("during"):
            return During(self.value("the name of a schedule"), self.since(token.extent))
        if token.text == "device" and self.ahead().text == "passes":
            self.at += 2
            return Passes(self.value("the name of a standard"), self.since(token.extent))
        return self._fact_test()

    def _from(self, start: Token) -> FromPlace:
        if self.accept("any", "of"):
            return FromPlace(self.listed("the name of a place"), True, self.since(start.extent))
        return FromPlace((self.value("the name of a place"),), False, self.since(start.extent))

    def _fact_test(self) -> FactTest:
        fact = self.take()
        op, operands = self._comparison(fact)
        return FactTest(fact.text, op, operands, self.since(fact.extent), fact.extent)

    def _comparison(self, fact: Token) -> tuple[Op, tuple[Operand, ...]]:
        for words, row in _SPELLINGS:
            if self.accept(*words):
                self._cut_short(row.op)
                return row.op, self._operands(row)
        for words, _ in _SPELLINGS:
            if len(words) == 2 and self.accept(words[0]):
                raise self.fail("expected", f"expected `{words[1]}` after `{words[0]}`, {self.at_cursor()}")
        token = self.token
        if token.kind == "word" and token.text not in {"and", "or"}:
            elsewhere = "is not one of" if token.text.lower() == "not" else _ELSEWHERE.get(token.text.lower(), "")
            hint = (
                f"did you mean `{elsewhere}`?"
                if elsewhere
                else did_you_mean(
                    token.text, (*dict.fromkeys(words[0] for words, _ in reversed(_SPELLINGS)), "and", "or")
                )
            )
            message = f"expected a comparison after `{shorten(fact.text)}`, found `{shorten(token.text)}`"
            raise self.fail("unexpected-word", message, hint, _VERBS)
        if token.kind in {"quoted", "[", "("}:
            message = f"expected a comparison after `{shorten(fact.text)}`, {self.at_cursor()}"
            raise self.fail("unexpected-word", message, "say how they compare, such as `is`", _VERBS)
        return Op.FLAG, ()

    def _operands(self, row: Operator) -> tuple[Operand, ...]:
        if row.operand == "none":
            return ()
        what = _OPERANDS.get(next(iter(row.types)), "a value") if len(row.types) <= len(SETS) else "a value"
        return self.listed(what) if row.operand == "list" else (self.value(what),)

    def _cut_short(self, op: Op) -> None:
        """Refuse a word after `is` that begins another comparison: it would be taken for a value."""
        if op is Op.IS_NOT and self.token.kind == "word" and self.token.text in _AFTER_IS:
            raise self._after_is_not()
        if op is Op.IS and self.sees("at"):
            self.take()
            raise self.fail(
                "expected", f"expected `least` or `most` after `at`, {self.at_cursor()}", "", ("least", "most")
            )
        if op is Op.IS and self.sees("one"):
            self.take()
            raise self.fail(
                "expected", f"expected `of` after `one`, {self.at_cursor()}", 'a value "one" needs quotes', ("of",)
            )

    def _after_is_not(self) -> Stop:
        word = self.token.text
        opposite = {
            "known": "write `is unknown`",
            "unknown": "write `is known`",
            "above": "write `is at most`",
            "below": "write `is at least`",
            "at": "write `is below` or `is above`",
            "not": "one `not` is enough",
            "one": "write `is not one of [a, b]`",
        }[word]
        message = f"`is not {word}` is not a comparison"
        return self.fail("unexpected-word", message, f'{opposite}; the value "{word}" needs quotes')


def parse_condition(text: str) -> tuple[Condition | None, list[Diagnostic]]:
    """Return the tree of a condition, or None, with every diagnostic found while reading.

    Parameters
    ----------
    text
        The condition as written; ``#`` starts a comment up to the end of the line.
    """
    tree, problems = _remembered(text) if len(text) <= LONGEST_REMEMBERED else _parse(text)
    return tree, list(problems)


def _parse(text: str) -> tuple[Condition | None, Sequence[Diagnostic]]:
    reader = _ConditionReader(text)
    if reader.problems:
        return None, reader.problems
    try:
        tree = reader.condition()
        reader.end("the test")
    except Stop as stop:
        return None, [stop.diagnostic]
    return tree, []


# A rulebook is read again at each edit, and nearly all of its conditions are as they were. A tree says nothing of where
# its text stood, and is never changed.
_remembered = lru_cache(maxsize=MOST_REMEMBERED)(_parse)
