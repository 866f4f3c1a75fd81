"""An object of a draft for people: its sentence, what is wrong with it, whom it covers, what the door shows."""

from __future__ import annotations

from caddrel.cli.output import say
from caddrel.core.words.pieces import counted
from caddrel.wire.authoring import ObjectView


def print_object(found: ObjectView) -> None:
    """Write an object's sentence, whom it covers, what is wrong with it, and what it touches."""
    if found.words:
        say("".join(piece.text for piece in found.words))
    if found.covers is not None:
        say(f"It covers {counted(found.covers.people, 'person', 'people')} and {counted(found.covers.apps, 'app')}.")
    for problem in found.problems:
        say(f"{problem.severity} {problem.code} at {problem.path}: {problem.message}")
        if problem.hint:
            say(problem.hint, indent=2)
    for each in found.told:
        say(f"{each.outcome} by {each.rule or 'its rule'}, the door shows: {each.text} {each.link or ''}".rstrip())
    for line in found.standing.lines if found.standing is not None else ():
        say(line)
    for device in found.standing.devices if found.standing is not None else ():
        say(f"{device.id} ({device.title or 'nobody'}): {device.note}", indent=2)
    for user in found.used_by:
        say(f"used by the {user.kind} {user.id}")
