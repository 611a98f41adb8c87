"""The scripts, styles and fonts of the interface: sent compressed, and kept by browsers for ever."""

from __future__ import annotations

import gzip
from functools import cache
from pathlib import Path

from starlette.datastructures import Headers
from starlette.responses import FileResponse, Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

# A name holds a digest of the content, so what is under it never changes.
_KEPT = {"Cache-Control": "public, max-age=31536000, immutable"}
_COMPRESSED = (".js", ".css")  # fonts are compressed by their format


class Assets(StaticFiles):
    """Files of a folder; scripts and styles compressed where the browser takes that."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        """Return a file. Raises HTTPException 404 if there is none."""
        response = await super().get_response(path, scope)
        response.headers.update(_KEPT)
        if not path.endswith(_COMPRESSED):
            return response
        response.headers["Vary"] = "Accept-Encoding"
        asked = Headers(scope=scope)
        if not isinstance(response, FileResponse) or response.status_code != 200 or "range" in asked:
            return response
        if not takes_gzip(asked.get("Accept-Encoding", "")):
            return response
        headers = {**_KEPT, "Vary": "Accept-Encoding", "Content-Encoding": "gzip"}
        # Compressing the largest takes some milliseconds, once.
        return Response(_gzipped(Path(response.path)), headers=headers, media_type=response.media_type)


@cache
def _gzipped(path: Path) -> bytes:
    return gzip.compress(path.read_bytes(), mtime=0)


def takes_gzip(accept_encoding: str) -> bool:
    """Return whether a header Accept-Encoding allows gzip (RFC 9110, section 12.5.3)."""
    weights = {}
    for part in accept_encoding.lower().split(","):
        name, _, weight = (word.strip() for word in part.partition(";"))
        weights[name] = weight.replace(" ", "").removeprefix("q=") or "1"
    return weights.get("gzip", weights.get("*", "0")).strip("0.") != ""
