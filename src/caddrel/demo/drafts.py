"""Two drafts that somebody at Kelpline is writing: each does something that its writer has not seen."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from caddrel.core.rulebook.edit.objects import with_object
from caddrel.core.rulebook.source import Source


class DemoDraft(NamedTuple):
    """A draft: its name, who writes it, and its documents."""

    name: str
    by: str
    files: tuple[tuple[str, str], ...]


# Guests are to see the berths without reading the terms each time: which breaks what was promised to the harbours. One
# rule of it can never fire, and one policy asks for what another asks for already.
_GUESTS = {
    "policies.guests-accept-terms": """guests-accept-terms:
  title: Guests accept our terms
  why: Port agents see berth plans of other lines.
  owner: legal
  mode: enforced
  people: [kind:guest]
  apps:
    - {where: "app.labels has none of [public]"}
  except_apps: [berthplan]
  rules:
    - id: terms
      then: require mfa within 12h and notice guest-terms
""",
    "policies.berths-for-guests": """berths-for-guests:
  title: Berthplan for guests
  why: Surveyors of the harbours come for a day, and have read the terms often enough.
  owner: security
  mode: enforced
  people: [kind:guest]
  apps: [berthplan]
  rules:
    - {id: at-the-office, when: surely from head-office, then: allow}
    - {id: elsewhere, when: not surely from head-office, then: require mfa within 12h}
    - {id: nobody-else, then: block, tell: "Ask {contact} for access."}
""",
    "policies.guests-prove-it": """guests-prove-it:
  title: Guests elsewhere need a second factor for the berths
  why: They work from anywhere.
  owner: security
  mode: enforced
  people: [kind:guest]
  apps: [berthplan]
  rules:
    - {when: not surely from head-office, then: require mfa within 12h}
""",
    "guarantees.guests-have-accepted": """guests-have-accepted:
  title: No guest sees the berths without having accepted the terms
  for: {people: [kind:guest], apps: [berthplan]}
  at_least: require notice guest-terms
""",
}
# The terminal at Sundby is rebuilt: and with it the tills that are still there are locked out.
_SUNDBY = {
    "places.terminals": """terminals:
  title: Port terminals
  places: [terminal-havnarvik, terminal-nordkai]
""",
}


def drafts(document: str) -> Iterator[DemoDraft]:
    """Yield the drafts, on top of a document."""
    for name, by, changed in (
        ("guests-at-the-berths", "tove.brekke", _GUESTS), ("sundby-is-rebuilt", "maren.strand", _SUNDBY),
    ):  # fmt: skip
        sources = [Source("kelpline.yaml", document)]
        for path, text in changed.items():
            section, _, id = path.partition(".")
            sources = with_object(sources, (section, id), text)
        yield DemoDraft(name, by, tuple((source.name, source.text) for source in sources))
