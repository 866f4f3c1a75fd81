"""Drafts: begun on a revision, changed object by object, moved onto a newer one, published or discarded."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import msgspec

from caddrel.core.diagnostics import Diagnostic, RulebookError, shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook.edit import objects as editing
from caddrel.core.rulebook.edit import values as revaluing
from caddrel.core.rulebook.edit.limits import find_limit, limits_of, with_limit
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.rulebooks.publish import MOST_FILES, Publisher
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.drafted import sources
from caddrel.service.state.rulebook_cost import check_cost
from caddrel.store.drafts import Draft, DraftMoved, Stale
from caddrel.wire import drafts as wire
from caddrel.wire import rulebooks
from caddrel.wire.decisions import File
from caddrel.wire.limits import MoveLimit

_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,59}")
LARGEST = 8 * 1024 * 1024
# The base of a draft that was begun before the first revision, and what it then begins with.
NOTHING = 0
_EMPTY = (("rulebook.yaml", "caddrel: 1\n"),)
# Each is decided beside every sign-in.
MOST_SHADOWED = 4
# Of one person.
MOST_OPEN = 64
MOST_TOGETHER = 50 * 1024 * 1024


def info(data: DataFolder, draft: Draft) -> wire.DraftInfo:
    """Return what is told about a draft."""
    current = data.revisions.current_number()
    discarded = show_moment(draft.discarded) if draft.discarded is not None else None
    gone = draft.discarded
    became = data.revisions.made_of(draft.base, draft.digest, gone) if gone is not None else None
    plan = draft.plan
    return wire.DraftInfo(
        draft.name, draft.base, draft.version, show_moment(draft.begun), draft.begun_by, show_moment(draft.saved),
        draft.saved_by, discarded, current is not None and draft.base != current, len(_changed(data, draft)),
        show_moment(draft.shadowed) if draft.shadowed is not None else None,
        wire.PlanInfo(show_moment(plan.at), plan.by, plan.why) if plan is not None else None, draft.failed,
        draft.digest, draft.shadow_version, became,
    )  # fmt: skip


def whole(data: DataFolder, draft: Draft) -> wire.WholeDraft:
    """Return a draft with its documents and objects; an object that is taken out has no text."""
    changed = _changed(data, draft)
    there, before = (
        data.drafted.objects(draft.files),
        objects_at(data, draft.base),
    )
    objects = [
        wire.DraftObject(".".join(path), there.get(path, ""), path in changed, before.get(path, ""))
        for path in (*there, *(path for path in changed if path not in there))
    ]
    return wire.WholeDraft(info(data, draft), [File(*file) for file in draft.files], objects)


def changed_paths(data: DataFolder, name: str) -> list[editing.Path]:
    """Return the objects that a draft changes."""
    return _changed(data, need(data, name))


def _changed(data: DataFolder, draft: Draft) -> list[editing.Path]:
    before, now = objects_at(data, draft.base), data.drafted.objects(draft.files)
    return [path for path in dict.fromkeys((*now, *before)) if now.get(path) != before.get(path)]


def begin(data: DataFolder, request: wire.DraftRequest, by: str) -> Draft:
    """Return a new draft."""
    if not _NAME.fullmatch(request.name):
        hint = "small letters, digits and hyphens, at most 60: tablets-need-may"
        raise ServiceError(422, "bad-draft", "a draft needs a name", hint)
    _room_for(data, by)
    base = data.revisions.current_number() or NOTHING if request.revision is None else request.revision
    there = _files_at(data, base)
    files = there if request.files is None else _checked(request.files)
    made = data.drafts.begin(request.name, base, files or _EMPTY, by, data.clock())
    if made is None:
        hint = "take another name; a discarded draft of that name can be recovered"
        raise ServiceError(409, "draft-exists", f"there is a draft `{request.name}` already", hint)
    return made


def _room_for(data: DataFolder, by: str, more: int = 0, name: str = "") -> None:
    """Refuse a draft, or a larger one, to whoever has as many as one person may have."""
    mine = [each for each in data.drafts.all() if each.begun_by == by and each.discarded is None and each.name != name]
    if not name and len(mine) >= MOST_OPEN:
        raise ServiceError(409, "too-many-drafts", f"you have {MOST_OPEN} drafts", "publish or discard some first")
    if more + sum(len(text) for each in mine for _, text in each.files) > MOST_TOGETHER:
        title = f"your drafts have more than {MOST_TOGETHER >> 20} MB together"
        raise ServiceError(413, "too-large", title, "publish or discard some first; nothing was saved")


def _checked(files: Sequence[File]) -> tuple[tuple[str, str], ...]:
    """Return documents that can be kept: they may be wrong, but not be too many or too large."""
    if not 1 <= len(files) <= MOST_FILES or sum(len(file.text) for file in files) > LARGEST:
        raise ServiceError(422, "no-files", f"send 1 to {MOST_FILES} files, {LARGEST >> 20} MB together")
    return tuple((file.name[:200] or "rulebook.yaml", file.text) for file in files)


def need(data: DataFolder, name: str) -> Draft:
    """Return a draft that is not discarded.

    Raises
    ------
    ServiceError
        When there is none.
    """
    draft = data.drafts.get(name)
    if draft is None or draft.discarded is not None:
        raise not_found(f"draft `{shorten(name)}`", "see caddrel draft list")
    return draft


def files_of(data: DataFolder, name: str) -> list[File]:
    """Return the documents of a draft."""
    return [File(*file) for file in need(data, name).files]


def with_documents(data: DataFolder, side: rulebooks.Side) -> tuple[rulebooks.Side, int]:
    """Return a side with the documents of the draft that it names, and the version that they are of; 0 of no draft."""
    if not side.draft:
        return side, 0
    draft = need(data, side.draft)
    return msgspec.structs.replace(side, files=[File(*file) for file in draft.files]), draft.version


def move_limit(data: DataFolder, name: str, seen: int, request: MoveLimit, by: str) -> wire.ObjectSaved:
    """Move a limit of a draft.

    Raises
    ------
    LimitRefused, RulebookError
        When there is none at that address; when the rulebook has errors then.
    """
    draft = need(data, name)
    objects, result = data.drafted.objects(draft.files), read_rulebook(sources(draft.files))
    limit = find_limit(limits_of(result.or_raise(), objects), request.limit)
    text = with_limit(objects, limit, request.value)
    read_rulebook(editing.with_object(sources(draft.files), limit.path, text)).or_raise()
    return put_object(data, name, seen, wire.ObjectRequest(".".join(limit.path), text), by)


def save(data: DataFolder, name: str, seen: int, files: Sequence[File], by: str) -> Draft:
    """Save a draft's documents."""
    return _save(data, need(data, name), seen, _checked(files), by)


def objects_in(data: DataFolder, name: str) -> Mapping[editing.Path, str]:
    """Return the objects of a draft, or without a name those of the current revision; none before the first."""
    if name:
        return data.drafted.objects(need(data, name).files)
    current = data.rulebooks.current()
    return {} if current is None else data.drafted.objects(current.revision.files)


def read(data: DataFolder, name: str) -> Rulebook | None:
    """Return the rulebook of a draft, None while it has errors."""
    return data.drafted.rulebook(need(data, name).files)


def objects_at(data: DataFolder, number: int) -> Mapping[editing.Path, str]:
    """Return the objects of a revision, none of `NOTHING`."""
    return data.drafted.objects(_files_at(data, number))


def _files_at(data: DataFolder, number: int) -> tuple[tuple[str, str], ...]:
    """Return the documents of a revision, none of `NOTHING`."""
    return () if number == NOTHING else tuple(data.rulebooks.get(number).revision.files)


def put_object(data: DataFolder, name: str, seen: int, request: wire.ObjectRequest, by: str) -> wire.ObjectSaved:
    """Put one object of a draft, or take it out."""
    draft = need(data, name)
    path = editing.read_path(request.path)
    before = sources(draft.files)
    text, now = request.text, path
    if request.value is not None:
        if request.id and len(path) > 1:
            now = editing.read_path(f"{path[0]}.{request.id}")
        text = revaluing.with_value(editing.object_text(before, path, data.drafted.stands) or "", now, request.value)
    made = editing.with_object(before, path, text, data.drafted.stands)
    saved = save_sources(data, draft, seen, made, by)
    there = data.drafted.objects(saved.files)
    if text is not None and now not in there:
        # A text may give it another id.
        now = next((p for p in there if p not in data.drafted.objects(draft.files)), path)
    kept = there.get(now) if text is not None else None
    value = revaluing.value_of(kept) if kept is not None else None
    return wire.ObjectSaved(info(data, saved), ".".join(now), kept, value)


def save_sources(data: DataFolder, draft: Draft, seen: int, made: Sequence[Source], by: str) -> Draft:
    """Return a draft with other documents, saved as of the version that was seen."""
    return _save(data, draft, seen, tuple((source.name, source.text) for source in made), by)


def _save(
    data: DataFolder, draft: Draft, seen: int, files: tuple[tuple[str, str], ...], by: str, base: int | None = None
) -> Draft:
    if draft.plan is not None:
        hint = f"take the plan back first: caddrel draft unplan {draft.name}"
        raise ServiceError(409, "draft-planned", f"it is to be published at {show_moment(draft.plan.at)}", hint)
    size = sum(len(text) for _, text in files)
    if size > LARGEST:
        raise ServiceError(413, "too-large", f"a draft has at most {LARGEST >> 20} MB", "nothing was saved")
    if size > sum(len(text) for _, text in draft.files):
        _room_for(data, draft.begun_by, size, draft.name)
    try:
        saved = data.drafts.save(draft.name, seen, files, base or draft.base, by, data.clock())
    except Stale as stale:
        raise _lost_update(data, stale.there, draft.base, files) from None
    if saved is None:
        raise not_found(f"draft `{shorten(draft.name)}`")
    return saved


def _lost_update(data: DataFolder, there: Draft, base: int, mine: tuple[tuple[str, str], ...]) -> ServiceError:
    """Return the refusal of a save that did not see the one before, with both versions of what differs."""
    theirs, ours = data.drafted.objects(there.files), data.drafted.objects(mine)
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


def reviewed(data: DataFolder, name: str, seen: int, digest: str) -> Draft:
    """Return a draft that is to be published, planned or put in shadow, as whoever does that was shown it.

    Raises
    ------
    ServiceError
        When it has another version or other documents by now, or nothing was said of what was shown.
    """
    draft = need(data, name)
    if not digest:
        hint = "send the `digest` that the draft was shown with"
        raise ServiceError(428, "no-digest", "say what you have looked at", hint)
    if draft.version != seen or draft.digest != digest:
        raise moved_on(draft)
    return draft


def moved_on(draft: Draft) -> ServiceError:
    """Return the refusal of what was asked of a draft that has been saved since it was looked at."""
    hint = f"look at version {draft.version}, and ask again"
    return ServiceError(412, "draft-changed", f"{draft.saved_by} saved this draft in between", hint)


def shadow(data: DataFolder, name: str, seen: int, request: wire.ShadowRequest) -> Draft:
    """Have live decisions logged with the outcome of a draft as it is now, or no more.

    Raises
    ------
    RulebookError
        When it cannot be read.
    """
    if not request.on:
        need(data, name)
        data.drafts.end_shadow(name)
        return need(data, name)
    draft = reviewed(data, name, seen, request.digest)
    if request.on:
        result = read_rulebook(sources(draft.files))
        if result.rulebook is None:
            raise RulebookError(result.diagnostics)
        check_cost(data.costs, result.rulebook)
        others = [each for each in data.drafts.shadowed() if each.name != name]
        if len(others) >= MOST_SHADOWED:
            hint = f"end one first: caddrel draft shadow {others[0].name} --off"
            raise ServiceError(409, "too-many-shadowed", f"{MOST_SHADOWED} drafts are in shadow already", hint)
    if draft.shadow_version != draft.version and not data.drafts.shadow(name, draft.version, data.clock()):
        raise moved_on(need(data, name))
    return need(data, name)


def move(data: DataFolder, name: str, seen: int, request: wire.MoveRequest, by: str) -> wire.Moved:
    """Move a draft onto the current revision."""
    draft = need(data, name)
    wrong = [side for side in request.taking.values() if side not in {"mine", "theirs"}]
    if wrong:
        raise ServiceError(422, "bad-draft", f"`{shorten(wrong[0])}` is no side to take", "mine or theirs")
    current = data.rulebooks.need_current().revision
    base = _files_at(data, draft.base)
    made, conflicts = editing.moved(
        sources(base), sources(draft.files), sources(current.files), request.taking, data.drafted.stands
    )
    told = [wire.DraftConflict(".".join(c.path), c.mine, c.theirs) for c in conflicts]
    if not told:
        files = tuple((source.name, source.text) for source in made)
        draft = _save(data, draft, seen, files, by, current.number)
    return wire.Moved(info(data, draft), told)


def publish(
    data: DataFolder, publisher: Publisher, name: str, seen: int, request: wire.PublishDraft, by: str
) -> rulebooks.PublishResult:
    """Publish a draft as the next revision, as it was looked at; it is then done with.

    Raises
    ------
    Conflict
        When a newer revision than its base is current: it is to be moved first.
    """
    draft = reviewed(data, name, seen, request.digest)
    files = [File(*file) for file in draft.files]
    asked = rulebooks.PublishRequest(
        files,
        request.why,
        draft.base,
        request.accept_lockout_risk,
        request.accept_failing_rehearsals,
        request.accept_failing_guarantees,
    )
    try:
        # That it is still in this version is looked at once more where it is written.
        return publisher.publish_examined(asked, by, draft.base, (draft.name, draft.version))
    except DraftMoved:
        raise moved_on(data.drafts.get(name) or draft) from None
