"""Who may talk to the server: the right Host, the right Origin, and the access key where there is one."""

from __future__ import annotations

import hmac
from urllib.parse import urlsplit

from flask import Flask, Response, abort, redirect, request
from werkzeug.wrappers import Response as AnyResponse

COOKIE = "tin-kettle-key"
LOOPBACK = {"localhost", "127.0.0.1", "[::1]"}
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "worker-src 'self' blob:; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'"
)


def guard(app: Flask, access_key: str | None) -> None:
    """Check every request, the socket's opening among them, before anything else looks at it."""

    @app.before_request
    def check() -> AnyResponse | None:
        host = request.headers.get("Host", "")
        name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        if access_key is None and name not in LOOPBACK:
            # a page elsewhere may point its own name at this machine
            abort(421, "this server answers to localhost only; open it under the address that it printed")
        origin = request.headers.get("Origin")
        opens_socket = request.headers.get("Upgrade", "").lower() == "websocket"
        if (request.method not in SAFE_METHODS or opens_socket) and origin and urlsplit(origin).netloc != host:
            abort(403, "this came from another site; use the bench's own page")
        return _check_key(access_key) if access_key is not None else None

    @app.after_request
    def harden(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        return response


def _check_key(access_key: str) -> AnyResponse | None:
    given = request.args.get("key")
    if given is not None and hmac.compare_digest(given.encode(), access_key.encode()):
        answer = redirect("/")
        answer.set_cookie(COOKIE, access_key, httponly=True, samesite="Strict")
        return answer
    if not hmac.compare_digest(request.cookies.get(COOKIE, "").encode(), access_key.encode()):
        abort(401, "the access key is missing; open the address with the key that the server printed")
    return None
