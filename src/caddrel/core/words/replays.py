"""What a replay came to in one sentence, and a text for each person whom it would hit."""

from __future__ import annotations

import re
from collections.abc import Mapping
from collections.abc import Set as AbstractSet

from caddrel.core.replay.tally import Tally
from caddrel.core.words.pieces import Sentence, counted, say

_PLACEHOLDER = re.compile(r"\{([a-z]+)\}")
# What a template may name.
PLACEHOLDERS = ("name", "person", "count", "last", "devices", "needs", "policies", "contact")
TEMPLATE = """Hello {name},

from soon on some of your sign-ins will come out differently: {count} of those of late would have, the last on {last}.
On: {devices}

What you need to do:
{needs}

If anything is unclear, ask {contact}.
"""


def replay_words(
    tally: Tally, with_factors: AbstractSet[str] = frozenset(), enrolling: AbstractSet[str] = frozenset()
) -> Sentence:
    """Return whom it would hit in one sentence, in people.

    Parameters
    ----------
    with_factors
        People of whom it is known that they have a factor for whatever they would be asked for.
    enrolling
        People who would not be stopped if they enrolled a factor first.
    """
    if not tally.attempts.count:
        return say("No sign-in was found to replay.")
    if not tally.changed.count:
        return say(f"Nothing changes: all {tally.attempts.count:,} sign-ins come out as before.")
    stopped = _people(tally, ("allowed", "challenged"), "blocked")
    asked = _people(tally, ("allowed",), "challenged")
    let_in = _people(tally, ("blocked",), "allowed") | _people(tally, ("blocked",), "challenged")
    spared = _people(tally, ("challenged",), "allowed")
    said = []
    if stopped:
        lacking = _of_them(stopped & enrolling, stopped, "for want of a factor that could be enrolled")
        said.append(f"{_count(stopped)} would be stopped who {_verb(stopped, 'gets', 'get')} in today{lacking}")
    if asked:
        able = _of_them(asked & with_factors, asked, "with a factor for it")
        said.append(f"{_count(asked)} would be asked for more than today{able}")
    if let_in:
        said.append(f"{_count(let_in)} would get in who {_verb(let_in, 'is', 'are')} stopped today")
    if spared:
        said.append(f"{_count(spared)} would be asked for less than today")
    if not said:
        # Of attempts of nobody who is known there are no people to count.
        return say(f"{counted(tally.changed.count, 'sign-in')} of unknown people would come out otherwise.")
    return say("; ".join(said), ".")


def _people(tally: Tally, before: tuple[str, ...], after: str) -> set[str]:
    found: set[str] = set()
    for word in before:
        counted = tally.flows.get((word, after))
        if counted is not None:
            found |= counted.people
    return found


def _of_them(some: AbstractSet[str], people: AbstractSet[str], what: str) -> str:
    """Return what is so of some of these people, after a comma; of none nothing."""
    if not some:
        return ""
    if len(people) == 1:
        return f", {what}"
    return f", {'all' if len(some) == len(people) else f'{len(some):,}'} of them {what}"


def _count(people: set[str]) -> str:
    return f"{len(people):,} {'person' if len(people) == 1 else 'people'}"


def _verb(people: set[str], one: str, many: str) -> str:
    return one if len(people) == 1 else many


def unknown_placeholders(template: str) -> list[str]:
    """Return what a template names that there is not."""
    return sorted({match for match in _PLACEHOLDER.findall(template) if match not in PLACEHOLDERS})


def filled(template: str, values: Mapping[str, str]) -> str:
    """Return a template filled for one person, once: what is filled in is not read again."""
    return _PLACEHOLDER.sub(lambda match: values.get(match[1], match[0]), template)
