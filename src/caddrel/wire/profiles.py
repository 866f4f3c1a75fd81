"""One object of the inventory looked at from all sides, as it travels."""

from __future__ import annotations

import msgspec

from caddrel.wire.coverage import GridCell
from caddrel.wire.decisions import Piece, RuleRef
from caddrel.wire.inventory import Item, OutcomeTurned, StandardState
from caddrel.wire.rehearsals import GroupView


class NamedObject(msgspec.Struct, frozen=True):
    """An object by id, with its title."""

    id: str
    title: str


class AppReach(msgspec.Struct, frozen=True):
    """An app, and what a plain sign-in of somebody to it comes to now.

    Attributes
    ----------
    says
        Why, or what is asked for, in one sentence.
    deciding
        The rules that decide.
    """

    app: str
    title: str
    outcome: str
    says: list[Piece]
    deciding: list[RuleRef]


class DeviceLine(msgspec.Struct, frozen=True):
    """A device of somebody; `failing` are the standards that it does not surely pass now."""

    id: str
    title: str
    platform: str
    os_version: str
    failing: list[str]


class SigninLine(msgspec.Struct, frozen=True):
    """A sign-in of the log."""

    id: str
    at: str
    person: str
    app: str
    device: str
    outcome: str


class SessionLine(msgspec.Struct, frozen=True):
    """A session at a door that nobody has ended."""

    id: str
    app: str
    device: str
    seen: str


class NoticeAccepted(msgspec.Struct, frozen=True):
    """A notice that somebody has accepted."""

    notice: str
    version: int
    accepted: str


class PersonProfile(msgspec.Struct, frozen=True):
    """A person, and what follows from all that is known of them.

    Attributes
    ----------
    off
        Since when they have left; empty while they are there.
    risk, risk_from
        What is said of their account's risk, and who said so; empty where nobody did.
    locked_until
        Until when their password is refused, empty where it is not.
    device, address
        Where they mostly come from; the sign-ins of `reach` come from there.
    """

    item: Item
    off: str
    kind: str
    unit: str
    groups: list[GroupView]
    roles: list[str]
    factors: list[str] | None
    devices: list[DeviceLine]
    risk: str
    risk_from: str
    locked_until: str
    sessions: list[SessionLine]
    starter_codes: int
    accepted: list[NoticeAccepted]
    signins: list[SigninLine]
    device: str
    address: str
    reach: list[AppReach]


class UserOf(msgspec.Struct, frozen=True):
    """Somebody who signs in from a device: how often among its last sign-ins, and when last."""

    person: str
    title: str
    count: int
    last: str


class DeviceProfile(msgspec.Struct, frozen=True):
    """A device, and what follows from its state.

    Attributes
    ----------
    state_at
        When its state was reported last, empty where never; `state_age` in words.
    reach
        What its owner's plain sign-ins from it come to now; none where it has none.
    """

    item: Item
    owner: NamedObject | None
    state_at: str
    state_age: str
    standards: list[StandardState]
    users: list[UserOf]
    signins: list[SigninLine]
    reach: list[AppReach]


class Speaks(msgspec.Struct, frozen=True):
    """A policy that speaks about something; `naming` when it names it, else it is about it among others."""

    policy: str
    title: str
    mode: str
    naming: bool
    sentence: list[Piece]


class AppRow(msgspec.Struct, frozen=True):
    """An audience, and what its sign-ins to an app can meet, as in the coverage grid."""

    audience: str
    title: str
    people: int
    cell: GridCell


class AppCoverage(msgspec.Struct, frozen=True):
    """Who can reach an app how: its column of the coverage grid.

    Attributes
    ----------
    rows
        Audiences in which there is somebody; empty where the cases take too long to go through.
    exact
        False where other outcomes are not excluded.
    """

    rows: list[AppRow]
    password_alone: bool
    exact: bool


class AppMet(msgspec.Struct, frozen=True):
    """An app, and what sign-ins to it can meet, as in the coverage grid."""

    app: str
    title: str
    cell: GridCell


class ReachCoverage(msgspec.Struct, frozen=True):
    """What somebody, or anybody of a group, can meet at each app from any device, place and moment, at no risk.

    Attributes
    ----------
    apps
        Empty where there is nobody, or the cases take too long to go through.
    exact
        False where other outcomes are not excluded.
    """

    apps: list[AppMet]
    exact: bool


class AppProfile(msgspec.Struct, frozen=True):
    """An app: its stance, and the policies that speak about it.

    Attributes
    ----------
    stance, own_stance
        As it counts, and whether the app has a line of its own for it.
    """

    item: Item
    labels: list[str]
    stance: str
    own_stance: bool
    policies: list[Speaks]
    signins: list[SigninLine]


class MemberLine(msgspec.Struct, frozen=True):
    """Somebody who is in a group: through which groups, and until when; both empty for a membership that lasts."""

    person: str
    title: str
    through: list[str]
    until: str


class GroupProfile(msgspec.Struct, frozen=True):
    """A group: who is in it and why, what it is in, and which policies name it.

    Attributes
    ----------
    members
        The first of them by id; `count` is how many there are.
    parents, children
        The groups that it is a member of, directly or through others; those that are its members.
    """

    item: Item
    count: int
    members: list[MemberLine]
    parents: list[NamedObject]
    children: list[NamedObject]
    policies: list[Speaks]


class Joining(msgspec.Struct, frozen=True):
    """What would turn for somebody who became a member of a group; `already` where they are in it."""

    group: str
    person: str
    already: bool
    groups: list[str]
    turned: list[OutcomeTurned]


class ListProfile(msgspec.Struct, frozen=True):
    """An address list: how many networks it holds, the first of them, and the places that use it."""

    item: Item
    count: int
    networks: list[str]
    places: list[NamedObject]


class FailedCheck(msgspec.Struct, frozen=True):
    """A check of a standard that a device does not surely pass."""

    check: str
    title: str
    truth: str
    fix: str


class FailingDevice(msgspec.Struct, frozen=True):
    """A device that does not surely pass a standard.

    Attributes
    ----------
    truth
        ``false``, or ``unknown`` where it is not known.
    loses
        The apps that its owner is not let into from it, because of the standard.
    """

    device: str
    title: str
    person: str
    person_title: str
    truth: str
    checks: list[FailedCheck]
    loses: list[str]


class FailingDevices(msgspec.Struct, frozen=True):
    """The devices that fail a standard, by id.

    Attributes
    ----------
    devices, total
        How many of all devices fail.
    people
        How many own one of those.
    losing
        How many of those on this page lose an app.
    """

    standard: str
    title: str
    draft: str
    devices: int
    total: int
    people: int
    losing: int
    items: list[FailingDevice]
    next: str | None
    contact: str
