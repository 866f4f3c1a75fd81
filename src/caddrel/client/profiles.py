"""One object of the inventory from all sides, devices on no list, sheets of policies, by the client library."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import quote

from caddrel.client.caller import Caller
from caddrel.wire import profiles, sheets, unlisted


class Profiles:
    """One object looked at from all sides."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def person(self, id: str) -> profiles.PersonProfile:
        """Return a person with memberships, devices, sessions, sign-ins, and what they can open now."""
        return self._caller.get(f"/api/v1/people/{quote(id, safe='')}/profile", profiles.PersonProfile)

    def device(self, id: str) -> profiles.DeviceProfile:
        """Return a device with each standard, its checks, and who signs in from it."""
        return self._caller.get(f"/api/v1/devices/{quote(id, safe='')}/profile", profiles.DeviceProfile)

    def app(self, id: str) -> profiles.AppProfile:
        """Return an app with its stance, and the policies that speak about it."""
        return self._caller.get(f"/api/v1/apps/{quote(id, safe='')}/profile", profiles.AppProfile)

    def app_coverage(self, id: str) -> profiles.AppCoverage:
        """Return who can reach an app how."""
        return self._caller.get(f"/api/v1/apps/{quote(id, safe='')}/coverage", profiles.AppCoverage)

    def person_coverage(self, id: str) -> profiles.ReachCoverage:
        """Return what somebody can meet at each app, wherever they come from."""
        return self._caller.get(f"/api/v1/people/{quote(id, safe='')}/coverage", profiles.ReachCoverage)

    def group_coverage(self, id: str) -> profiles.ReachCoverage:
        """Return what anybody of a group can meet at each app, wherever they come from."""
        return self._caller.get(f"/api/v1/groups/{quote(id, safe='')}/coverage", profiles.ReachCoverage)

    def group(self, id: str) -> profiles.GroupProfile:
        """Return a group with its members through nesting, and the policies that name it."""
        return self._caller.get(f"/api/v1/groups/{quote(id, safe='')}/profile", profiles.GroupProfile)

    def joining(self, group: str, person: str) -> profiles.Joining:
        """Return what somebody would gain or lose who became a member of a group."""
        path = f"/api/v1/groups/{quote(group, safe='')}/joining"
        return self._caller.get(path, profiles.Joining, {"person": person})

    def address_list(self, id: str) -> profiles.ListProfile:
        """Return an address list with the places that use it."""
        return self._caller.get(f"/api/v1/lists/{quote(id, safe='')}/profile", profiles.ListProfile)

    def failing(self, standard: str, draft: str = "") -> Iterator[profiles.FailingDevices]:
        """Yield the devices that fail a standard, page by page."""
        after = ""
        while True:
            params = {"draft": draft, "after": after, "limit": 500}
            path = f"/api/v1/standards/{quote(standard, safe='')}/failing"
            page = self._caller.get(path, profiles.FailingDevices, params)
            yield page
            if page.next is None:
                return
            after = page.next


class Unlisted:
    """Devices that came to a door and are on no list."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def all(self, days: int = 30, *, refused: bool = False) -> unlisted.UnlistedDevices:
        """Return them, those seen last first; with `refused` those that are to stay off the list."""
        params = {"days": days, "refused": "yes" if refused else "no"}
        return self._caller.get("/api/v1/unlisted-devices", unlisted.UnlistedDevices, params)

    def vet(self, device: unlisted.VetRequest) -> unlisted.UnlistedDevices:
        """Put one on the list, as one that may be used; return those that are left."""
        return self._caller.post("/api/v1/unlisted-devices/vetted", device, unlisted.UnlistedDevices)

    def refuse(self, device: str, why: str) -> unlisted.UnlistedDevices:
        """Keep one off the list, for a reason; return those that are left."""
        body = unlisted.RefuseRequest(device, why)
        return self._caller.post("/api/v1/unlisted-devices/refused", body, unlisted.UnlistedDevices)


class Sheets:
    """Policies on one page each, and their reviews."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def policy(self, id: str, draft: str = "") -> sheets.PolicySheet:
        """Return the sheet of a policy."""
        path = f"/api/v1/rulebook/policies/{quote(id, safe='')}/sheet"
        return self._caller.get(path, sheets.PolicySheet, {"draft": draft})

    def all(self, draft: str = "") -> sheets.PolicySheets:
        """Return the sheets of all policies."""
        return self._caller.get("/api/v1/rulebook/sheets", sheets.PolicySheets, {"draft": draft})

    def due(self, owner: str = "") -> list[sheets.ReviewDue]:
        """Return the policies with their last reviews, those that are due first."""
        return self._caller.get("/api/v1/reviews", sheets.ReviewList, {"owner": owner}).items

    def review(self, id: str, digest: str, again: str = "", note: str = "") -> list[sheets.ReviewDue]:
        """Keep that a policy was reviewed as its sheet with this digest has it."""
        path = f"/api/v1/rulebook/policies/{quote(id, safe='')}/reviews"
        return self._caller.post(path, sheets.ReviewRequest(digest, again, note), sheets.ReviewList).items
