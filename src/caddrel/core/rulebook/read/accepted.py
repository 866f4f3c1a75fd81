"""Reading which findings of lint were looked at and stand.

Not here: whether there is such a finding (`core/lint/accepted`).
"""

from __future__ import annotations

from datetime import date

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused
from caddrel.core.rulebook.ids import ID
from caddrel.core.rulebook.model import AcceptedFinding
from caddrel.core.rulebook.read.fields import Fields, Reading
from caddrel.core.rulebook.source import Mapping

ACCEPTED_KEYS = ("code", "object", "because", "until")


def _code(text: str) -> str:
    if ID.fullmatch(text) is None:
        raise ValueRefused(f"`{shorten(text)}`", "the code of a finding, such as person-by-name")
    return text


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise ValueRefused(f"`{shorten(text)}`", "a day, such as 2027-06-30") from None


def read_accepted(reading: Reading, document: Mapping) -> tuple[AcceptedFinding, ...]:
    """Return the findings that stand, in the order of the document."""
    node = document.get("accepted")
    found = []
    for index, (item, path) in enumerate(reading.items(node, "accepted") if node is not None else ()):
        fields = Fields(reading, item, path, ACCEPTED_KEYS, "accepted finding")
        for key in ("code", "object", "because"):
            fields.need(key)
        code, until = fields.parsed("code", _code), fields.parsed("until", _day)
        object, because = fields.text("object"), fields.text("because", longest=500)
        found.append(AcceptedFinding(index, code or "", object, because, until))
    return tuple(found)
