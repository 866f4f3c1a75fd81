"""Policies that are added to a draft from a pattern, with the parts that they need."""

from __future__ import annotations

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.types import LEVELS
from caddrel.core.rulebook.edit import objects as editing
from caddrel.core.rulebook.edit import values as revaluing
from caddrel.core.rulebook.ids import id_for
from caddrel.core.rulebook.patterns import SECTIONS, Blank, Pattern, patterns
from caddrel.service.problems import ServiceError
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.drafted import sources
from caddrel.wire import drafts as wire


def pattern_list() -> wire.PatternList:
    """Return the patterns as they travel."""
    return wire.PatternList(
        [
            wire.PatternView(
                each.name, each.title, each.says,
                [_blank(name, blank) for name, blank in each.blanks.items()],
            )
            for each in patterns()
        ]
    )  # fmt: skip


def _blank(name: str, blank: Blank) -> wire.BlankView:
    # The least level asks nothing of anybody.
    words = list(LEVELS[1:]) if blank.kind == "level" else []
    return wire.BlankView(name, blank.asks, blank.kind, blank.otherwise, SECTIONS.get(blank.kind, ""), words)


def pattern_named(name: str) -> Pattern:
    """Return a pattern.

    Raises
    ------
    ServiceError
        When there is none of that name.
    """
    found = {each.name: each for each in patterns()}
    if name not in found:
        hint = did_you_mean(name, found, f"there are {', '.join(found)}")
        raise ServiceError(422, "bad-pattern", f"there is no pattern `{shorten(name)}`", hint)
    return found[name]


def add(data: DataFolder, name: str, seen: int, request: wire.PatternRequest, by: str) -> wire.ObjectSaved:
    """Return a draft with a policy more, in shadow; parts of the pattern are added where there are none of that name.

    Raises
    ------
    ServiceError
        When there is no such pattern, something is missing, or the draft has a policy of that id.
    """
    pattern = pattern_named(request.pattern)
    policy, problems = pattern.filled(request.blanks)
    if problems:
        raise ServiceError(422, "bad-pattern", problems[0].message, problems[0].hint, problems)
    if request.title.strip():
        policy["title"] = request.title.strip()
    draft = drafting.need(data, name)
    made = list(sources(draft.files))
    id = request.id or id_for(str(policy["title"]))
    if not id:
        raise ServiceError(422, "bad-pattern", "no id follows from this title", "give one: letters, digits and hyphens")
    path = editing.read_path(f"policies.{id}")
    if editing.object_text(made, path, data.drafted.stands) is not None:
        hint = "take another id, or change the one that is there"
        raise ServiceError(409, "policy-exists", f"the draft has a policy `{shorten(id)}`", hint)
    for section, parts in pattern.parts.items():
        for part, value in parts.items():
            where = editing.read_path(f"{section}.{part}")
            if editing.object_text(made, where, data.drafted.stands) is None:
                made = list(
                    editing.with_object(made, where, revaluing.with_value("", where, dict(value)), data.drafted.stands)
                )
    text = revaluing.with_value("", path, policy)
    made = list(editing.with_object(made, path, text, data.drafted.stands))
    saved = drafting.save_sources(data, draft, seen, made, by)
    kept = data.drafted.objects(saved.files).get(path)
    return wire.ObjectSaved(
        drafting.info(data, saved), ".".join(path), kept, revaluing.value_of(kept) if kept else None
    )
