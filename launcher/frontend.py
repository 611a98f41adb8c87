"""Install the front end's packages, generate its types and build it."""

from __future__ import annotations

import hashlib
from pathlib import Path

from launcher.commands import run
from launcher.places import FRONTEND, PYTHON, ROOT, say

_MARKER = ".built-from"


def ensure_packages() -> None:
    """Run `npm ci` if the lock file has changed."""
    digest = hashlib.sha256((FRONTEND / "package-lock.json").read_bytes()).hexdigest()
    marker = FRONTEND / "node_modules" / ".installed-from"
    if marker.is_file() and marker.read_text() == digest:
        return
    say("Installing the front end's packages")
    run(["npm", "ci", "--no-audit", "--no-fund"], what="npm ci", cwd=FRONTEND)
    marker.write_text(digest)


def ensure_types() -> None:
    """Generate the API's TypeScript types from its OpenAPI document, if that has changed."""
    document = FRONTEND / "openapi.json"
    types = FRONTEND / "src" / "api" / "schema.ts"
    text = run([PYTHON, "-m", "inkwell_groove.web.openapi"], what="Writing the OpenAPI document")
    if document.is_file() and types.is_file() and document.read_text() == text:
        return
    document.write_text(text)
    run(["npm", "run", "--silent", "types"], what="Generating the API's types", cwd=FRONTEND)


def ensure_built() -> bool:
    """Build the front end if any of its sources has changed; return whether it was built."""
    digest = _digest()
    marker = FRONTEND / "dist" / _MARKER
    if marker.is_file() and marker.read_text() == digest:
        return False
    ensure_packages()
    ensure_types()
    say("Building the front end")
    run(["npm", "run", "--silent", "build"], what="Building the front end", cwd=FRONTEND)
    marker.write_text(digest)
    return True


def _digest() -> str:
    """Return a digest of the front end's sources and of all that determines the API.

    Writing the OpenAPI document each time would be slower.
    """
    sources = [
        *sorted(path for path in (FRONTEND / "src").rglob("*") if path.is_file() and path.name != "schema.ts"),
        *sorted(path for path in (FRONTEND / "public").rglob("*") if path.is_file()),
        *(FRONTEND / name for name in ("package-lock.json", "index.html", "vite.config.ts", "tsconfig.json")),
        *sorted((ROOT / "src" / "inkwell_groove").rglob("*.py")),
        ROOT / "requirements" / "runtime.txt",
    ]
    digest = hashlib.sha256()
    for path in sources:
        digest.update(f"{path.relative_to(ROOT)}\0{_content(path)}\0".encode())
    return digest.hexdigest()


def _content(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()
