"""Rows of another system's log as lines of an import, by a mapping."""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import ValueRefused, read_duration, read_number, read_told
from caddrel.core.inventory.index import Inventory
from caddrel.core.logs.mapping import BESIDE, ID, SETS, SPELLED, ColumnRule, LogMapping, constants_of, read_stamp

_YES, _NO = {"yes", "y", "true", "1"}, {"no", "n", "false", "0"}
_DEEPEST = 6
LONGEST_RECORDED = 500
MADE = "row-"


class RowReader:
    """Reads the rows of one log, and counts values that were skipped and ids that were spelled differently.

    Parameters
    ----------
    inventory
        Whose spelling ids take where letters' case alone differs; as they are said without it.

    Attributes
    ----------
    skipped
        How many rows were passed over, as the mapping says.
    respelled
        How often an id was taken for one of the inventory: by fact, as it was said, and as it is there.
    """

    def __init__(self, mapping: LogMapping, catalogue: Catalogue, inventory: Inventory | None = None) -> None:
        self.skipped = 0
        self.respelled: Counter[tuple[str, str, str]] = Counter()
        self._mapping, self._catalogue, self._inventory = mapping, catalogue, inventory
        self._constants = constants_of(mapping, catalogue)
        self._skip = {column: {text.casefold() for text in texts} for column, texts in mapping.skip.items()}
        self._words = {
            column: {said.strip().casefold(): word for said, word in rule.words.items()}
            for column, rule in mapping.columns.items()
        }
        self._spellings: dict[str, dict[str, str]] = {}

    def missing(self, there: Sequence[str]) -> list[Diagnostic]:
        """Return findings for columns of the mapping that a file does not have, or has more than once."""
        twice = [column for column in self._mapping.columns if there.count(column) > 1]
        return [
            Diagnostic(
                "given-twice", f"the file has several columns `{shorten(column)}`", "name them apart in the file"
            )
            for column in twice
        ] + [
            Diagnostic("missing-column", f"the file has no column `{shorten(column)}`", did_you_mean(column, there))
            for column in dict.fromkeys([*self._mapping.columns, *self._skip])
            if column not in there
        ]

    def row(self, header: Sequence[str], cells: Sequence[str]) -> dict[str, Any] | None:
        """Return a row of a table as a line of an import, None for one to be passed over.

        Raises
        ------
        AttemptRefused
            Naming every cell that cannot be read, and a row with too few or too many.
        """
        if len(cells) != len(header):
            message = f"the row has {len(cells)} cells, the header {len(header)}"
            raise AttemptRefused([Diagnostic("wrong-cells", message)])
        return self._document(dict(zip(header, cells, strict=True)), lambda: "\x1f".join(cells))

    def member_row(self, document: Any) -> dict[str, Any] | None:
        """Return a JSON object as a line of an import, None for one to be passed over.

        Raises
        ------
        AttemptRefused
            As `row` does, and when it is no object.
        """
        if not isinstance(document, dict):
            raise AttemptRefused([Diagnostic("wrong-type", "a line holds one object")])
        return self._document(dict(members(document)), lambda: json.dumps(document, sort_keys=True))

    def _document(self, said: Mapping[str, Any], whole: Callable[[], str]) -> dict[str, Any] | None:
        if any(_text(said.get(column)).casefold() in texts for column, texts in self._skip.items()):
            self.skipped += 1
            return None
        facts = dict(self._constants)
        document: dict[str, Any] = {"facts": facts}
        problems: list[Diagnostic] = []
        for column, rule in self._mapping.columns.items():
            value = said.get(column)
            if value is None or (isinstance(value, str) and not value.strip()):
                continue
            if rule.to in BESIDE:
                text = self._translated(column, _text(value))
                if rule.to == ID:
                    document["id"] = text
                elif text:
                    document.setdefault("recorded", {})[rule.to.partition(".")[2]] = text[:LONGEST_RECORDED]
                continue
            try:
                found = self._value(column, rule, value)
                if found not in (None, "", []):
                    # Read once, to tell the column of what cannot be; what is on no list is kept as it was said.
                    read_told(self._catalogue[rule.to], found)
                    facts[rule.to] = found
            except ValueRefused as refused:
                message = f"{shorten(column)}, `{rule.to}`: {refused}"
                hint = did_you_mean(_text(value), refused.words)
                problems.append(Diagnostic("wrong-value", message, hint, path=rule.to))
        if problems:
            raise AttemptRefused(problems)
        if self._mapping.makes_ids:
            document["id"] = MADE + hashlib.sha256(whole().encode()).hexdigest()[:32]
        return document

    def _value(self, column: str, rule: ColumnRule, value: Any) -> Any:
        spec = self._catalogue[rule.to]
        if spec.type in SETS:
            items = value if isinstance(value, list) else str(value).split(rule.split or ",")
            said = [self._translated(column, _text(item)) for item in items]
            # One word there may be several here: "mfa" may stand for "pwd,otp".
            members = [part.strip() for each in said for part in (each.split(",") if self._words[column] else [each])]
            return _members(spec, [member for member in members if member])
        if not isinstance(value, str) and not self._words[column]:
            return read_stamp(_text(value), self._mapping) if spec.type is FactType.MOMENT else _plain(spec, value)
        text = self._translated(column, _text(value))
        if not text:
            return None
        if spec.type is FactType.MOMENT:
            return read_stamp(text, self._mapping)
        return self._spelled(rule.to, text) if rule.to in SPELLED else _from_text(spec, text)

    def _translated(self, column: str, text: str) -> str:
        return self._words[column].get(text.casefold(), text)

    def _spelled(self, fact: str, id: str) -> str:
        """Return an id as the inventory spells it, where there is one such alone."""
        if self._inventory is None:
            return id
        noun = SPELLED[fact]
        entries = getattr(self._inventory, noun)
        if id in entries:
            return id
        known = self._spellings.get(noun)
        if known is None:
            folded = Counter(each.casefold() for each in entries)
            known = {each.casefold(): each for each in entries if folded[each.casefold()] == 1}
            self._spellings[noun] = known
        found = known.get(id.casefold())
        if found is None:
            return id
        self.respelled[fact, id, found] += 1
        return found


def members(document: Mapping[str, Any], prefix: str = "", depth: int = 0) -> Iterator[tuple[str, Any]]:
    """Yield the members of an object, those of nested ones with dots between the names."""
    for name, value in document.items():
        if isinstance(value, dict) and depth < _DEEPEST:
            yield from members(value, f"{prefix}{name}.", depth + 1)
        else:
            yield f"{prefix}{name}", value


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value.strip() if isinstance(value, str) else str(value)


def _plain(spec: FactSpec, value: Any) -> Any:
    """Return a value that is not text as the fact's type wants it: a number where text is wanted becomes its digits."""
    as_text = isinstance(value, int | float) and not isinstance(value, bool)
    numbers = (FactType.NUMBER, FactType.DURATION, FactType.FLAG)
    return _text(value) if as_text and spec.type not in numbers else value


def _from_text(spec: FactSpec, text: str) -> Any:
    if spec.type is FactType.FLAG:
        if text.casefold() in _YES | _NO:
            return text.casefold() in _YES
        raise ValueRefused(f'"{shorten(text)}"', "yes or no")
    if spec.type is FactType.NUMBER:
        return read_number(text)
    if spec.type is FactType.DURATION and text.isascii() and text.isdigit() and len(text) < 13:
        return int(text)
    return text


def _members(spec: FactSpec, said: list[str]) -> Any:
    """Return a set as it is told; methods may carry ages: ``otp:15m``."""
    if spec.type is not FactType.METHODS:
        return said
    aged: dict[str, float | None] = {}
    for each in said:
        name, _, age = each.partition(":")
        aged[name] = read_duration(age) if age else None
    return aged if any(age is not None for age in aged.values()) else list(aged)
