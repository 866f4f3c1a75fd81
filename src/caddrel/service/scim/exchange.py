"""One exchange of SCIM 2.0 (RFC 7644): a request of a directory, and what it is answered.

Not here: where the endpoints are (`views.scim`). They come here when the first is asked for: the models of the messages
take as long to make as all the rest of the service takes to start.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, nullcontext
from functools import cache, partial
from itertools import chain, groupby, islice
from typing import Any

import structlog
from scim2_models import BulkOperation, Resource, SCIMException
from scim2_server.bulk import BulkPlan, BulkStep
from scim2_server.handler import ScimHandler
from scim2_server.requests import ScimRequest
from scim2_server.responses import SCIM_MEDIA_TYPE, ScimResponse
from scim2_server.routing import Operation
from scim2_server.service import BULK_SUCCESS_STATUS, ScimService

from caddrel.service.http.endpoints import Answer
from caddrel.service.inventory.changes import InventoryChanges
from caddrel.service.scim.questions import asks
from caddrel.service.scim.resources import provider
from caddrel.service.scim.storage import InventoryStorage
from caddrel.service.state.data_folder import DataFolder

_log = structlog.get_logger("caddrel.directory")
# One directory's change after the other: each is made to what was read. Held for the whole of a message: of several
# that are read and answered at once each takes turns from the doors, and none is done any sooner.
_writing = threading.Lock()
# Changes of people; whoever else writes to the file waits for one commit.
IN_A_COMMIT = 20
# Seconds that a directory waits for doors after each.
LONGEST_WAY = 0.5


class _Service(ScimService):
    def publish(self, base_url: str, resource: Resource[Any]) -> Resource[Any]:
        """Put addresses into a resource, as the one above does into a copy: here each is made for one answer."""
        assert resource.meta is not None
        assert resource.id is not None
        resource.meta.location = self.resource_location(base_url, self.get_resource_type_of(resource), resource.id)
        self._publish_references(base_url, resource)
        return resource

    def bulk_success(
        self,
        base_url: str,
        operation: BulkOperation[Resource[Any]],
        outcome: dict[str, Any],
        resource: Resource[Any] | None,
    ) -> dict[str, Any]:
        """Return what is told of a change that was made: where it is, and which version."""
        assert operation.method is not None
        found = {**outcome, "status": BULK_SUCCESS_STATUS[operation.method]}
        if resource is not None:
            assert resource.meta is not None
            found["location"] = self.resource_location(base_url, self.get_resource_type_of(resource), str(resource.id))
            found["version"] = resource.meta.version
        return found

    def bulk_failure(self, outcome: dict[str, Any], exception: Exception) -> dict[str, Any]:
        """Return what is told of a change that failed; what nobody expected is in the service's log."""
        if not isinstance(exception, SCIMException):
            _log.error("directory.failed", exc_info=exception)
        return super().bulk_failure(outcome, exception)


class _Handler(ScimHandler):
    storage: InventoryStorage

    def patch_resource(self, *asked: Any) -> Resource[Any]:
        """Change a person or a group by what is there: whatever is not in what comes of it was taken away."""
        self.storage.whole = True
        try:
            return super().patch_resource(*asked)
        finally:
            self.storage.whole = False

    def bulk(self, request: ScimRequest) -> ScimResponse:
        """Do what many changes say, one after the other (section 3.7); those of people some in a commit.

        Each is what it would be by itself: one that fails leaves nothing, and the others stay.
        """
        with self.service.provider:
            self.service.route(request, Operation.bulk)
            self.storage.brief = True
            asked = self.service.read_bulk(request.body, request.header("Content-Type"))
            of_people = partial(_is_of_people, asked)
            for are_people, steps in groupby(asked, of_people):
                # A group's change is made of people as they are committed.
                most = IN_A_COMMIT if are_people else 1
                # One after the other: how the one went may be the end of it.
                while (first := next(steps, None)) is not None:
                    with self._giving_way(), self.storage.inventory.together() if are_people else nullcontext():
                        for step in chain([first], islice(steps, most - 1)):
                            asked.record(step, *self.run_bulk_step(request, asked, step))
            return self.service.bulk_response(asked)

    @contextmanager
    def _giving_way(self) -> Iterator[None]:
        """Have those at doors, where there are any just now, have the machine for half as long as something took of it.

        Of the processor, that is: where doors are busy most of the time goes by waiting for them.
        """
        log, began = self.storage.data.signins, time.thread_time()
        there = log.version()
        yield
        if log.version() != there:
            time.sleep(min((time.thread_time() - began) / 2, LONGEST_WAY))


def _is_of_people(asked: BulkPlan, step: BulkStep) -> bool:
    return (asked.operation(step).path or "").lstrip("/").partition("/")[0] == "Users"


@cache
def _service() -> ScimService:
    return _Service(provider())


def answered(
    data: DataFolder,
    changes: InventoryChanges,
    directory: str,
    method: str,
    url: tuple[str, str, Mapping[str, str]],
    headers: Mapping[str, str],
    body: bytes,
) -> Answer:
    """Return the answer to a message.

    Parameters
    ----------
    directory
        The name of whose token it came with: what it makes is kept by it.
    url
        Where the endpoints are, the path below it, and the query.
    headers
        Of those of HTTP the ones that are about versions (section 3.14).
    """
    base, path, query = url
    service = _service()
    request = ScimRequest(method, base, path, query, {"Content-Type": SCIM_MEDIA_TYPE, **headers}, body)
    try:
        with nullcontext() if asks(method, path) else _writing:
            response = _Handler(service, InventoryStorage(data, changes, directory)).handle(request)
    except SCIMException as refused:
        response = service.error_response(refused)
    told = {name: value for name, value in response.headers.items() if name.lower() != "content-type"}
    return Answer(int(response.status), response.body, SCIM_MEDIA_TYPE, told)
