"""Checking a candidate password against the standards that apply to a person and an app.

Nothing here keeps, prints or compares stored passwords: whether one was used before is asked of the caller.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import FALSE, any_true
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import fold
from caddrel.core.facts.values import show_duration
from caddrel.core.rulebook.model import PasswordStandard, Rulebook, Selector

LONGEST = 1000
SHORTEST_NAME = 3
CLASSES = ("lower-case letters", "capitals", "digits", "other characters")


@dataclass(frozen=True, slots=True)
class Failed:
    """One rule that a candidate does not meet; `rule` is its key under `must`, `says` a plain sentence."""

    rule: str
    says: str


@dataclass(frozen=True, slots=True)
class Checked:
    """A standard that applies, the rules that fail, and those that could not be checked."""

    standard: PasswordStandard
    failed: tuple[Failed, ...]
    not_checked: tuple[str, ...] = ()


def standards_for(rulebook: Rulebook, facts: Facts) -> list[PasswordStandard]:
    """Return the standards that apply to a person and an app; one that may apply, because facts are missing, does."""
    judge = Judge(rulebook, facts)

    def may_match(selectors: Sequence[Selector]) -> bool:
        return any_true(judge.judge(s.condition).truth for s in selectors) is not FALSE

    return [s for s in rulebook.password_standards.values() if may_match(s.people) and may_match(s.apps)]


def check_candidate(
    standards: Iterable[PasswordStandard],
    candidate: str,
    names: Iterable[str] = (),
    used_lately: Callable[[int], bool] | None = None,
    age: float | None = None,
) -> list[Checked]:
    """Return what every standard says of a candidate; it passes when no rule of any fails.

    Parameters
    ----------
    names
        The person's id and names, none of whose parts the password may contain.
    used_lately
        Tells whether it is among the person's last so many passwords; None when nobody knows.
    age
        Seconds since this password was set; None for a new one, or when nobody knows.
    """
    # One password in two Unicode spellings is one password (NIST SP 800-63B, section 5.1.1.2).
    text = unicodedata.normalize("NFC", candidate)
    return [_check(standard, text, list(names), used_lately, age) for standard in standards]


def _check(
    standard: PasswordStandard,
    text: str,
    names: list[str],
    used_lately: Callable[[int], bool] | None,
    age: float | None,
) -> Checked:
    must = standard.must
    failed: list[Failed] = []
    open_: list[str] = []
    length, classes, last, oldest = (_number(must.get(k)) for k in ("length", "classes", "not_last", "max_age"))
    if length and len(text) < length:
        failed.append(Failed("length", f"It has {len(text)} characters; {length} are needed."))
    if classes and len(classes_of(text)) < classes:
        listed = ", ".join(CLASSES)
        failed.append(Failed("classes", f"It has {_kinds(len(classes_of(text)))}; {classes} of {listed} are needed."))
    if last and used_lately is None:
        open_.append("not_last")
    elif last and used_lately is not None and used_lately(last):
        failed.append(Failed("not_last", f"It is one of the last {last} passwords."))
    if oldest and age is not None and age > oldest:
        failed.append(Failed("max_age", f"It is older than {show_duration(oldest)}."))
    if must.get("not_contain_name") is True and contains_name(text, names):
        failed.append(Failed("not_contain_name", "It contains a part of the person's name or id."))
    return Checked(standard, tuple(failed), tuple(open_))


def _number(value: object) -> int:
    return int(value) if isinstance(value, int | float) else 0


def _kinds(count: int) -> str:
    return "one kind of character" if count == 1 else f"{count} kinds of character"


def classes_of(text: str) -> set[str]:
    """Return which of the four classes of character a text has."""
    lower, capital, digit, other = CLASSES
    found = set()
    for char in text:
        if char.islower():
            found.add(lower)
        elif char.isupper():
            found.add(capital)
        else:
            found.add(digit if char.isnumeric() else other)
    return found


def contains_name(text: str, names: Iterable[str]) -> bool:
    """Tell whether a text contains a part of a name, of three letters or more, in any case."""
    folded = fold(text)
    parts = {part for name in names for part in re.split(r"[\W_]+", fold(name))}
    return any(len(part) >= SHORTEST_NAME and part in folded for part in parts)
