"""Comparing rulebooks, and going back to an earlier revision."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from caddrel.core.diagnostics import RulebookError, shorten
from caddrel.core.rulebook.edit.objects import object_text, read_path, with_object
from caddrel.core.rulebook.edit.values import value_of, with_value
from caddrel.core.rulebook.model import Policy, Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.policies import policy_words
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.rulebooks.changes import SECTIONS
from caddrel.service.rulebooks.publish import Publisher, read_files
from caddrel.service.rulebooks.view import Lines, lines_of, object_source, pieces
from caddrel.service.state.context import State
from caddrel.service.state.titles import titled
from caddrel.wire import authoring
from caddrel.wire import rulebooks as wire
from caddrel.wire.decisions import File, Piece


def restore(state: State, publisher: Publisher, request: wire.RestoreRequest, by: str) -> wire.PublishResult:
    """Publish an earlier revision again, as the next one."""
    files = [File(name, text) for name, text in state.rulebooks.get(request.number).revision.files]
    asked = wire.PublishRequest(
        files,
        request.why,
        request.base,
        request.accept_lockout_risk,
        request.accept_failing_rehearsals,
        request.accept_failing_guarantees,
    )
    return publisher.publish(asked, by)


def edit(state: State, publisher: Publisher, request: authoring.EditRequest, by: str) -> wire.PublishResult:
    """Publish changes of fields of the current revision as one new revision.

    Raises
    ------
    ServiceError
        When an object is not there, or nothing would change.
    """
    current = state.rulebooks.need_current().revision
    sources = [Source(name, text) for name, text in current.files]
    before = list(sources)
    for each in request.edits:
        path = read_path(each.path)
        text = object_text(sources, path)
        value = value_of(text) if text is not None else None
        if text is None or not isinstance(value, dict):
            raise not_found(f"object `{shorten(each.path)}` in revision {current.number}", "such as policies.abroad")
        changed = {key: kept for key, kept in value.items() if key != each.field}
        if each.value is not None:
            changed = {**value, each.field: each.value}
        sources = with_object(sources, path, with_value(text, path, changed))
    if [source.text for source in sources] == [source.text for source in before]:
        raise ServiceError(
            422, "nothing-changes", "these are as the current revision has them", "nothing was published"
        )
    files = [File(source.name, source.text) for source in sources]
    asked = wire.PublishRequest(
        files,
        request.why,
        request.base or current.number,
        request.accept_lockout_risk,
        request.accept_failing_rehearsals,
        request.accept_failing_guarantees,
    )
    return publisher.publish(asked, by)


def compare(state: State, request: wire.CompareRequest) -> wire.Comparison:
    """Return what differs between two rulebooks, object by object; of a draft its documents are given too.

    Raises
    ------
    RulebookError
        When documents have errors.
    """
    before, after = (_side(state, side) for side in (request.before, request.after))
    return wire.Comparison(before[0], after[0], list(_differences(before[1:], after[1:])))


_Read = tuple[Rulebook, Lines]


def _side(state: State, side: wire.Side) -> tuple[str, Rulebook, Lines]:
    if side.files is not None:
        given = side.files
        result = read_files(given)
        if result.rulebook is None:
            raise RulebookError(result.diagnostics)
        name = f"draft {side.draft}" if side.draft else "documents"
        rulebook, files = result.rulebook, lines_of((file.name, file.text) for file in given)
    elif side.revision is None and state.rulebooks.current() is None:
        # What the first revision is held against.
        name, rulebook, files = "nothing", read_rulebook(Source("", "caddrel: 1")).or_raise(), {}
    else:
        current = state.rulebooks.need_current()
        published = current if side.revision is None else state.rulebooks.get(side.revision)
        name = f"revision {published.revision.number}"
        rulebook, files = published.rulebook, lines_of(published.revision.files)
    return name, titled(rulebook, state.inventories.current()), files


def _differences(before: _Read, after: _Read) -> Iterator[wire.ObjectChange]:
    for section, kind in SECTIONS.items():
        then, now = getattr(before[0], section), getattr(after[0], section)
        # In the order of the newer one; what is gone comes last.
        for id in dict.fromkeys((*now, *then)):
            if then.get(id) != now.get(id):
                change = "added" if id not in then else "removed" if id not in now else "changed"
                part: Any = now.get(id) or then.get(id)
                path = f"{section.replace('_', '-')}.{id}"
                yield wire.ObjectChange(
                    kind, id, part.title or id, change,
                    object_source(before[0], before[1], path) if id in then else "",
                    object_source(after[0], after[1], path) if id in now else "",
                    _words(before[0], then.get(id)), _words(after[0], now.get(id)),
                )  # fmt: skip
    if before[0].settings != after[0].settings:
        then, now = (object_source(rulebook, files, "settings") for rulebook, files in (before, after))
        yield wire.ObjectChange("settings", "settings", "Settings", "changed", then, now, [], [])


def _words(rulebook: Rulebook, part: Any) -> list[Piece]:
    if not isinstance(part, Policy):
        return []
    return pieces(policy_words(part, rulebook))
