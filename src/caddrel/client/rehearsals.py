"""Tables of rehearsals, two side by side, the steps to a first device, and those that are kept."""

from __future__ import annotations

from collections.abc import Mapping

from caddrel.client.caller import Caller
from caddrel.wire import cases, decisions, rehearsals, rulebooks


class Rehearsals:
    """More than one rehearsal; one is `Caddrel.rehearse`."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def matrix(self, request: cases.MatrixRequest) -> cases.Matrix:
        """Return what can come of every combination of the values of one or two facts."""
        return self._caller.post("/api/v1/rehearse/matrix", request, cases.Matrix)

    def beside(self, left: decisions.RehearseRequest, right: decisions.RehearseRequest) -> rehearsals.Beside:
        """Return two rehearsals with what differs between them."""
        asked = rehearsals.BesideRequest(left, right)
        return self._caller.post("/api/v1/rehearse/beside", asked, rehearsals.Beside)

    def first_device(
        self,
        given: Mapping[str, str],
        *,
        files: list[decisions.File] | None = None,
        draft: str = "",
        revision: int | None = None,
    ) -> rehearsals.FirstDevice:
        """Return how somebody who has nothing yet gets in with a first device.

        Parameters
        ----------
        given
            Facts as text: the person, the app, `enrolling.factor`, `enrolling.owner`, `enrolling.depth` and others.
        """
        asked = rehearsals.FirstDeviceRequest(dict(given), draft, files, revision)
        return self._caller.post("/api/v1/rehearse/first-device", asked, rehearsals.FirstDevice)

    def choices(self, draft: str = "") -> rulebooks.FactList:
        """Return the facts of the current rulebook, or of a draft, with what can be chosen for them."""
        return self._caller.get("/api/v1/facts", rulebooks.FactList, {"draft": draft})

    def kept(self, draft: str = "") -> list[rehearsals.RehearsalInfo]:
        """Return the rehearsals that the current revision, or a draft, keeps."""
        return self._caller.get("/api/v1/rehearse/kept", rehearsals.RehearsalList, {"draft": draft}).items
