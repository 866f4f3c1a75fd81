"""Reading a rulebook: texts in, the model or every diagnostic out.

Not here: files and folders (the command line hands in their texts), lint.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from caddrel.core.diagnostics import Diagnostic, RulebookError, Span, did_you_mean, shorten
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.accepted import read_accepted
from caddrel.core.rulebook.read.fields import Reading
from caddrel.core.rulebook.read.guarantees import read_guarantees
from caddrel.core.rulebook.read.parts import read_apps, read_attributes, read_notices, read_proofs, read_standards
from caddrel.core.rulebook.read.password_standards import read_password_standards
from caddrel.core.rulebook.read.places import read_places
from caddrel.core.rulebook.read.policies import read_policies
from caddrel.core.rulebook.read.schedules import read_schedules
from caddrel.core.rulebook.read.settings import read_rehearsals, read_settings
from caddrel.core.rulebook.read.signals import read_signals
from caddrel.core.rulebook.source import Entry, Mapping, Node, Place, Scalar, Source, read_source, span_of

SECTIONS = (
    "settings",
    "attributes",
    "apps",
    "places",
    "standards",
    "password-standards",
    "schedules",
    "proofs",
    "notices",
    "signals",
    "policies",
    "guarantees",
    "rehearsals",
    "accepted",
)
FORMAT_VERSION = "1"


@dataclass(frozen=True, slots=True)
class ReadResult:
    """What reading gave: the rulebook when there were no errors, and all diagnostics in order of place."""

    rulebook: Rulebook | None
    diagnostics: tuple[Diagnostic, ...]

    def or_raise(self) -> Rulebook:
        """Return the rulebook.

        Raises
        ------
        RulebookError
            When there were errors.
        """
        if self.rulebook is None:
            raise RulebookError(self.diagnostics)
        return self.rulebook


def read_rulebook(sources: Source | Iterable[Source]) -> ReadResult:
    """Read one document, or the files of a folder whose sections are merged.

    Parameters
    ----------
    sources
        Named texts, YAML or JSON.
    """
    texts = [sources] if isinstance(sources, Source) else list(sources)
    reading = Reading()
    merged = _merge(reading, texts)
    if merged is None:
        return ReadResult(None, _ordered(reading.problems))
    rulebook = _read(reading, merged)
    problems = _ordered(reading.problems)
    failed = any(p.severity == "error" for p in problems)
    return ReadResult(None if failed else rulebook, problems)


def read_beside(rulebook: Rulebook, sources: Iterable[Source]) -> Rulebook:
    """Return a rulebook with more policies and guarantees in it, which may name what it has.

    It comes to what reading all of its documents with these would, but for where things stand.

    Parameters
    ----------
    sources
        Documents of the sections ``policies`` and ``guarantees`` alone, of ids that the rulebook does not have.

    Raises
    ------
    RulebookError
        When they cannot be read.
    ValueError
        When they hold other sections, or what the rulebook has already.
    """
    reading = Reading()
    reading.catalogue = rulebook.catalogue
    merged = _merge(reading, list(sources))
    if merged is None:
        raise RulebookError(_ordered(reading.problems))
    reading.ids = {section: list(getattr(rulebook, section.replace("-", "_"))) for section in _NAMED}
    policies, guarantees = read_policies(reading, merged), read_guarantees(reading, merged)
    if any(problem.severity == "error" for problem in reading.problems):
        raise RulebookError(_ordered(reading.problems))
    twice = (policies.keys() & rulebook.policies.keys()) | (guarantees.keys() & rulebook.guarantees.keys())
    others = {entry.key.text for entry in merged.entries} - {"policies", "guarantees"}
    if twice or others:
        raise ValueError(f"not to be read beside a rulebook: {sorted(twice | others)}")
    return replace(
        rulebook,
        policies={**rulebook.policies, **policies},
        guarantees={**rulebook.guarantees, **guarantees},
    )


# Sections whose ids conditions, selectors and effects may name.
_NAMED = tuple(name for name in SECTIONS if name not in {"settings", "attributes", "accepted"})


def _ordered(problems: list[Diagnostic]) -> tuple[Diagnostic, ...]:
    nowhere = Span("", 0, 0, 0, 0)

    def place(problem: Diagnostic) -> tuple[str, int, int]:
        span = problem.span or nowhere
        return span.file, span.line, span.column

    return tuple(sorted(problems, key=place))


def _merge(reading: Reading, sources: list[Source]) -> Mapping | None:
    """Merge the top levels; an id that two files give is reported, the first one kept."""
    start = Place(0, 0, 0)
    merged: Mapping | None = None
    versions = 0
    roots = []
    for source in sources:
        root, problems = read_source(source)
        reading.problems.extend(problems)
        if isinstance(root, Mapping):
            roots.append(root)
        elif root is not None or not problems:
            span = span_of(root) if root is not None else Span(source.name, 1, 1, 1, 2)
            message = "a rulebook is a mapping of sections" if root is not None else "this document is empty"
            reading.problems.append(Diagnostic("not-a-rulebook", message, "start with `caddrel: 1`", span=span))
    for root in roots:
        merged = merged or Mapping(start, start, root.source, False)
        for entry in root.entries:
            key = entry.key.text
            if key == "caddrel":
                versions += 1
                _check_version(reading, entry.value)
            elif key not in SECTIONS:
                hint = did_you_mean(key, SECTIONS, f"sections are: {', '.join(SECTIONS)}")
                reading.say(entry.key, "", "unknown-key", f"there is no section `{shorten(key)}`", hint, SECTIONS)
            else:
                _merge_section(reading, merged, entry)
    if roots and not versions:
        message = "the rulebook does not say which format it is written in"
        span = Span(roots[0].source.name, 1, 1, 1, 2)
        reading.problems.append(Diagnostic("missing-key", message, "start with `caddrel: 1`", ("caddrel",), span=span))
    return merged


def _check_version(reading: Reading, node: Node) -> None:
    if not isinstance(node, Scalar) or node.text != FORMAT_VERSION:
        hint = f"this release reads `caddrel: {FORMAT_VERSION}`"
        reading.say(node, "caddrel", "unknown-format", "this version of the format is not known", hint)


def _merge_section(reading: Reading, merged: Mapping, entry: Entry) -> None:
    present = merged.get(entry.key.text)
    if present is None:
        # A copy: the entries of later files are added to it.
        value = entry.value
        if isinstance(value, Mapping):
            value = Mapping(value.start, value.end, value.source, value.flow, list(value.entries))
        merged.entries.append(Entry(entry.key, value))
        return
    if not isinstance(present, Mapping) or not isinstance(entry.value, Mapping):
        reading.say(entry.key, entry.key.text, "duplicate-key", f"`{entry.key.text}` is given in two files")
        return
    taken = {e.key.text: e for e in present.entries}
    for item in entry.value.entries:
        if item.key.text in taken:
            first = span_of(taken[item.key.text].key)
            message = f"`{shorten(item.key.text)}` is given twice in `{entry.key.text}`"
            hint = f"the first is in {first.file}, line {first.line}"
            reading.say(item.key, f"{entry.key.text}.{shorten(item.key.text)}", "duplicate-id", message, hint)
        else:
            present.entries.append(item)


def _read(reading: Reading, document: Mapping) -> Rulebook:
    for entry in document.entries:
        reading.spans[entry.key.text] = span_of(entry.key)
        if isinstance(entry.value, Mapping):
            reading.ids[entry.key.text] = [inner.key.text for inner in entry.value.entries]
    reading.catalogue = read_attributes(reading, document)
    return Rulebook(
        settings=read_settings(reading, document),
        catalogue=reading.catalogue,
        apps=read_apps(reading, document),
        places=read_places(reading, document),
        standards=read_standards(reading, document),
        schedules=read_schedules(reading, document),
        proofs=read_proofs(reading, document),
        notices=read_notices(reading, document),
        signals=read_signals(reading, document),
        password_standards=read_password_standards(reading, document),
        policies=read_policies(reading, document),
        guarantees=read_guarantees(reading, document),
        rehearsals=read_rehearsals(reading, document),
        accepted=read_accepted(reading, document),
        spans=reading.spans,
    )
