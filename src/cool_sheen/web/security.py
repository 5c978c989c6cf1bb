"""The doorkeeper: which hosts and origins are let in, how much they may bring, and what the browser may run."""

from collections.abc import Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse, PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
}
# Stateless: a script without an origin may ask them.
CALCULATORS = tuple(
    f"/api/v1/{room}/"
    for room in ("climate", "coatings", "drying", "film", "gun", "materials", "mixing", "planning", "sanding")
)
_SAFE = {"GET", "HEAD", "OPTIONS"}
FOR_SCRIPTS = "/api/v1/parts"
PHOTOS = "/photos"  # of a part
UPLOADS = ("/weather/records", "/shelf/import")
PROJECTS = "/jobs/bring"
MOST_BYTES, MOST_UPLOAD_BYTES = 4_000_000, 21_000_000
MOST_PROJECT_BYTES = 65_000_000  # with all its photos
MOST_UPLOAD_MB = MOST_UPLOAD_BYTES // 1_000_000  # as it is said


def most_at(path: str) -> int:
    """Return how much may be sent to an address. [bytes]"""
    if path == PROJECTS:
        return MOST_PROJECT_BYTES
    return MOST_UPLOAD_BYTES if path.startswith(UPLOADS) or path.endswith(PHOTOS) else MOST_BYTES


class TooLarge(Exception):
    """More was sent than is read."""

    def __init__(self) -> None:
        super().__init__("More was sent than is read. Send less, in parts.")


class Doorkeeper:
    """ASGI middleware around the whole application."""

    def __init__(self, app: ASGIApp, hosts: Iterable[str]) -> None:
        self.app = app
        self.hosts = frozenset(hosts)

    async def __call__(  # noqa: D102 - ASGI
        self, scope: Scope, receive: Receive, send: Send
    ) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        most = most_at(scope["path"])
        refusal = self._refusal(scope, headers, most)
        if refusal is not None:
            for name, value in HEADERS.items():
                refusal.headers[name] = value
            await refusal(scope, receive, send)
            return
        await self.app(scope, _counted(receive, most), _with_headers(send))

    def _refusal(self, scope: Scope, headers: Headers, most: int) -> Response | None:
        host = headers.get("host", "")
        if _name(host) not in self.hosts:
            return _say(scope, 400, "This host is not served here. Use localhost, with the port that was announced.")
        if scope["method"] not in _SAFE:
            origin = headers.get("origin")
            stateless = scope["path"].startswith(CALCULATORS)
            if origin is None and not stateless and not bears_a_token(scope["path"], headers):
                return _say(scope, 403, "A change needs an Origin header of this application.")
            if origin is not None and not _same(origin, host):
                return _say(scope, 403, "This request comes from another site.")
        length = headers.get("content-length", "0")
        if not (length.isascii() and length.isdigit()) or len(length) > 12 or int(length) > most:
            return _say(scope, 413, f"More than {most / 1e6:.0f} MB was sent. Send less.")
        return None


def bears_a_token(path: str, headers: Headers) -> bool:
    """Whether a request is a script's: no page of another site can send such a header. The call looks at the token."""
    is_call = path == FOR_SCRIPTS or path.startswith(f"{FOR_SCRIPTS}/")
    return is_call and headers.get("authorization", "").lower().startswith("bearer ")


def _same(origin: str, host: str) -> bool:
    try:
        return urlsplit(origin).netloc == host
    except ValueError:  # no address at all
        return False


def _name(host: str) -> str:
    if host.startswith("["):
        return host.partition("]")[0] + "]"
    return host.partition(":")[0]


def _say(scope: Scope, status: int, text: str) -> Response:
    if scope["path"].startswith("/api/"):
        body = {"title": "Refused", "status": status, "detail": text, "errors": []}
        return JSONResponse(body, status, media_type="application/problem+json")
    return PlainTextResponse(text, status)


def _counted(receive: Receive, most: int) -> Receive:
    taken = 0

    async def counting() -> Message:
        nonlocal taken
        message = await receive()
        taken += len(message.get("body", b""))
        if taken > most:
            raise TooLarge
        return message

    return counting


def _with_headers(send: Send) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            for name, value in HEADERS.items():
                headers.setdefault(name, value)
            if "cache-control" not in headers:
                headers["Cache-Control"] = "no-store"
        await send(message)

    return sending
