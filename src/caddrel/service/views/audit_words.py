"""What somebody did, in people's words: a sentence for each endpoint that changes something, with what it was done to.

In a sentence `{kind:name}` is a part of the path, and what kind of thing it names; `{note}` is what the entry notes.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from urllib.parse import unquote

from caddrel.service.rulebooks.view import SECTIONS
from caddrel.store.audit import AuditEntry
from caddrel.wire.decisions import Piece

_OBJECTS = {"people": "person", "groups": "group", "devices": "device", "apps": "app", "lists": "list"}
_TITLES = {"list": "address list"}

WORDS: dict[str, str] = {
    "POST /api/v1/session": "signed in to the console {note}",
    "POST /api/v1/session/proof": "proved again who they are",
    "PUT /api/v1/session/factors/totp": "added a second factor: {note}",
    "PUT /api/v1/session/factors/passkey": "added a second factor: {note}",
    "DELETE /api/v1/session/kept-factors/<id>": "took out a second factor {note}",
    "DELETE /api/v1/accounts/<id>/sessions": "ended the sessions of the account {:id}: {note}",
    "DELETE /api/v1/accounts/<id>": "removed the account {:id}",
    "POST /api/v1/accounts": "made or changed an account: {note}",
    "POST /api/v1/held-changes/<id>": "decided about the held change {:id}: {note}",
    "POST /api/v1/feeds": "had events taken from {note}",
    "PATCH /api/v1/feeds/<id>": "changed the feed {:id}: {note}",
    "DELETE /api/v1/feeds/<id>": "took the feed {:id} out {note}",
    "POST /api/v1/hooks": "had somebody told what is new: {note}",
    "POST /api/v1/sources": "had something fetched: {note}",
    "POST /api/v1/sources/<id>/held": "took in what {:id} held back: {note}",
    "POST /api/v1/unlisted-devices/vetted": "put a device on the list: {note}",
    "POST /api/v1/unlisted-devices/refused": "kept a device off the list: {note}",
    "POST /api/v1/event-keys": "had events signed with a new key: {note}",
    "POST /api/v1/tokens": "made a token: {note}",
    "DELETE /api/v1/tokens/<id>": "revoked the token {:id}",
    "POST /api/v1/rulebook/publish": "published a rulebook: {note}",
    "POST /api/v1/rulebook/restore": "went back to an earlier revision: {note}",
    "POST /api/v1/rulebook/edits": "changed the rulebook: {note}",
    "POST /api/v1/rulebook/policies/<id>/reviews": "marked the policy {policy:id} as {note}",
    "POST /api/v1/drafts": "began a draft",
    "PUT /api/v1/drafts/<id>": "saved the draft {draft:id}",
    "DELETE /api/v1/drafts/<id>": "discarded the draft {draft:id}",
    "POST /api/v1/drafts/<id>/objects": "put {object} into the draft {draft:id}",
    "POST /api/v1/drafts/<id>/patterns": "added {note} to the draft {draft:id}",
    "POST /api/v1/drafts/<id>/accepted": "had a finding stand in the draft {draft:id}: {note}",
    "POST /api/v1/drafts/<id>/limits": "moved a limit of the draft {draft:id}: {note}",
    "POST /api/v1/drafts/<id>/move": "moved the draft {draft:id} onto the current revision",
    "POST /api/v1/drafts/<id>/publish": "published the draft {draft:id}: {note}",
    "POST /api/v1/drafts/<id>/plan": "planned when the draft {draft:id} is published: {note}",
    "DELETE /api/v1/drafts/<id>/plan": "took back when the draft {draft:id} was to be published",
    "POST /api/v1/drafts/<id>/shadow": "turned the shadow of the draft {draft:id} {note}",
    "POST /api/v1/drafts/<id>/recover": "took the draft {draft:id} up again",
    "POST /api/v1/signins": "took in a part of a sign-in log: {note}",
    "POST /api/v1/jobs/import": "took in a sign-in log: {note}",
    "POST /api/v1/jobs/take-back": "took back {note}",
    "POST /api/v1/jobs/forget": "took out old sign-ins: {note}",
    "DELETE /api/v1/jobs/<string(minlength=7):id>": "cancelled the job {:id}",
    "PUT /api/v1/mappings/<name>": "kept how a log is read, as {:name}",
    "DELETE /api/v1/mappings/<name>": "forgot the mapping {:name}",
    "POST /api/v1/inventory": "took in an inventory: {note}",
    "POST /api/v1/groups/<id>/members": "put somebody into the group {group:id}: {note}",
    "DELETE /api/v1/groups/<id>/members/<person>": "took {person:person} out of the group {group:id}: {note}",
    "POST /api/v1/people/<id>/off": "turned off {person:id}: {note}",
    "DELETE /api/v1/people/<id>/off": "turned {person:id} on again: {note}",
    "DELETE /api/v1/people/<id>/lock": "lifted the lock-out of {person:id}",
    "POST /api/v1/passwords/change": "had a password changed: {note}",
    "POST /api/v1/starter-codes": "issued a starter code: {note}",
    "DELETE /api/v1/starter-codes/<id>": "revoked the starter code {:id}",
    "DELETE /api/v1/sessions/<id>": "ended the session {:id}",
    "POST /api/v1/watch/set-aside": "set something aside on the watch page: {note}",
    **{f"POST /api/v1/{noun}": f"took in {noun}: {{note}}" for noun in _OBJECTS},
    **{
        f"{method} /api/v1/{noun}/<id>": f"{did} the {_TITLES.get(kind, kind)} {{{kind}:id}}: {{note}}"
        for noun, kind in _OBJECTS.items()
        for method, did in {"PUT": "wrote", "PATCH": "changed", "DELETE": "removed"}.items()
    },
}
_KINDS = {section: kind.replace("-", " ") for kind, section in SECTIONS.items()}
# What the host did, and the planner: they have no endpoints.
_ELSEWHERE = {
    "seal": "sealed the sign-in log: {note}",
    "rescue": "went back, on the host, to {target}: {note}",
    "token": "made a token on the host: {target}, {note}",
    "way in": "made a way in for {target}: {note}",
    "restore": "put back the backup {target}, {note}",
}
_BLANK = re.compile(r"\{(\w*):?(\w*)\}")


def in_words(entry: AuditEntry) -> list[Piece]:
    """Return what an entry tells, in pieces of a sentence; the note is in it, or follows it."""
    template = WORDS.get(entry.did) or _ELSEWHERE.get(entry.did)
    if template is None:
        # Of an earlier release, or planned: as it was written.
        template = f"{entry.did} {{target}}: {{note}}"
    values = {"target": entry.target, "note": entry.note, "object": _object(entry.note)}
    values |= _named(entry.did, entry.target)
    if "{note}" not in template and "{object}" not in template and entry.note:
        template = f"{template}: {{note}}"
    pieces = list(_filled(template, values))
    while pieces and not pieces[-1].text.strip(" :"):
        pieces.pop()
    last = pieces[-1]
    return [*pieces[:-1], Piece(last.text.rstrip(": "), last.kind, last.id)]


def _object(path: str) -> str:
    """Return an object of a rulebook as one says it: ``the policy abroad``."""
    section, _, id = path.partition(".")
    kind = _KINDS.get(section)
    return f"the {kind} {id}" if kind and id else path


def _filled(template: str, values: dict[str, str]) -> Iterator[Piece]:
    at = 0
    for blank in _BLANK.finditer(template):
        yield Piece(template[at : blank.start()])
        kind, name = (blank[1], blank[2]) if ":" in blank[0] else ("", blank[1])
        value = values.get(name, "")
        yield Piece(value, kind, value if kind else "")
        at = blank.end()
    if template[at:]:
        yield Piece(template[at:])


def _named(did: str, target: str) -> dict[str, str]:
    """Return the parts of the path that an endpoint names."""
    found = _PATTERNS[did].fullmatch(target) if did in _PATTERNS else None
    return {} if found is None else {name: unquote(value) for name, value in found.groupdict().items()}


def _pattern(route: str) -> re.Pattern[str]:
    parts = re.split(r"<(?:[^<>:]*:)?(\w+)>", route)
    return re.compile("".join(f"(?P<{p}>[^/]+)" if i % 2 else re.escape(p) for i, p in enumerate(parts)))


_PATTERNS = {did: _pattern(did.partition(" ")[2]) for did in WORDS}
