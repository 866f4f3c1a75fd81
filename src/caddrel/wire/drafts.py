"""Drafts as they travel."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.decisions import File
from caddrel.wire.numbers import Count


class DraftInfo(msgspec.Struct, frozen=True):
    """A draft without its documents.

    Attributes
    ----------
    version
        Its ETag.
    changed
        How many objects differ from its base.
    digest
        The SHA-256 of its documents: whoever publishes it names what was looked at.
    shadowed, shadow_version
        Since when live decisions are logged with its outcome, and that of which version.
    plan, failed
        When it is to be published by itself; why it was not when it was due.
    published
        The revision that it became, of one that is done with; none when it was discarded.
    """

    name: str
    base: int
    version: int
    begun: str
    begun_by: str
    saved: str
    saved_by: str
    discarded: str | None
    behind: bool
    changed: int
    shadowed: str | None = None
    plan: PlanInfo | None = None
    failed: str = ""
    digest: str = ""
    shadow_version: int | None = None
    published: int | None = None


class PlanInfo(msgspec.Struct, frozen=True):
    """When a draft is to be published, by whose word and why."""

    at: str
    by: str
    why: str


class PlanRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """When a draft is to be published (RFC 3339), and why; the rest as in publishing it now."""

    at: str
    why: str
    digest: str = ""
    accept_lockout_risk: str = ""
    accept_failing_rehearsals: str = ""


class ShadowRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Whether live decisions are logged with the outcome of a draft as it is now; to begin, with the digest shown."""

    on: bool
    digest: str = ""


class ShadowFlow(msgspec.Struct, frozen=True):
    """How many live decisions came out as `outcome` and would under the draft as `would`; one of them as example."""

    outcome: str
    would: str
    count: int
    example: str


class ShadowReport(msgspec.Struct, frozen=True):
    """What a draft in shadow would have done since it is; only the flows that are there."""

    since: str | None
    flows: list[ShadowFlow]


class DraftList(msgspec.Struct, frozen=True):
    """Every draft, those saved last first; discarded ones too."""

    items: list[DraftInfo]


class DraftObject(msgspec.Struct, frozen=True):
    """An object of a draft as it stands in its document; `path` is such as ``policies.abroad``.

    `before` is how it stands in the revision that the draft was begun on; empty where it is not there.
    """

    path: str
    text: str
    changed: bool
    before: str


class WholeDraft(msgspec.Struct, frozen=True):
    """A draft with its documents and its objects."""

    info: DraftInfo
    files: list[File]
    objects: list[DraftObject]


class DraftRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A draft to begin: on top of a revision (the current one when none is named), with its documents or others."""

    name: str
    revision: Count | None = None
    files: list[File] | None = None


class DraftFiles(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The documents of a draft."""

    files: list[File]


class ObjectRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An object of a draft to put as text or as plain values, or with neither to take out.

    Attributes
    ----------
    text
        With its id as the first line, which may be another than before.
    value
        Its fields; lines of the text that say the same as before stay as they are. `id` renames it.
    """

    path: str
    text: str | None = None
    value: Any = None
    id: str = ""


class BlankView(msgspec.Struct, frozen=True):
    """A blank of a pattern: what is asked, of what kind it is, and what stands there when nothing is said.

    Attributes
    ----------
    section
        Of a part the section of the rulebook that has those to choose from; empty for anything else.
    words
        What there is to choose from, where that is fixed.
    """

    name: str
    asks: str
    kind: str
    otherwise: str
    section: str = ""
    words: list[str] = []


class PatternView(msgspec.Struct, frozen=True):
    """A pattern of a policy: the sentence, with its blanks in braces."""

    name: str
    title: str
    says: str
    blanks: list[BlankView]


class PatternList(msgspec.Struct, frozen=True):
    """The patterns that policies are written from."""

    items: list[PatternView]


class AcceptRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A finding that stands: its code, the path of what it is about, why, and until which day (YYYY-MM-DD)."""

    code: str
    object: str
    because: str
    until: str = ""


class PatternRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A policy to be added from a pattern: what stands in the blanks, a title and an id of its own.

    Without a title it has the pattern's, and without an id the one that follows from its title.
    """

    pattern: str
    id: str = ""
    blanks: dict[str, str] = {}
    title: str = ""


class PatternScope(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A pattern with what stands in its blanks so far, of which it is asked whom it would cover."""

    pattern: str
    blanks: dict[str, str] = {}


class PatternCovers(msgspec.Struct, frozen=True):
    """How many people and apps of the inventory a policy from a pattern would cover.

    Attributes
    ----------
    people, apps
        Null while a blank that says so is empty, or cannot be read.
    title
        What it would be called, with its blanks as they are; an empty one leaves a gap.
    problems
        What cannot be read, in words.
    """

    people: int | None
    apps: int | None
    title: str
    problems: list[str] = []


class ObjectSaved(msgspec.Struct, frozen=True):
    """A draft with the object that was put, under the path that it has now; without text when it was taken out."""

    info: DraftInfo
    path: str
    text: str | None
    value: Any


class MoveRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Moving a draft onto the current revision; `taking` says by path whose object to take: ``mine`` or ``theirs``."""

    taking: dict[str, str] = {}


class DraftConflict(msgspec.Struct, frozen=True):
    """An object that both the draft and a newer revision have changed; None where it was taken out."""

    path: str
    mine: str | None
    theirs: str | None


class Moved(msgspec.Struct, frozen=True):
    """What moving came to: the draft as it is now, and what stands in the way; with conflicts nothing was moved."""

    draft: DraftInfo
    conflicts: list[DraftConflict]


class PublishDraft(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Why a draft is published, and the digest of it that the publisher was shown; the rest as of documents."""

    why: str
    digest: str = ""
    accept_lockout_risk: str = ""
    accept_failing_rehearsals: str = ""
    accept_failing_guarantees: str = ""
