"""Findings that a draft is made to say stand, with the reason."""

from __future__ import annotations

from typing import Any

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.lint.registry import DANGER_OF
from caddrel.core.rulebook.edit import objects as editing
from caddrel.core.rulebook.edit import values as revaluing
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.service.problems import ServiceError
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.drafted import sources
from caddrel.wire import drafts as wire

_PATH = ("accepted",)


def accept(data: DataFolder, name: str, seen: int, request: wire.AcceptRequest, by: str) -> wire.ObjectSaved:
    """Have a draft say that a finding stands; one of the same code and object is said anew.

    Raises
    ------
    ServiceError
        When there is no finding of that code.
    RulebookError
        When the draft would have errors because of it.
    """
    if request.code not in DANGER_OF:
        hint = did_you_mean(request.code, DANGER_OF, "see docs/lint")
        raise ServiceError(422, "bad-draft", f"there is no finding `{shorten(request.code)}`", hint)
    draft = drafting.need(data, name)
    before = sources(draft.files)
    there = editing.object_text(before, _PATH, data.drafted.stands) or ""
    value = revaluing.value_of(there) if there else []
    stands: list[Any] = list(value) if isinstance(value, list) else []
    said = {"code": request.code, "object": request.object, "because": request.because}
    if request.until:
        said["until"] = request.until
    stands = [each for each in stands if not _same(each, request)] + [said]
    text = revaluing.with_value(there, _PATH, stands)
    after = editing.with_object(before, _PATH, text, data.drafted.stands)
    wrong = [found for found in read_rulebook(after).diagnostics if found.path.startswith("accepted[")]
    if wrong:
        raise ServiceError(422, "bad-draft", wrong[0].message, wrong[0].hint, wrong)
    return drafting.put_object(data, name, seen, wire.ObjectRequest("accepted", text), by)


def _same(each: Any, request: wire.AcceptRequest) -> bool:
    return isinstance(each, dict) and (each.get("code"), each.get("object")) == (request.code, request.object)
