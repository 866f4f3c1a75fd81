"""Asking others over the network: a door to the inside, so only over https, and to addresses that are public.

What a name stands for is looked up once, and that address is asked, so that a name that changes in between leads
nowhere else. Redirects are not followed; answers have a most length and a longest time.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
import time
from dataclasses import dataclass
from functools import cache
from urllib.parse import urlsplit

import httpx

from caddrel.core.diagnostics import shorten
from caddrel.service.problems import ServiceError

# Seconds without a word, and until an answer is whole; and bytes of it.
SECONDS, LONGEST, MOST_ANSWER = 10.0, 60.0, 10_000_000
# What these stand for is written in their last 32 bits (RFC 6052, section 2.1; RFC 4291, section 2.5.5.1).
_TRANSLATED = [ipaddress.IPv6Network(each) for each in ("64:ff9b::/96", "::/96")]
# Translated within one's own network (RFC 8215).
_OWN = ipaddress.IPv6Network("64:ff9b:1::/48")


class Unreached(Exception):
    """Nobody answered as they should have; says why."""


@dataclass(frozen=True, slots=True)
class Answered:
    """What came back."""

    status: int
    body: bytes
    headers: dict[str, str]


def checked_url(text: str, private: bool) -> str:
    """Return an address that may be asked.

    Parameters
    ----------
    private
        Whether it may be of this network, and over http.

    Raises
    ------
    ServiceError
        When it may not be.
    """
    parts = urlsplit(text)
    schemes = ("https", "http") if private else ("https",)
    if parts.scheme not in schemes or not parts.hostname or parts.username or parts.fragment or len(text) > 2_000:
        raise ServiceError(422, "bad-address", f"`{shorten(text)}` is no https address", "such as https://…/events")
    return text


def send(
    method: str, url: str, headers: dict[str, str], body: bytes | None, private: bool, most: int = MOST_ANSWER
) -> Answered:
    """Send something, and return what came back: at most so many bytes.

    Raises
    ------
    Unreached
        When nobody answers, or the address may not be asked.
    """
    try:
        checked_url(url, private)
    except ServiceError as refused:
        raise Unreached(str(refused)) from None
    parts = urlsplit(url)
    host = parts.hostname or ""
    port = parts.port or (443 if parts.scheme == "https" else 80)
    address = _address(host, port, private)
    at = f"[{address}]" if ":" in address else address
    target = parts._replace(netloc=f"{at}:{port}").geturl()
    shown = host if parts.port is None else f"{host}:{parts.port}"
    try:
        with (
            httpx.Client(timeout=SECONDS, follow_redirects=False, trust_env=False, verify=_trusted()) as client,
            client.stream(
                method, target, headers={**headers, "Host": shown, "Accept-Encoding": "identity"}, content=body,
                extensions={"sni_hostname": host} if parts.scheme == "https" else {},
            ) as response,
        ):  # fmt: skip
            read, until = b"", time.monotonic() + LONGEST
            # As it comes: nothing was asked for packed, and unpacked a little may be very much.
            for piece in response.iter_raw():
                read += piece
                if len(read) > most:
                    raise Unreached("the answer is too long")
                if time.monotonic() > until:
                    raise Unreached("the answer takes too long")
            return Answered(response.status_code, read, dict(response.headers))
    except (httpx.HTTPError, httpx.InvalidURL, OSError) as error:
        raise Unreached(f"no answer: {type(error).__name__}") from error


@cache
def _trusted() -> ssl.SSLContext:
    # Whom one trusts does not change, and takes longer to load than an event takes to send.
    return httpx.create_ssl_context(trust_env=False)


def _address(host: str, port: int, private: bool) -> str:
    """Return the address that a name stands for."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError as error:
        raise Unreached(f"there is no host {host[:200]}") from error
    for *_, where in found:
        address = ipaddress.ip_address(str(where[0]).partition("%")[0])
        if private or _is_public(address):
            return str(address)
    raise Unreached(f"{host[:200]} is an address of this network, which may not be asked: see --allow-private")


def _is_public(address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Tell whether an address is of nobody's own network; one that stands for others is what these are."""
    if not address.is_global or address.is_multicast:
        return False
    if isinstance(address, ipaddress.IPv4Address):
        return True
    if address in _OWN:
        return False
    held: list[ipaddress.IPv4Address | None] = [address.ipv4_mapped, address.sixtofour, *(address.teredo or ())]
    if any(address in each for each in _TRANSLATED):
        held.append(ipaddress.IPv4Address(int(address) & 0xFFFF_FFFF))
    return all(each is None or _is_public(each) for each in held)
