"""Drafts: begun on a revision, changed object by object, moved onto a newer one, published or discarded."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook import editing
from caddrel.core.rulebook.source import Source
from caddrel.service import publishing
from caddrel.service.deps import Deps
from caddrel.service.errors import ServiceError, not_found
from caddrel.store.drafts import Draft, Stale
from caddrel.wire import drafts as wire
from caddrel.wire import rulebooks
from caddrel.wire.decisions import File

_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,59}")
LARGEST = 8 * 1024 * 1024


def info(deps: Deps, draft: Draft) -> wire.DraftInfo:
    """Return what is told about a draft."""
    current = deps.revisions.current_number()
    discarded = show_moment(draft.discarded) if draft.discarded is not None else None
    return wire.DraftInfo(
        draft.name, draft.base, draft.version, show_moment(draft.begun), draft.begun_by, show_moment(draft.saved),
        draft.saved_by, discarded, current is not None and draft.base != current, len(_changed(deps, draft)),
    )  # fmt: skip


def whole(deps: Deps, draft: Draft) -> wire.WholeDraft:
    """Return a draft with its documents and objects; an object that is taken out has no text."""
    changed = _changed(deps, draft)
    there, before = _objects(draft.files), _objects(deps.rulebooks.get(draft.base).revision.files)
    objects = [
        wire.DraftObject(".".join(path), there.get(path, ""), path in changed, before.get(path, ""))
        for path in (*there, *(path for path in changed if path not in there))
    ]
    return wire.WholeDraft(info(deps, draft), [File(*file) for file in draft.files], objects)


def _changed(deps: Deps, draft: Draft) -> list[editing.Path]:
    before, now = _objects(deps.rulebooks.get(draft.base).revision.files), _objects(draft.files)
    return [path for path in dict.fromkeys((*now, *before)) if now.get(path) != before.get(path)]


@lru_cache(maxsize=64)
def _objects(files: tuple[tuple[str, str], ...]) -> dict[editing.Path, str]:
    # The same few states are asked for again and again: a draft's and its base's, at every look.
    return editing.objects_of(_sources(files))


def _sources(files: Sequence[tuple[str, str]]) -> list[Source]:
    return [Source(name, text) for name, text in files]


def begin(deps: Deps, request: wire.DraftRequest, by: str) -> Draft:
    """Return a new draft."""
    if not _NAME.fullmatch(request.name):
        hint = "small letters, digits and hyphens, at most 60: tablets-need-may"
        raise ServiceError(422, "bad-draft", "a draft needs a name", hint)
    current = deps.rulebooks.need_current().revision
    base = current if request.revision is None else deps.rulebooks.get(request.revision).revision
    files = base.files if request.files is None else _checked(request.files)
    made = deps.drafts.begin(request.name, base.number, files, by, deps.clock())
    if made is None:
        hint = "take another name; a discarded draft of that name can be recovered"
        raise ServiceError(409, "draft-exists", f"there is a draft `{request.name}` already", hint)
    return made


def _checked(files: Sequence[File]) -> tuple[tuple[str, str], ...]:
    """Return documents that can be kept: they may be wrong, but not be too many or too large."""
    if not 1 <= len(files) <= publishing.MOST_FILES or sum(len(file.text) for file in files) > LARGEST:
        raise ServiceError(422, "no-files", f"send 1 to {publishing.MOST_FILES} files, {LARGEST >> 20} MB together")
    return tuple((file.name[:200] or "rulebook.yaml", file.text) for file in files)


def need(deps: Deps, name: str) -> Draft:
    """Return a draft that is not discarded.

    Raises
    ------
    ServiceError
        When there is none.
    """
    draft = deps.drafts.get(name)
    if draft is None or draft.discarded is not None:
        raise not_found(f"draft `{shorten(name)}`", "see caddrel draft list")
    return draft


def files_of(deps: Deps, name: str) -> list[File]:
    """Return the documents of a draft."""
    return [File(*file) for file in need(deps, name).files]


def save(deps: Deps, name: str, seen: int, files: Sequence[File], by: str) -> Draft:
    """Save a draft's documents."""
    return _save(deps, need(deps, name), seen, _checked(files), by)


def put_object(deps: Deps, name: str, seen: int, request: wire.ObjectRequest, by: str) -> Draft:
    """Put one object of a draft, or take it out."""
    draft = need(deps, name)
    path = editing.read_path(request.path)
    made = editing.with_object(_sources(draft.files), path, request.text)
    return _save(deps, draft, seen, tuple((source.name, source.text) for source in made), by)


def _save(
    deps: Deps, draft: Draft, seen: int, files: tuple[tuple[str, str], ...], by: str, base: int | None = None
) -> Draft:
    try:
        saved = deps.drafts.save(draft.name, seen, files, base or draft.base, by, deps.clock())
    except Stale as stale:
        raise _lost_update(stale.there, draft.base, files) from None
    if saved is None:
        raise not_found(f"draft `{shorten(draft.name)}`")
    return saved


def _lost_update(there: Draft, base: int, mine: tuple[tuple[str, str], ...]) -> ServiceError:
    """Return the refusal of a save that did not see the one before, with both versions of what differs."""
    theirs, ours = _objects(there.files), _objects(mine)
    differing = [path for path in dict.fromkeys((*ours, *theirs)) if ours.get(path) != theirs.get(path)]
    errors = [
        Diagnostic(
            "draft-changed",
            f"there: {shorten(theirs.get(path) or 'taken out', 2000)}",
            f"yours: {shorten(ours.get(path) or 'taken out', 2000)}",
            path=".".join(path),
        )
        for path in differing[:20]
    ]
    hint = f"read it again (version {there.version}), and make your change to that; base is revision {base}"
    return ServiceError(412, "draft-changed", f"{there.saved_by} saved this draft in between", hint, errors)


def move(deps: Deps, name: str, seen: int, request: wire.MoveRequest, by: str) -> wire.Moved:
    """Move a draft onto the current revision."""
    draft = need(deps, name)
    wrong = [side for side in request.taking.values() if side not in {"mine", "theirs"}]
    if wrong:
        raise ServiceError(422, "bad-draft", f"`{shorten(wrong[0])}` is no side to take", "mine or theirs")
    current = deps.rulebooks.need_current().revision
    base = deps.rulebooks.get(draft.base).revision
    made, conflicts = editing.moved(
        _sources(base.files), _sources(draft.files), _sources(current.files), request.taking
    )
    told = [wire.DraftConflict(".".join(c.path), c.mine, c.theirs) for c in conflicts]
    if not told:
        files = tuple((source.name, source.text) for source in made)
        draft = _save(deps, draft, seen, files, by, current.number)
    return wire.Moved(info(deps, draft), told)


def publish(deps: Deps, name: str, request: wire.PublishDraft, by: str) -> rulebooks.PublishResult:
    """Publish a draft as the next revision; it is then done with.

    Raises
    ------
    Conflict
        When a newer revision than its base is current: it is to be moved first.
    """
    draft = need(deps, name)
    files = [File(*file) for file in draft.files]
    asked = rulebooks.PublishRequest(files, request.why, draft.base, request.accept_lockout_risk)
    made = publishing.publish(deps, asked, by)
    deps.drafts.discard(name, deps.clock())
    return made
