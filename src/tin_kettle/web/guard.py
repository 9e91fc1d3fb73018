"""Who may talk to the server: the right Host, the right Origin, and the access key where there is one.

What a page of another site asks for is refused whatever the method, where the browser says so: a look at a song begins
surveys. A name that stands for this machine today may be pointed at it by somebody else: only names that are known and
plain addresses are answered.
"""

from __future__ import annotations

import hmac
import ipaddress
import threading
import time
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from flask import Flask, Response, abort, redirect, request
from werkzeug.wrappers import Response as AnyResponse

COOKIE = "tin-kettle-key"
LOOPBACK = {"localhost", "127.0.0.1", "[::1]"}
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "worker-src 'self' blob:; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
WRONG_KEYS_A_MINUTE = 5
MOST_ADDRESSES = 10000


@dataclass(frozen=True)
class AccessGuard:
    """How the server is reached.

    Args:
        access_key: what every visitor has to bring; None where only this machine can reach the server.
        names: names of this machine under which it may be asked for, beside its addresses.
        certificate, private_key: files (PEM) for HTTPS.
    """

    access_key: str | None = None
    names: frozenset[str] = frozenset()
    certificate: Path | None = None
    private_key: Path | None = None


def guard(app: Flask, door: AccessGuard) -> None:
    """Check every request, the socket's opening among them, before anything else looks at it."""
    wrong = WrongKeys()

    @app.before_request
    def check() -> AnyResponse | None:
        host = request.headers.get("Host", "")
        name = (host.rsplit(":", 1)[0] if not host.endswith("]") else host).lower()
        plain = door.access_key is not None and (name in door.names or _is_address(name))
        if name not in LOOPBACK and not plain:
            abort(421, "this server does not answer to that name; open it under the address that it printed")
        opens_socket = request.headers.get("Upgrade", "").lower() == "websocket"
        origin = request.headers.get("Origin")
        if (request.method not in SAFE_METHODS or opens_socket) and origin and _place(origin) != host.lower():
            abort(403, "this came from another site; use the bench's own page")
        foreign = request.headers.get("Sec-Fetch-Site", "none") not in ("none", "same-origin")
        if foreign and request.path.startswith("/api/"):
            abort(403, "this came from another site; use the bench's own page")
        return _check_key(door.access_key, wrong) if door.access_key is not None else None

    @app.after_request
    def harden(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        return response


class WrongKeys:
    """Counts the wrong keys of each address."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._times: OrderedDict[str, list[float]] = OrderedDict()

    def too_many(self, address: str) -> bool:
        with self._lock:
            return len(self._recent(address)) >= WRONG_KEYS_A_MINUTE

    def count(self, address: str) -> None:
        with self._lock:
            self._times[address] = [*self._recent(address), time.monotonic()]
            self._times.move_to_end(address)
            if len(self._times) > MOST_ADDRESSES:
                self._times.popitem(last=False)

    def _recent(self, address: str) -> list[float]:
        since = time.monotonic() - 60.0
        return [at for at in self._times.get(address, []) if at > since]


def _check_key(access_key: str, wrong: WrongKeys) -> AnyResponse | None:
    address = request.remote_addr or ""
    if hmac.compare_digest(request.cookies.get(COOKIE, "").encode(), access_key.encode()):
        return None
    given = request.args.get("key")
    if given is None:
        abort(401, "the access key is missing; open the address with the key that the server printed")
    if wrong.too_many(address):
        abort(429, f"{WRONG_KEYS_A_MINUTE} wrong access keys came from here; wait a minute")
    if not hmac.compare_digest(given.encode(), access_key.encode()):
        wrong.count(address)
        abort(401, "the access key is wrong; open the address that the server printed")
    answer = redirect("/")
    answer.set_cookie(COOKIE, access_key, httponly=True, samesite="Strict", secure=request.is_secure)
    return answer


def _place(origin: str) -> str | None:
    """Host and port of an origin; None where it is no address at all."""
    try:
        return urlsplit(origin).netloc.lower()
    except ValueError:
        return None


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name.strip("[]"))
    except ValueError:
        return False
    return True
