"""Patterns of policies: what a policy is for, said as a sentence with blanks; filled in, a policy to go on from."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.rulebook.edit.values import plain
from caddrel.core.rulebook.source import Source, read_source

NAMES = (
    "second-factor", "company-devices", "device-standard", "only-from-places", "not-from-places", "in-hours",
    "risk-seen", "own-devices-or-factor", "old-programs", "enrolling", "guests-notice",
)  # fmt: skip
# Blanks that are filled with several names, set apart by commas.
LISTS = ("people", "apps")
_BLANK = re.compile(r"\{([a-z]+)\}")
# What texts for people are filled with when somebody is stopped: not blanks of a pattern.
_LATER = ("app", "contact", "fixes", "reference")


@dataclass(frozen=True, slots=True)
class Blank:
    """What is to be filled in.

    Attributes
    ----------
    kind
        ``people`` or ``apps``, a part of the rulebook such as ``place``, ``duration`` or ``level``.
    otherwise
        What stands there when nothing is said; empty where something has to be.
    """

    asks: str
    kind: str
    otherwise: str = ""


# Of blanks that name a part, the section that has those to choose from.
SECTIONS = {"place": "places", "standard": "standards", "schedule": "schedules", "notice": "notices"}


@dataclass(frozen=True, slots=True)
class Pattern:
    """A policy with blanks.

    Attributes
    ----------
    says
        The sentence, with the blanks in braces.
    parts
        By section the parts of the rulebook that it needs, added where they are not there.
    """

    name: str
    title: str
    says: str
    blanks: Mapping[str, Blank]
    policy: Mapping[str, Any]
    parts: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)

    def filled(self, given: Mapping[str, str]) -> tuple[dict[str, Any], list[Diagnostic]]:
        """Return the policy as plain values, and what is wrong with what was given.

        Parameters
        ----------
        given
            By blank what stands there; several names are set apart by commas.
        """
        problems = [
            Diagnostic("unknown-key", f"`{self.name}` has no blank `{shorten(name)}`", did_you_mean(name, self.blanks))
            for name in given
            if name not in self.blanks
        ]
        said = {name: given.get(name, "").strip() or blank.otherwise for name, blank in self.blanks.items()}
        problems += [
            Diagnostic("missing-key", f"`{name}` is to be filled in: {self.blanks[name].asks}")
            for name, text in said.items()
            if not text
        ]
        return self._fill(dict(self.policy), said), problems

    def _fill(self, value: Any, said: Mapping[str, str]) -> Any:
        if isinstance(value, dict):
            return {key: self._fill(each, said) for key, each in value.items()}
        if isinstance(value, list):
            return [self._fill(each, said) for each in value]
        whole = _BLANK.fullmatch(value)
        if whole is not None and whole[1] in LISTS and whole[1] in said:
            return [each.strip() for each in said[whole[1]].split(",") if each.strip()]
        return _BLANK.sub(lambda found: said.get(found[1], found[0]) if found[1] not in _LATER else found[0], value)


@cache
def patterns() -> tuple[Pattern, ...]:
    """Return all patterns."""
    return tuple(_pattern(name) for name in NAMES)


def _pattern(name: str) -> Pattern:
    text = files("caddrel.core.rulebook").joinpath("patterns", f"{name}.yaml").read_text(encoding="utf-8")
    root, _ = read_source(Source(name, text))
    assert root is not None
    document: Any = plain(root)
    blanks = {key: Blank(**blank) for key, blank in document["blanks"].items()}
    return Pattern(name, document["title"], document["says"], blanks, document["policy"], document.get("parts", {}))
