"""Causes as readers see them: who is affected, since which revision, and what would help all at once."""

from __future__ import annotations

import ipaddress
import json
from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from caddrel.core.facts.types import Network
from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.pieces import Piece, Sentence, say
from caddrel.service.rulebooks.changes import changed_objects
from caddrel.service.rulebooks.publish import info
from caddrel.service.rulebooks.view import pieces
from caddrel.service.signins.rows import summary
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import titled
from caddrel.store.causes import CauseCount
from caddrel.store.queries import Query
from caddrel.wire import signins as wire
from caddrel.wire.decisions import Piece as WirePiece
from caddrel.wire.problems import Change

SAMPLE = 3
# The widest network that a change may add: wider, and it would let in more than was seen.
_WIDEST = {4: 24, 6: 48}


def causes(data: DataFolder, query: Query) -> wire.CauseList:
    """Return the causes of the sign-ins that match, with what would help."""
    current = data.rulebooks.need_current()
    rulebook = titled(current.rulebook, data.inventories.current())
    found = data.causes.counts(query)
    people, count = data.causes.affected(query)
    return wire.CauseList([_view(data, query, cause, rulebook) for cause in found], count, people)


def _view(data: DataFolder, query: Query, cause: CauseCount, rulebook: Rulebook) -> wire.CauseView:
    document = cause.document
    number = data.revisions.current_number() or 0
    policy = rulebook.policies.get(document["policy"] or "")
    these = replace(query, equal={**query.equal, "cause": cause.key}, limit=SAMPLE, before=None)
    change = _change(data, query, cause, rulebook)
    return wire.CauseView(
        key=cause.key,
        outcome=document["outcome"],
        reason=document["reason"],
        policy=document["policy"],
        policy_title=(policy.title if policy else "") or document["policy"] or "",
        rule=document["rule"],
        because=[WirePiece(p["text"], p.get("kind", ""), p.get("id", "")) for p in document["because"]],
        count=cause.count,
        people=cause.people,
        devices=cause.devices,
        apps=cause.apps,
        first=show_moment(cause.first),
        last=show_moment(cause.last),
        first_ever=show_moment(cause.first_ever),
        new=cause.first_ever == cause.first and (query.since is None or cause.first_ever >= query.since),
        since=info(data.rulebooks.get(cause.first_revision).revision, number),
        changed=_changed_by(data, cause.first_revision, document["policy"] or ""),
        days=[
            wire.DayCount((date(1970, 1, 1) + timedelta(days=day)).isoformat(), count)
            for day, count in sorted(cause.days.items())
        ],
        sample=[summary(record) for record in data.signins.page(these)],
        help=[pieces(sentence) for sentence in _help(document, cause, rulebook, change)],
        change=change,
    )


def _changed_by(data: DataFolder, number: int, policy: str) -> list[WirePiece]:
    """Return the objects that a revision changed; of the first revision none, since all came with it."""
    if number <= 1:
        return []
    before, after = data.rulebooks.get(number - 1).rulebook, data.rulebooks.get(number).rulebook
    return changed_objects(before, after, {policy})


def _help(
    document: Mapping[str, Any], cause: CauseCount, rulebook: Rulebook, change: Change | None
) -> Iterator[Sentence]:
    """Yield what would help all sign-ins of a cause at once, the easiest first."""
    for failed in document["checks"]:
        standard = rulebook.standards.get(failed["standard"])
        check = next((c for c in standard.checks if c.id == failed["check"]), None) if standard else None
        if standard is None or check is None:
            continue
        many = f"{cause.devices} device{'s' if cause.devices != 1 else ''}" if cause.devices else "Devices not named"
        verb = "misses" if cause.devices == 1 else "miss"
        name = Piece(standard.title or standard.id, "standard", standard.id)
        fix = f": {check.fix}" if check.fix else "."
        yield say(f"{many} {verb} “{check.title or check.id}” of ", name, fix)
    if change is not None:
        place = change.path.split(".")[1]
        title = rulebook.places[place].title or place
        added = json.loads(change.value or "[]")[-1]
        yield say(
            f"They came from {added}, which is in no place: if it should count, add it to ",
            Piece(title, "place", place),
            ".",
        )


def _change(data: DataFolder, query: Query, cause: CauseCount, rulebook: Rulebook) -> Change | None:
    """Return the change that adds the network all came from to the one place that none was in; None without one."""
    wanted = [name for name in dict.fromkeys(cause.document["places"]) if name in rulebook.places]
    if len(wanted) != 1:
        return None
    place = _with_networks(rulebook, wanted[0])
    network = _covering(data.causes.addresses_of(query, cause.key))
    if place is None or network is None:
        return None
    everywhere = [n for p in rulebook.places.values() for n in p.parts.networks]
    if any(n.version == network.version and n.overlaps(network) for n in everywhere):
        return None
    networks = [str(n) for n in rulebook.places[place].parts.networks]
    return Change(f"places.{place}.networks", json.dumps([*networks, str(network)]))


def _with_networks(rulebook: Rulebook, place: str) -> str | None:
    return place if rulebook.places[place].parts.networks else None


def _covering(addresses: list[str]) -> Network | None:
    """Return the smallest network that holds all addresses, None when that would be wide."""
    read = [ipaddress.ip_address(address) for address in addresses]
    if not read or len({address.version for address in read}) != 1:
        return None
    network: Network = ipaddress.ip_network(read[0])
    widest = _WIDEST[network.version]
    while not all(address in network for address in read):
        if network.prefixlen <= widest:
            return None
        network = network.supernet()
    return network
