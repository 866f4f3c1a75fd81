"""Declaring endpoints once: route, role, parameters and types, for Flask and for OpenAPI alike.

Not here: what becomes of a request (`http.dispatch`), and the endpoints themselves (`views`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any, BinaryIO, Generic, Literal, TypeVar

from caddrel.service.auth.callers import COOKIE, SECURE_COOKIE, Caller, Callers
from caddrel.service.http.work_limits import Heavy
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.accounts import PROGRAMS

Seen = Literal["", "exact", "any", "new"]
NOBODY_NEEDED = ""
# How long a proof of who somebody is counts as fresh.
PROOF_LASTS = timedelta(minutes=5)


@dataclass(frozen=True, slots=True)
class Param:
    """A query parameter: a text, or where there is a `most` a whole number from 1 on, `usual` when it is left out.

    `words` are all that a text may be, `pattern` tells what it looks like; one that is `needed` cannot be left out.
    """

    name: str
    doc: str
    usual: int = 0
    most: int = 0
    words: tuple[str, ...] = ()
    needed: bool = False
    pattern: str = ""


@dataclass(frozen=True, slots=True)
class Stream:
    """An answer that is written piece by piece."""

    media: str
    pieces: Iterable[bytes]
    filename: str = ""


@dataclass(frozen=True, slots=True)
class Answer:
    """An answer in the words of a standard of its own: status, media type, and what it says, None for nothing."""

    status: int
    document: Any = None
    media: str = "application/json"
    headers: Mapping[str, str] = field(default_factory=dict)


@dataclass(slots=True, kw_only=True, repr=False)
class Serving:
    """What every request needs before its view is asked.

    Attributes
    ----------
    callers
        Tells who asks.
    heavy
        The places for work that takes long.
    """

    data: DataFolder
    callers: Callers
    heavy: Heavy = field(default_factory=Heavy)


R = TypeVar("R", bound=Serving)


@dataclass(slots=True)
class Call(Generic[R]):
    """One request as a view sees it."""

    runtime: R
    caller: Caller | None
    path: dict[str, str]
    query: dict[str, str]
    body: Any = None
    stream: BinaryIO | None = None
    cookie: str = ""
    base: str = ""
    request_id: str = ""
    link: str = ""
    noted: str = ""
    expected: str = ""
    seen: str = ""
    etag: str = ""
    cookies: dict[str, str | None] = field(default_factory=dict)
    address: str = ""
    csrf: str = ""
    # Where a browser says that the request comes from (Fetch Metadata, section 2.4); empty when it does not say.
    site: str = ""
    is_json: bool = False
    secure: bool = False

    @property
    def data(self) -> DataFolder:
        """What is kept."""
        return self.runtime.data

    def who(self) -> Caller:
        """Return the caller of an endpoint that needs one."""
        if self.caller is None:
            raise ServiceError(401, "not-signed-in", "sign in, or send a bearer token")
        return self.caller

    def set_cookie(self, value: str | None) -> None:
        """Have the session cookie set, or with None taken away; over https under a name that only this host can set."""
        self.cookies[SECURE_COOKIE if self.secure else COOKIE] = value

    def proved_lately(self) -> None:
        """Refuse a console session that has not proved who it is for a while; a token has nothing else to prove."""
        caller = self.who()
        if caller.session and self.data.clock() - caller.proved > PROOF_LASTS:
            hint = "prove it again: POST /api/v1/session/proof with the password or a second factor"
            raise ServiceError(403, "prove-again", "this asks for a fresh proof of who you are", hint)

    def unchanged(self, etag: str) -> bool:
        """Tell whether the caller has seen this already (RFC 9110, section 13.1.2); the answer carries the tag."""
        self.etag = f'"{etag}"'
        return self.etag in {part.strip() for part in self.seen.split(",")}

    def number(self, param: Param) -> int:
        """Return a query parameter that is a whole number."""
        text = self.query.get(param.name, "")
        if not text:
            return param.usual
        digits = text.isascii() and text.isdigit() and len(text) <= len(str(param.most))
        if not (digits and 1 <= int(text) <= param.most):
            raise ServiceError(400, "bad-parameter", f"`{param.name}` is a whole number from 1 to {param.most}")
        return int(text)


@dataclass(frozen=True, slots=True)
class Endpoint(Generic[R]):
    """One declared endpoint."""

    method: str
    route: str
    view: Callable[[Call[R]], Any]
    role: str
    returns: type
    summary: str
    body: type | None = None
    stream: str = ""
    params: tuple[Param, ...] = ()
    limit: str = "body"
    status: int = 200
    doors: bool = False
    changes: bool = False
    heavy: str = ""
    seen: Seen = ""
    media: tuple[str, ...] = ()


class Endpoints(Generic[R]):
    """A collection of endpoints, filled by decorators."""

    def __init__(self) -> None:
        self.all: list[Endpoint[R]] = []

    def add(
        self,
        method: str,
        route: str,
        *,
        role: str,
        returns: type,
        body: type | None = None,
        stream: str = "",
        params: Sequence[Param] = (),
        limit: str = "body",
        status: int = 200,
        doors: bool = False,
        changes: bool | None = None,
        heavy: str = "",
        seen: Seen = "",
        media: Sequence[str] = (),
    ) -> Callable[[Callable[[Call[R]], Any]], Callable[[Call[R]], Any]]:
        """Declare the decorated view; the first line of its docstring is its summary.

        Parameters
        ----------
        doors
            Whether the tokens of doors may call it too.
        changes
            Whether the audit trail tells of it; when left out, of whatever needs more than a viewer and is no GET.
        heavy
            The kind of work, where it takes long: only so much of it is done at once.
        seen
            Which version a request must say that it is about (``If-Match``): the one that was read, ``exact``; or also
            whatever is there, ``any``; or also that there is none yet, ``new`` (``If-None-Match``).
        media
            What a stream may be.
        """
        audited = method != "GET" and role not in {NOBODY_NEEDED, *PROGRAMS, "viewer"} if changes is None else changes

        def declare(view: Callable[[Call[R]], Any]) -> Callable[[Call[R]], Any]:
            summary = (view.__doc__ or "").strip().splitlines()[0]
            self.all.append(
                Endpoint(
                    method,
                    route,
                    view,
                    role,
                    returns,
                    summary,
                    body,
                    stream,
                    tuple(params),
                    limit,
                    status,
                    doors,
                    audited,
                    heavy,
                    seen,
                    tuple(media),
                )
            )
            return view

        return declare
