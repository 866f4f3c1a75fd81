"""Drafts, and what an editor asks while one is written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import quote

from caddrel.client.caller import Caller
from caddrel.wire import authoring, decisions, drafts, rulebooks


class Drafts:
    """What is being written; a save names the version that was read."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def all(self) -> list[drafts.DraftInfo]:
        """Return every draft, those saved last first; discarded ones too."""
        return self._caller.get("/api/v1/drafts", drafts.DraftList).items

    def begin(
        self, name: str, revision: int | None = None, files: Sequence[decisions.File] | None = None
    ) -> drafts.WholeDraft:
        """Begin a draft on top of a revision, the current one when none is named."""
        body = drafts.DraftRequest(name, revision, list(files) if files is not None else None)
        return self._caller.post("/api/v1/drafts", body, drafts.WholeDraft)

    def get(self, name: str) -> drafts.WholeDraft:
        """Return a draft."""
        return self._caller.get(_draft(name), drafts.WholeDraft)

    def save(self, name: str, version: int, files: Sequence[decisions.File]) -> drafts.WholeDraft:
        """Save a draft's documents."""
        return self._caller.put(_draft(name), drafts.DraftFiles(list(files)), drafts.WholeDraft, _tag(version))

    def put_object(self, name: str, version: int, path: str, text: str | None) -> drafts.ObjectSaved:
        """Put one object of a draft, or with None take it out."""
        body = drafts.ObjectRequest(path, text)
        return self._caller.post(f"{_draft(name)}/objects", body, drafts.ObjectSaved, headers=_tag(version))

    def accept(self, name: str, version: int, finding: drafts.AcceptRequest) -> drafts.ObjectSaved:
        """Have a draft say that a finding stands, with the reason."""
        return self._caller.post(f"{_draft(name)}/accepted", finding, drafts.ObjectSaved, headers=_tag(version))

    def add_from_pattern(self, name: str, version: int, request: drafts.PatternRequest) -> drafts.ObjectSaved:
        """Add a policy to a draft from a pattern; it begins in shadow."""
        return self._caller.post(f"{_draft(name)}/patterns", request, drafts.ObjectSaved, headers=_tag(version))

    def pattern_covers(self, name: str, request: drafts.PatternScope) -> drafts.PatternCovers:
        """Return how many people and apps a policy from a pattern would cover, with its blanks as they are."""
        return self._caller.post(f"{_draft(name)}/patterns/covers", request, drafts.PatternCovers)

    def patterns(self) -> list[drafts.PatternView]:
        """Return the patterns that policies are written from."""
        return self._caller.get("/api/v1/rulebook/patterns", drafts.PatternList).items

    def put_value(self, name: str, version: int, path: str, value: Any, id: str = "") -> drafts.ObjectSaved:
        """Put one object of a draft as plain values; what says the same keeps its lines. `id` renames it."""
        body = drafts.ObjectRequest(path, None, value, id)
        return self._caller.post(f"{_draft(name)}/objects", body, drafts.ObjectSaved, headers=_tag(version))

    def look(self, name: str, path: str) -> authoring.ObjectView:
        """Return one object of a draft with its words, problems, coverage and uses."""
        return self._caller.get(f"{_draft(name)}/objects/{quote(path, safe='')}", authoring.ObjectView)

    def covered(
        self, name: str, path: str, side: str = "people", after: str = "", limit: int = 100
    ) -> authoring.CoveredPage:
        """Return whom (`side` ``people``) or what (``apps``) an object's scope covers, a page at a time."""
        params = {"side": side, "after": after, "limit": str(limit)}
        return self._caller.get(f"{_draft(name)}/objects/{quote(path, safe='')}/covers", authoring.CoveredPage, params)

    def holds(self, name: str, path: str, address: str) -> authoring.Standing:
        """Return whether an address is in a place of a draft."""
        params = {"address": address}
        return self._caller.get(f"{_draft(name)}/objects/{quote(path, safe='')}/holds", authoring.Standing, params)

    def move(self, name: str, version: int, taking: Mapping[str, str] | None = None) -> drafts.Moved:
        """Move a draft onto the current revision; with conflicts nothing is moved."""
        body = drafts.MoveRequest(dict(taking or {}))
        return self._caller.post(f"{_draft(name)}/move", body, drafts.Moved, headers=_tag(version))

    def publish(
        self,
        seen: drafts.DraftInfo,
        why: str,
        accept_lockout_risk: str = "",
        accept_failing_rehearsals: str = "",
        accept_failing_guarantees: str = "",
    ) -> rulebooks.PublishResult:
        """Publish a draft as the next revision, as it was `seen`: refused when somebody has saved it since."""
        body = drafts.PublishDraft(
            why, seen.digest, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
        return self._caller.post(
            f"{_draft(seen.name)}/publish", body, rulebooks.PublishResult, headers=_tag(seen.version)
        )

    def understand(
        self, kind: str, *, text: str | None = None, tree: Any = None, draft: str = "", only: str = ""
    ) -> authoring.Understood:
        """Return what a ``condition`` or an ``effect`` says, given as text or as tree, with the parts of a draft."""
        body = authoring.LanguageRequest(kind, text, tree, draft, only)
        return self._caller.post("/api/v1/language", body, authoring.Understood)

    def language(self) -> authoring.LanguageView:
        """Return the comparisons and requirements that can be written."""
        return self._caller.get("/api/v1/language", authoring.LanguageView)

    def selectors(self, side: str, search: str = "") -> list[authoring.SelectorView]:
        """Return selectors of ``people`` or ``apps`` that could be written, with how many each covers."""
        params = {"side": side, "search": search}
        return self._caller.get("/api/v1/selectors", authoring.SelectorList, params).items

    def plan(
        self, seen: drafts.DraftInfo, at: str, why: str, accept_lockout_risk: str = "",
        accept_failing_rehearsals: str = "",
    ) -> drafts.DraftInfo:  # fmt: skip
        """Have a draft published at a time (RFC 3339), as it was `seen`."""
        body = drafts.PlanRequest(at, why, seen.digest, accept_lockout_risk, accept_failing_rehearsals)
        return self._caller.post(f"{_draft(seen.name)}/plan", body, drafts.DraftInfo, headers=_tag(seen.version))

    def unplan(self, name: str) -> drafts.DraftInfo:
        """Take back when a draft was to be published."""
        return self._caller.delete(f"{_draft(name)}/plan", drafts.DraftInfo)

    def shadow(self, seen: drafts.DraftInfo) -> drafts.DraftInfo:
        """Have live decisions logged with the outcome of a draft as it was `seen`."""
        body = drafts.ShadowRequest(True, seen.digest)
        return self._caller.post(f"{_draft(seen.name)}/shadow", body, drafts.DraftInfo, headers=_tag(seen.version))

    def end_shadow(self, name: str) -> drafts.DraftInfo:
        """Log live decisions with a draft's outcome no more."""
        return self._caller.post(f"{_draft(name)}/shadow", drafts.ShadowRequest(False), drafts.DraftInfo)

    def shadow_report(self, name: str) -> drafts.ShadowReport:
        """Return what a draft in shadow would have made of the live decisions since it is."""
        return self._caller.get(f"{_draft(name)}/shadow", drafts.ShadowReport)

    def discard(self, name: str) -> None:
        """Discard a draft; it can be recovered."""
        self._caller.delete(_draft(name), drafts.DraftList)

    def recover(self, name: str) -> drafts.WholeDraft:
        """Take up a discarded draft again."""
        return self._caller.post(f"{_draft(name)}/recover", drafts.MoveRequest(), drafts.WholeDraft)


def _draft(name: str) -> str:
    return f"/api/v1/drafts/{quote(name, safe='')}"


def _tag(version: int) -> dict[str, str]:
    return {"If-Match": f'"{version}"'}
