"""Static files: read once, named by their content, sent compressed and kept for a year."""

import gzip
import hashlib
import json
import mimetypes
import re
from collections.abc import Mapping
from dataclasses import dataclass
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any

from starlette.requests import Request
from starlette.responses import Response

_FOREVER = "public, max-age=31536000, immutable"
_PACKED = {".css", ".js", ".svg", ".txt"}
_URL = re.compile(r"url\((['\"]?)([^'\")]+)\1\)")


@dataclass(frozen=True, slots=True)
class Asset:
    """One file, ready to be sent."""

    name: str
    kind: str
    body: bytes
    packed: bytes | None


class Assets:
    """All static files by their own name and by the name with the hash."""

    def __init__(self) -> None:
        root = files("cool_sheen.web") / "static"
        raw = dict(_walk(root, ""))
        self.by_url: dict[str, Asset] = {}
        self.urls: dict[str, str] = {}
        self.raw_text = {name: body.decode() for name, body in raw.items() if name.endswith(".template.js")}
        styles_last = sorted(raw, key=lambda name: name.endswith(".css"))  # they name the others
        for name in styles_last:
            body = _linked(raw[name], name, self.urls) if name.endswith(".css") else raw[name]
            self._add(name, body)

    def _add(self, name: str, body: bytes) -> None:
        stem, dot, ending = name.rpartition(".")
        hashed = f"{stem}.{hashlib.sha256(body).hexdigest()[:10]}{dot}{ending}"
        packed = gzip.compress(body, 9, mtime=0) if f".{ending}" in _PACKED else None
        kind = mimetypes.types_map.get(f".{ending}", "application/octet-stream")
        if ending == "woff2":
            kind = "font/woff2"
        if ending in ("css", "js", "txt"):
            kind += "; charset=utf-8"
        self.by_url[hashed] = Asset(name, kind, body, packed)
        self.urls[name] = f"/static/{hashed}"

    def url(self, name: str) -> str:
        """Return the address of a file by its own name. Raises KeyError."""
        return self.urls[name]

    def text(self, name: str, **places: Any) -> str:
        """Return a file's text with its places filled in as JSON, and ``__VERSION__`` by all that it names."""
        told = {place: json.dumps(value) for place, value in places.items()}
        text = self.raw_text[name]
        for place, value in told.items():
            text = text.replace(place, value)
        return text.replace("__VERSION__", hashlib.sha256(text.encode()).hexdigest()[:10])

    async def serve(self, request: Request) -> Response:
        """Answer a request for a file."""
        asset = self.by_url.get(request.path_params["path"])
        if asset is None:
            return Response("Not found", 404, media_type="text/plain")
        headers = {"Cache-Control": _FOREVER, "Vary": "Accept-Encoding"}
        if asset.packed is not None and "gzip" in request.headers.get("accept-encoding", ""):
            return Response(asset.packed, headers={**headers, "Content-Encoding": "gzip"}, media_type=asset.kind)
        return Response(asset.body, headers=headers, media_type=asset.kind)


def _walk(folder: Traversable, prefix: str) -> list[tuple[str, bytes]]:
    out: list[tuple[str, bytes]] = []
    for item in folder.iterdir():
        name = f"{prefix}{item.name}"
        out += _walk(item, f"{name}/") if item.is_dir() else [(name, item.read_bytes())]
    return out


def _linked(style: bytes, name: str, urls: Mapping[str, str]) -> bytes:
    folder = name.rpartition("/")[0]

    def replace(match: re.Match[str]) -> str:
        target = f"{folder}/{match[2]}".lstrip("/")
        return f"url({urls.get(target, match[2])})"

    return _URL.sub(replace, style.decode()).encode()
