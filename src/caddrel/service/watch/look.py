"""Looking everything over: each thing that is wrong, due or worth a look, until somebody sets it aside.

What is set aside comes back as soon as it is another thing: its mark holds what it was when it was set aside.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import NamedTuple

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.pieces import Piece, Sentence, counted, plain, say
from caddrel.service.profiles import reviews
from caddrel.service.proving.standing_proofs import GUARANTEE, SAFEGUARD
from caddrel.service.rulebooks.changes import changed_objects
from caddrel.service.rulebooks.findings import Findings
from caddrel.service.rulebooks.view import pieces
from caddrel.service.signins.strange_words import StrangeWords
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.tracing.doctor import examine
from caddrel.service.watch.causes import Growth, growing
from caddrel.service.watch.first_steps import first_steps
from caddrel.service.watch.shadow_policies import shadow_policies
from caddrel.store.queries import Query
from caddrel.wire import watch as wire

SOON = timedelta(days=14)
DAYS = 14
# A feed that is silent for so long may have died.
SILENT = timedelta(days=7)
MOST_MEMBERSHIPS = 20
# What of the inventory was changed so shortly before a cause was first there may have led to it.
JUST_BEFORE = timedelta(days=1)
NOUNS = ("people", "groups", "devices", "apps", "lists")
# What the doctor looks at that is said here already, in a better way.
_SAID = {"rulebook"}


class _Item(NamedTuple):
    key: str
    kind: str
    state: str
    says: Sentence
    # What makes it another thing than it was.
    mark: str
    detail: str = ""


class Looked(NamedTuple):
    """What a look found, and the sign-ins of each day."""

    items: list[_Item]
    days: list[tuple[int, str, int]]


def look(data: DataFolder, findings: Findings, words: StrangeWords) -> Looked:
    """Return everything that is wrong, due or worth a look; what is set aside too."""
    now = data.clock()
    found = [
        *_causes(data, now),
        *_findings(data, findings),
        *_proven(data),
        *_held(data),
        *_events(data, now),
        *_shadow(data, now),
        *_ending(data, now),
        *_reviews(data),
        *_feeds(data, findings, words),
    ]
    return Looked(found, list(data.signins.per_day(Query(since=now - timedelta(days=DAYS)))))


def view(data: DataFolder, looked: Looked) -> wire.Watch:
    """Return what was found as it is shown, by what is set aside now."""
    aside = data.set_aside.all()
    items = [_view(item, aside) for item in looked.items]
    order = {"wrong": 0, "due": 1, "look": 2}
    items.sort(key=lambda item: (bool(item.set_aside), order[item.state]))
    open_ = [item for item in items if not item.set_aside]
    wrong = sum(item.state == "wrong" for item in open_)
    return wire.Watch(
        _sum(wrong, len(open_) - wrong),
        wrong == 0,
        items,
        wire.day_counts(looked.days),
        first_steps(data, data.clock()),
    )


def _sum(wrong: int, others: int) -> str:
    if not wrong and not others:
        return "Nothing is wrong, and nothing is due."
    said = []
    if wrong:
        said.append("1 thing is wrong" if wrong == 1 else f"{wrong} things are wrong")
    if others:
        said.append(f"{others} {'is' if others == 1 else 'are'} due or worth a look")
    return f"{'; '.join(said)}."


def _view(item: _Item, aside: dict[str, tuple[str, str, str]]) -> wire.WatchItem:
    mark = mark_of(item.mark)
    held = aside.get(item.key)
    said = held if held is not None and held[0] == mark else None
    return wire.WatchItem(
        item.key, item.kind, item.state, pieces(item.says), item.detail, mark,
        said[1] if said else "", said[2] if said else "",
    )  # fmt: skip


def mark_of(text: str) -> str:
    """Return a short mark of what a thing is."""
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _causes(data: DataFolder, now: datetime) -> Iterator[_Item]:
    current = data.rulebooks.need_current() if data.rulebooks.current() is not None else None
    for growth in growing(data, now) if current is not None else ():
        cause = growth.cause
        policy = cause.document["policy"] or ""
        title = data.rulebooks.need_current().rulebook.policies.get(policy)
        name = Piece((title.title if title else "") or policy or "no policy", "policy", policy)
        kind = "New" if growth.new else "Growing"
        said = say(
            f"{kind}: “",
            name,
            f"” stops {counted(cause.people, 'person', 'people')}, {counted(cause.count, 'sign-in')} this week",
            _than(growth),
            ".",
        )
        # Twice as much of it is another thing.
        mark = f"{cause.key} {cause.count.bit_length()}"
        yield _Item(f"cause:{cause.key}", "cause", "wrong", said, mark, _before(data, growth))


def _than(growth: Growth) -> str:
    return "" if growth.new else f", against {max(growth.before)} at most in the weeks before"


def _before(data: DataFolder, growth: Growth) -> str:
    """Return what changed just before a cause was there, or there this week: the rulebook, the inventory."""
    return "; ".join([*_revision(data, growth), *_inventory(data, growth)])


def _revision(data: DataFolder, growth: Growth) -> Iterator[str]:
    number = growth.cause.first_revision
    if number <= 1 or not growth.new:
        return
    before, after = data.rulebooks.get(number - 1).rulebook, data.rulebooks.get(number)
    changed = changed_objects(before, after.rulebook, {growth.cause.document["policy"] or ""})
    names = ", ".join(piece.text for piece in changed[:3])
    if names:
        yield f"since revision {number} ({after.revision.why[:120]}), which changed {names}"


def _inventory(data: DataFolder, growth: Growth) -> Iterator[str]:
    first = growth.cause.first
    changes = data.audit.done(first - JUST_BEFORE, first, [f"/api/v1/{noun}" for noun in NOUNS])
    # Reports on devices come all the time, and are no change that somebody made.
    made = [each for each in changes if not each.target.endswith("/state")]
    if made:
        noun, note = made[0].target.split("/")[3], f": {made[0].note[:120]}" if made[0].note else ""
        more = f" and {counted(len(made) - 1, 'more change')}" if len(made) > 1 else ""
        yield f"after {made[0].who} changed {noun} on {show_moment(made[0].at)[:16].replace('T', ' ')}{note}{more}"


def _findings(data: DataFolder, findings: Findings) -> Iterator[_Item]:
    published = data.rulebooks.current()
    if published is None:
        return
    for found in findings.of(published):
        if found.severity == "note":
            continue
        failing = found.code == "rehearsal-fails"
        kind, state = ("rehearsal", "wrong") if failing else ("lint", "look")
        said = _found_in(published.rulebook, found)
        yield _Item(f"{kind}:{found.code}:{found.path}", kind, state, said, found.message, _sentence(found.hint))


def _found_in(rulebook: Rulebook, found: Diagnostic) -> Sentence:
    """Return what is doubtful, with the policy that it is in by its name."""
    noun, _, rest = found.path.partition(".")
    policy = rulebook.policies.get(re.split(r"[.\[]", rest)[0]) if noun == "policies" else None
    if policy is None or (policy.title and policy.title in found.message):
        return say(f"{_sentence(found.message)}.")
    return say("“", Piece(policy.title or policy.id, "policy", policy.id), f"”: {found.message}.")


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


def _proven(data: DataFolder) -> Iterator[_Item]:
    """Yield the guarantees that do not hold, and the safeguards that fail and did pass before."""
    for last in data.proven.all(GUARANTEE).values():
        if last.answer != "holds":
            state, does = ("wrong", "fails") if last.answer == "fails" else ("look", "cannot be told in time")
            until = "It held until then." if last.before == "holds" else ""
            said = say(f"The guarantee {last.name} {does}, since {last.since:%Y-%m-%d}: {last.definition}")
            yield _Item(f"guarantee:{last.name}", "guarantee", state, said, f"{last.definition} {last.answer}", until)
    for last in data.proven.all(SAFEGUARD).values():
        if (last.before, last.answer) == ("passes", "fails"):
            said = say(f"The safeguard “{last.definition}” fails since {last.since:%Y-%m-%d}, and passed before.")
            yield _Item(f"guarantee:{last.name}", "guarantee", "look", said, last.answer)


def _held(data: DataFolder) -> Iterator[_Item]:
    """Yield the changes that wait for somebody to look at whose sessions they would end."""
    for change in data.held_changes.open():
        said = say(f"A change is held since {show_moment(change.at)[:16].replace('T', ' ')}: {change.why}.")
        yield _Item(f"held:{change.number}", "held", "wrong", said, str(change.number), change.because[:300])


def _events(data: DataFolder, now: datetime) -> Iterator[_Item]:
    """Yield the feeds that have said something wrong, or nothing for long, and the streams that have stopped."""
    for feed in data.feeds.all():
        if feed.error:
            said = say(f"The feed {feed.name} said something that was not taken.")
            yield _Item(f"feed:{feed.name}", "feed", "look", said, feed.error, feed.error)
        elif not feed.paused and feed.last is not None and now - feed.last > SILENT:
            said = say(f"The feed {feed.name} has said nothing since {feed.last:%Y-%m-%d}.")
            yield _Item(f"feed:{feed.name}", "feed", "look", said, show_moment(feed.last), "its facts grow old")
    for source in data.sources.all():
        if source.error and not source.paused:
            said = say(f"{source.name} is not taken in from {source.source}.")
            yield _Item(f"feed:{source.name}", "feed", "look", said, source.held or source.error, source.error)
    for stream in data.event_streams.all():
        if stream.status == "paused" and stream.reason:
            said = say(f"A stream of events is paused: {stream.reason}.")
            yield _Item(f"feed:{stream.id}", "feed", "look", said, stream.reason, "its receiver has it go on")


def _shadow(data: DataFolder, now: datetime) -> Iterator[_Item]:
    for policy in shadow_policies(data, now):
        name = Piece(policy.title, "policy", policy.policy)
        ready = "ready to be enforced" if policy.ready else "not ready to be enforced"
        said = say("“", name, f"” is in shadow since {policy.since[:10]} and {ready}: {policy.why}.")
        yield _Item(f"shadow:{policy.policy}", "shadow", "due" if policy.ready else "look", said, plain(said))


def _ending(data: DataFolder, now: datetime) -> Iterator[_Item]:
    inventory, until = data.inventories.current(), now + SOON
    ending = sorted(
        (end, person.title or person.id, person.id, group)
        for person in inventory.people.values()
        for group, end in person.groups_until
        if now < end <= until
    )
    for end, title, id, group in ending[:MOST_MEMBERSHIPS]:
        said = say(Piece(title, "person", id), f" leaves the group {group} on {end:%Y-%m-%d}.")
        yield _Item(f"membership:{id}:{group}", "ending", "due", said, f"{id} {group} {show_moment(end)}")
    yield from _ending_tokens(data, now, until)
    published = data.rulebooks.current()
    for policy in published.rulebook.policies.values() if published is not None else ():
        active = policy.scope.active
        if policy.mode != "off" and active is not None and active.end is not None and now < active.end <= until:
            said = say("“", Piece(policy.title or policy.id, "policy", policy.id), f"” ends on {active.end:%Y-%m-%d}.")
            yield _Item(f"active:{policy.id}", "ending", "due", said, show_moment(active.end))


def _ending_tokens(data: DataFolder, now: datetime, until: datetime) -> Iterator[_Item]:
    """Yield the tokens that end soon; those of one name that end on one day are one thing."""
    together: dict[tuple[str, str], list[tuple[str, datetime]]] = {}
    for token in data.accounts.all_tokens():
        end = token.expires_at
        if end is not None and token.revoked_at is None and now < end <= until:
            together.setdefault((token.name, f"{end:%Y-%m-%d}"), []).append((token.id, end))
    for (name, day), each in together.items():
        what = f"The token “{name}” ends" if len(each) == 1 else f"{len(each)} tokens “{name}” end"
        mark = " ".join(sorted(f"{id} {show_moment(end)}" for id, end in each))
        yield _Item(f"token:{min(each)[0]}", "ending", "due", say(f"{what} on {day}."), mark)


def _reviews(data: DataFolder) -> Iterator[_Item]:
    """Yield the policies that were reviewed and are to be again; where nobody reviews, nothing is due."""
    for each in reviews.due(data).items:
        if each.last is None or each.state == reviews.GOOD:
            continue
        why = "has changed since it was reviewed" if each.state == reviews.CHANGED else "is to be reviewed again"
        owner = f" by {each.owner}" if each.owner else ""
        said = say("“", Piece(each.title, "policy", each.policy), f"” {why}{owner}; last on {each.last.at[:10]}.")
        yield _Item(f"review:{each.policy}", "review", "due", said, f"{each.state} {each.last.at}")


def _feeds(data: DataFolder, findings: Findings, words: StrangeWords) -> Iterator[_Item]:
    for symptom in examine(data, findings, words).symptoms:
        if symptom.state != "good" and symptom.about not in _SAID:
            state = "wrong" if symptom.state == "bad" else "look"
            # Ages and counts grow by themselves: it is the same thing as long as it is as bad.
            yield _Item(f"feed:{symptom.about}", "feed", state, say(symptom.says), symptom.state, symptom.hint)
