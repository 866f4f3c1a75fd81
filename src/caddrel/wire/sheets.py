"""A policy on one page for a reviewer, and reviews, as they travel."""

from __future__ import annotations

import msgspec

from caddrel.wire.decisions import Piece
from caddrel.wire.profiles import NamedObject
from caddrel.wire.rulebooks import PartView


class SheetRule(msgspec.Struct, frozen=True):
    """A rule in words: when it speaks, what it says then, and what people are shown.

    Attributes
    ----------
    when
        Empty where it always holds.
    """

    id: str
    title: str
    when: list[Piece]
    then: list[Piece]
    tell: str
    link: str


class SheetChange(msgspec.Struct, frozen=True):
    """A revision in which the policy became another."""

    revision: int
    at: str
    by: str
    why: str


class SheetEffect(msgspec.Struct, frozen=True):
    """What the policy decided within some days.

    Attributes
    ----------
    people
        How many were blocked or asked for more by it.
    """

    days: int
    allowed: int
    challenged: int
    blocked: int
    people: int


class SheetRehearsal(msgspec.Struct, frozen=True):
    """A kept rehearsal that the policy decides, and whether it comes out as it must."""

    id: str
    title: str
    outcome: str
    ok: bool


class Review(msgspec.Struct, frozen=True):
    """A review of a policy.

    Attributes
    ----------
    again
        When it is due again, empty where nobody said.
    changed
        Whether the policy has become another since.
    """

    policy: str
    by: str
    at: str
    again: str
    note: str
    changed: bool


class Scoped(msgspec.Struct, frozen=True):
    """Whom or what a scope covers in the inventory now: how many, and the first of them."""

    count: int
    total: int
    first: list[NamedObject]


class PolicySheet(msgspec.Struct, frozen=True):
    """A policy spelled out for somebody who does not know the language.

    Attributes
    ----------
    parts
        Every part that it is built from, those that parts name too.
    digest
        Of the policy and its parts as they are; a review is of that.
    """

    revision: int | None
    draft: str
    id: str
    title: str
    mode: str
    owner: str
    why: str
    note: str
    contact: str
    active: dict[str, str]
    sentence: list[Piece]
    scope: list[Piece]
    people: Scoped
    apps: Scoped
    rules: list[SheetRule]
    parts: list[PartView]
    guarantees: list[NamedObject]
    rehearsals: list[SheetRehearsal]
    changes: list[SheetChange]
    effect: SheetEffect | None
    reviews: list[Review]
    digest: str


class PolicySheets(msgspec.Struct, frozen=True):
    """A whole rulebook as sheets, by owner and title."""

    revision: int | None
    draft: str
    stance: str
    made: str
    sheets: list[PolicySheet]


class ReviewRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """That a policy was reviewed as it is.

    Attributes
    ----------
    digest
        Of the sheet that was looked at; another by now is refused.
    again
        When it is due again: a duration such as ``180d``, or a moment; empty for never.
    """

    digest: str
    again: str = ""
    note: str = ""


class ReviewDue(msgspec.Struct, frozen=True):
    """A policy with its last review.

    Attributes
    ----------
    state
        ``never`` reviewed, ``changed`` since, ``due`` again, or ``good``.
    """

    policy: str
    title: str
    owner: str
    mode: str
    state: str
    last: Review | None


class ReviewList(msgspec.Struct, frozen=True):
    """The policies of the current revision, those that are due first."""

    items: list[ReviewDue]
