"""Whom to tell before a change, and what: one text for each person, from a template. Nothing is sent.

Not here: whom it hits (`request`).
"""

from __future__ import annotations

from caddrel.core.words.replays import PLACEHOLDERS, TEMPLATE, filled, unknown_placeholders
from caddrel.service.problems import ServiceError
from caddrel.wire.replays import Letter, Letters, LettersRequest, PersonHit, ReplayResult

LONGEST_TEMPLATE = 20_000


def letters(found: ReplayResult, request: LettersRequest) -> Letters:
    """Return a text for each person whom a replay hits, or for one of them.

    Raises
    ------
    ServiceError
        When the template names something that there is not, or is too long.
    """
    template = request.template or TEMPLATE
    if len(template) > LONGEST_TEMPLATE:
        raise ServiceError(422, "bad-template", f"a template has at most {LONGEST_TEMPLATE:,} characters")
    wrong = unknown_placeholders(template)
    if wrong:
        there = ", ".join(f"{{{name}}}" for name in PLACEHOLDERS)
        raise ServiceError(422, "bad-template", f"a template has no {{{wrong[0][:40]}}}", f"there are {there}")
    wanted = [person for person in found.hit if request.person in {"", person.person}]
    texts = [filled(template, _values(each, found.contact)) for each in wanted]
    return Letters([Letter(each.person, each.title, text) for each, text in zip(wanted, texts, strict=True)], template)


def _values(person: PersonHit, contact: str) -> dict[str, str]:
    return {
        "name": person.title,
        "person": person.person,
        "count": str(sum(flow.count for flow in person.flows)),
        "last": person.last[:16].replace("T", " "),
        "devices": ", ".join(person.devices) or "an unknown device",
        "needs": "\n".join(f"- {line}" for line in person.needs) or "- nothing that you can do: ask",
        "policies": ", ".join(dict.fromkeys(ref.policy for ref in person.because)),
        "contact": contact or "whoever runs your sign-in",
    }
