"""The first steps of a company with Caddrel: what is there already, and what comes next.

Each is told by what is there, so that it does not matter in which way, or in which order, somebody took it.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import NamedTuple

from caddrel.core.lockout_check.check import keyholders_of
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import watch as wire

# Before the name of a step, where it is noted that it was passed over.
SKIPPED = "first-step:"


class _Step(NamedTuple):
    name: str
    title: str
    why: str
    place: str
    command: str
    taken: Callable[[DataFolder, datetime], bool]


def first_steps(data: DataFolder, now: datetime) -> list[wire.FirstStep]:
    """Return the steps in their order; none once each was taken or passed over."""
    aside = data.set_aside.all()
    found = []
    for step in _STEPS:
        skipped = aside.get(f"{SKIPPED}{step.name}")
        taken = step.taken(data, now)
        found.append(
            wire.FirstStep(
                step.name, step.title, step.why, step.place, step.command, taken,
                skipped[2] if skipped is not None and not taken else "",
            )
        )  # fmt: skip
    return found if any(not step.taken and not step.skipped_by for step in found) else []


def _has_rulebook(data: DataFolder, _now: datetime) -> bool:
    return data.revisions.current_number() is not None


def _has_keyholders(data: DataFolder, now: datetime) -> bool:
    published = data.rulebooks.current()
    return published is not None and len(keyholders_of(published.rulebook, data.inventories.current(), now)) > 1


def _has_rehearsal(data: DataFolder, _now: datetime) -> bool:
    published = data.rulebooks.current()
    return published is not None and bool(published.rulebook.rehearsals)


def _has_policies(data: DataFolder, _now: datetime) -> bool:
    """Tell whether a policy is looked at in shadow, or counts already."""
    published = data.rulebooks.current()
    return published is not None and any(policy.mode != "off" for policy in published.rulebook.policies.values())


_STEPS = (
    _Step(
        "people",
        "People and groups",
        "Policies speak of them: who somebody is, and to which groups they belong.",
        "#/inventory/people",
        "caddrel people import people.csv",
        lambda data, _: bool(data.inventories.current().people),
    ),
    _Step(
        "apps",
        "Apps",
        "What is signed in to, with labels to write policies for many at once.",
        "#/inventory/apps",
        "caddrel apps import apps.csv",
        lambda data, _: bool(data.inventories.current().apps),
    ),
    _Step(
        "rulebook",
        "A rulebook to start from",
        "Three that explain themselves, or an empty one. Every policy begins in shadow.",
        "#/rulebook",
        "caddrel rulebook starts",
        _has_rulebook,
    ),
    _Step(
        "keyholders",
        "Two people who hold keys",
        "No mistake keeps them out: a change that would lock them out is refused.",
        "#/drafts",
        'caddrel draft set first settings keyholders "[group:keyholders]"',
        _has_keyholders,
    ),
    _Step(
        "log",
        "A sign-in log",
        "Replayed, the log of what you have now tells whom a policy would hit before it counts.",
        "#/take-in",
        "caddrel signins mapping try log.csv",
        lambda data, _: bool(data.signins.newest()),
    ),
    _Step(
        "rehearsal",
        "The first rehearsal",
        "A sign-in that did not happen, and what comes of it; kept, it is tried at every change.",
        "#/rehearse",
        "caddrel rehearse person=… app=…",
        _has_rehearsal,
    ),
    _Step(
        "policy",
        "The first policy in shadow",
        "Written from a pattern, it tells for some days whom it would stop, and stops nobody.",
        "#/drafts",
        "caddrel draft add --list-patterns",
        _has_policies,
    ),
)
