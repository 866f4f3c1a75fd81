"""The check-up: ready safeguards, each passed, failed with an attempt that shows it, or not for this company.

Most are guarantees, proven. A remedy is a policy, and is itself proven to mend what failed before it is offered.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Container, Iterator, Mapping
from dataclasses import replace
from itertools import chain, count
from typing import Any

from caddrel.core.prove.guarantees import Prover
from caddrel.core.prove.looked_at import look_at
from caddrel.core.prove.safeguards import Checked, Company, Remedy, Safeguard, safeguards
from caddrel.core.rulebook.edit.values import with_value
from caddrel.core.rulebook.read.rulebook import read_beside
from caddrel.core.rulebook.source import Source

_BLANK = re.compile(r"\{([a-z]+)\}")
# What texts for people are filled with when somebody is stopped.
_LATER = ("app", "contact", "fixes", "reference")
# Before the names of guarantees and policies that a check-up adds.
PREFIX = "safeguard-"


def check_up(company: Company, left: Callable[[], float], only: str = "") -> Iterator[Checked]:
    """Yield each safeguard with its result: all of them, or the one named."""
    wanted = [each for each in safeguards() if not only or each.name == only]
    asking = {each.name: each for each in wanted if each.guarantee is not None and not _missing(company, each)}
    proofs = _Proofs(company, asking, left)
    for safeguard in wanted:
        missing = _missing(company, safeguard)
        if missing:
            yield Checked(safeguard, "not-applicable", says=f"there is nothing of that: {', '.join(missing)}")
        elif safeguard.guarantee is not None:
            yield proofs.check(safeguard)
        else:
            yield look_at(safeguard, company, left)


def _missing(company: Company, safeguard: Safeguard) -> list[str]:
    return [need for need in safeguard.needs if not company.filling(need)]


class _Proofs:
    """Safeguards that are guarantees: read with the rulebook, and what mends them too, all at once."""

    def __init__(self, company: Company, asking: Mapping[str, Safeguard], left: Callable[[], float]) -> None:
        self._company = company
        rulebook, more = company.rulebook, []
        # What the company calls so itself stays as it is.
        self._names = {n: _free(f"{PREFIX}{n}", rulebook.guarantees, rulebook.policies) for n in asking}
        self._remedies: dict[str, dict[str, Any]] = {}
        for name, safeguard in asking.items():
            filled = _filled(company, safeguard.remedy)
            policy = self._remedies[name] = {"mode": "enforced", "why": safeguard.why, **filled}
            guarantee = _filled(company, safeguard.guarantee)
            more += [
                _source("guarantees", self._names[name], guarantee),
                _source("policies", self._names[name], policy),
            ]
        self._mended = read_beside(rulebook, more) if more else rulebook
        own = {id: policy for id, policy in self._mended.policies.items() if id not in set(self._names.values())}
        # What mends is not in force: each is put in alone, where its safeguard fails.
        self._rulebook = replace(self._mended, policies=own)
        guarantees = [self._mended.guarantees[name] for name in self._names.values()]
        mending = [self._mended.policies[name] for name in self._names.values()]
        self._prover = Prover(self._rulebook, guarantees, company.inventory, left, mending)

    def check(self, safeguard: Safeguard) -> Checked:
        """Return what comes of a safeguard, with a change that mends it where it fails."""
        name = self._names[safeguard.name]
        guarantee = self._mended.guarantees[name]
        found = self._prover.prove(guarantee)
        if found.answer != "fails":
            return Checked(safeguard, "passes" if found.answer == "holds" else "undecided")
        mends = self._prover.mends(guarantee, self._mended.policies[name])
        path = ("policies", name)
        remedy = Remedy(".".join(path), with_value("", path, self._remedies[safeguard.name]), mends)
        return Checked(safeguard, "fails", found.counterexample, remedy=remedy)


def _free(name: str, *taken: Container[str]) -> str:
    tried = chain([name], (f"{name}-{number}" for number in count(2)))
    return next(each for each in tried if not any(each in these for these in taken))


def _source(section: str, name: str, value: Any) -> Source:
    """Return a document of one object."""
    body = with_value("", (section, name), value)
    lines = "\n".join(f"  {line}" for line in body.splitlines())
    return Source("check-up", f"caddrel: 1\n{section}:\n{lines}\n")


def _filled(company: Company, value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _filled(company, each) for key, each in value.items()}
    if isinstance(value, list):
        filled: list[Any] = []
        for each in value:
            whole = _BLANK.fullmatch(each) if isinstance(each, str) else None
            filled += company.filling(whole[1]) if whole is not None else [_filled(company, each)]
        return filled
    return _BLANK.sub(lambda b: b[0] if b[1] in _LATER else ", ".join(company.filling(b[1])), value)
