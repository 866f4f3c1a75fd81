"""How the log of another system is read: which column is what, and how what stands in it is said here."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.attempts import unknown_fact
from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import ValueRefused, read_given, read_moment, show_moment, to_json

ID, OUTCOME, REASON = "id", "recorded.outcome", "recorded.reason"
BESIDE = (ID, OUTCOME, REASON)
SETS = (FactType.NAMES, FactType.METHODS)
# Ids whose spelling is the inventory's, where letters' case alone differs.
SPELLED = {"person.id": "people", "app.id": "apps", "device.id": "devices"}
# Formats of moments that are no directives for parts of a date.
EPOCH = {"epoch": 1.0, "epoch-ms": 1000.0}
MOST_WORDS = 1_000
LONGEST_FORMAT = 60


@dataclass(frozen=True, slots=True)
class ColumnRule:
    """What a column is.

    Attributes
    ----------
    to
        A fact, ``id``, ``recorded.outcome`` or ``recorded.reason``.
    split
        What stands between the members of a set; a comma when empty.
    words
        What is said there, in any letters' case, and how it is said here; an empty text is not reported.
    """

    to: str
    split: str = ""
    words: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class LogMapping:
    """How a log is read. Of NDJSON a column is a member, of nested objects with dots between the names.

    Attributes
    ----------
    columns
        By the column's name. Without one for ``id`` it is made from what the row holds.
    constants
        Facts that every row has, as text, where no column says otherwise.
    zone
        The IANA time zone of stamps that name no offset.
    moment
        How stamps are written, in the directives of ``strptime``, or ``epoch`` or ``epoch-ms``; RFC 3339 when empty.
    skip
        By column the texts, in any letters' case, whose rows are passed over.
    """

    columns: Mapping[str, ColumnRule]
    constants: Mapping[str, str] = field(default_factory=dict)
    zone: str = ""
    moment: str = ""
    skip: Mapping[str, Sequence[str]] = field(default_factory=dict)

    @property
    def makes_ids(self) -> bool:
        """Whether ids are made, as no column holds them."""
        return all(rule.to != ID for rule in self.columns.values())


def problems_of(mapping: LogMapping, catalogue: Catalogue) -> list[Diagnostic]:
    """Return what is wrong with a mapping by itself."""
    problems = []
    for column, rule in mapping.columns.items():
        spec = catalogue.get(rule.to)
        if spec is None and rule.to not in BESIDE:
            found = unknown_fact(rule.to, catalogue)
            hint = found.hint or did_you_mean(rule.to, BESIDE)
            problems.append(Diagnostic("unknown-fact", f"column {shorten(column)}: {found.message}", hint))
        if rule.split and (spec is None or spec.type not in SETS):
            message = f"column {shorten(column)}: `{shorten(rule.to)}` is no set, so there is nothing to split"
            problems.append(Diagnostic("wrong-value", message, "leave `split` out"))
        problems += _wrong_words(column, rule, spec)
    for name, text in mapping.constants.items():
        problems += _wrong_constant(name, text, catalogue)
    targets = [rule.to for rule in mapping.columns.values()]
    twice = sorted({target for target in targets if targets.count(target) > 1})
    problems += [Diagnostic("given-twice", f"several columns are `{shorten(target)}`") for target in twice]
    if "time.at" not in targets:
        problems.append(Diagnostic("missing-key", "no column is `time.at`", "every sign-in needs its moment"))
    problems += _wrong_moments(mapping)
    return problems


def _wrong_words(column: str, rule: ColumnRule, spec: FactSpec | None) -> Iterable[Diagnostic]:
    if len(rule.words) > MOST_WORDS:
        yield Diagnostic("wrong-value", f"column {shorten(column)}: at most {MOST_WORDS} words can be translated")
    if spec is None or not spec.words:
        return
    for said, word in rule.words.items():
        try:
            read_given(spec, word)
        except ValueRefused as refused:
            message = f"column {shorten(column)}, {shorten(said)}: {refused}"
            if word:
                yield Diagnostic("wrong-value", message, did_you_mean(word, refused.words), refused.words[:50])


def _wrong_constant(name: str, text: str, catalogue: Catalogue) -> Iterable[Diagnostic]:
    spec = catalogue.get(name)
    if spec is None:
        yield unknown_fact(name, catalogue)
        return
    try:
        read_given(spec, text)
    except ValueRefused as refused:
        yield Diagnostic("wrong-value", f"`{name}`: {refused}", did_you_mean(text, refused.words), refused.words[:50])


def _wrong_moments(mapping: LogMapping) -> Iterable[Diagnostic]:
    if mapping.zone:
        try:
            ZoneInfo(mapping.zone)
        except (KeyError, OSError, ValueError):
            message = f"there is no time zone `{shorten(mapping.zone)}`"
            yield Diagnostic("wrong-value", message, "an IANA name such as Europe/Oslo")
    if mapping.moment and mapping.moment not in EPOCH and not _is_format(mapping.moment):
        message = f"`{shorten(mapping.moment)}` says nothing of how a moment is written"
        yield Diagnostic("wrong-value", message, 'such as "%d.%m.%Y %H:%M:%S", or epoch, or epoch-ms')


def _is_format(text: str) -> bool:
    """Tell whether directives give back the day and the hour of what they write."""
    some = datetime(2026, 11, 2, 7, 10, tzinfo=UTC)
    try:
        back = datetime.strptime(some.strftime(text), text) if len(text) <= LONGEST_FORMAT else None  # noqa: DTZ007
    except (ValueError, re.error):
        return False
    return back is not None and (back.date(), back.hour) == (some.date(), some.hour)


def constants_of(mapping: LogMapping, catalogue: Catalogue) -> dict[str, object]:
    """Return the facts that every row has, as JSON."""
    return {name: to_json(read_given(catalogue[name], text)) for name, text in mapping.constants.items()}


def read_stamp(text: str, mapping: LogMapping) -> str:
    """Return a stamp of the log as RFC 3339, in UTC.

    Raises
    ------
    ValueRefused
        When it is not written as the mapping says, or names no offset and there is no zone.
    """
    shown = f'"{shorten(text)}"'
    scale = EPOCH.get(mapping.moment)
    try:
        if scale is not None:
            found = datetime.fromtimestamp(float(text) / scale, UTC)
        elif mapping.moment:
            found = datetime.strptime(text, mapping.moment)  # noqa: DTZ007 - the zone is set below
        else:
            found = datetime.fromisoformat(text)
    except (ValueError, OverflowError, OSError):
        expected = f"a moment written {mapping.moment}" if mapping.moment else "a moment such as 2026-11-02T07:10:00Z"
        raise ValueRefused(shown, expected) from None
    if found.tzinfo is None:
        if not mapping.zone:
            raise ValueRefused(shown, "a moment with its offset; say the `zone` of this log")
        found = found.replace(tzinfo=ZoneInfo(mapping.zone))
    try:
        return show_moment(read_moment(found.astimezone(UTC).isoformat()))
    except OverflowError:
        raise ValueRefused(shown, "a moment such as 2026-11-02T07:10:00Z") from None
