"""A package as a bag (RFC 8493): what it holds under `data/`, and beside it what must be there, with checksums."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import bagit

from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.fixity import sha256_from_disk
from inkwell_groove.core.sealing.order import SealedFile

DATA, MANIFEST, TAG_MANIFEST = "data", "manifest-sha256.txt", "tagmanifest-sha256.txt"
_DECLARATION = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
_ENCODED = {"%": "%25", "\n": "%0A", "\r": "%0D"}


def payload_of(folder: Path, known: Mapping[str, str] | None = None, *, workers: int = 2) -> tuple[SealedFile, ...]:
    """Every file below `data`, by its path in the bag. `known` are the SHA-256 of those read back from the disk before;
    all others are now.
    """
    known = known or {}
    names = sorted(path.relative_to(folder).as_posix() for path in (folder / DATA).rglob("*") if path.is_file())

    def one(name: str) -> SealedFile:
        path = folder / name
        sha256 = known.get(name) or sha256_from_disk(path)
        return SealedFile(name=name, size_bytes=path.stat().st_size, sha256=sha256)

    with ThreadPoolExecutor(workers) as pool:
        return tuple(pool.map(one, names))


def close_bag(folder: Path, info: Mapping[str, str], payload: Sequence[SealedFile]) -> tuple[SealedFile, ...]:
    """Writes the tag files; they, with their checksums. Raises ProofFailed where the bag is not whole after that."""
    octets = sum(one.size_bytes for one in payload)
    lines = {**info, "Payload-Oxum": f"{octets}.{len(payload)}"}
    texts = {
        "bagit.txt": _DECLARATION,
        "bag-info.txt": "".join(f"{name}: {_one_line(value)}\n" for name, value in lines.items() if value),
        MANIFEST: "".join(f"{one.sha256}  {_encoded(one.name)}\n" for one in payload),
    }
    tags = [_write(folder, name, text) for name, text in texts.items()]
    tags.append(_write(folder, TAG_MANIFEST, "".join(f"{one.sha256}  {one.name}\n" for one in tags)))
    try:
        bagit.Bag(str(folder)).validate(completeness_only=True)
    except bagit.BagError as cause:
        raise ProofFailed(f"the bag is not whole: {cause}", where=folder.name, remedy="Seal again") from cause
    return tuple(tags)


def is_bag(folder: Path) -> bool:
    return (folder / "bagit.txt").is_file() and (folder / MANIFEST).is_file()


def listed(folder: Path) -> dict[str, str]:
    """SHA-256 by path of all that a bag's two manifests list. Raises Refused, with the line, for a broken one."""
    found = {}
    for manifest in (MANIFEST, TAG_MANIFEST):
        path = folder / manifest
        if not path.is_file():
            continue
        for number, line in enumerate(path.read_text("utf-8", "replace").splitlines(), start=1):
            digest, _, name = line.partition(" ")
            name = name.lstrip(" *")
            if len(digest) != 64 or set(digest) - set("0123456789abcdef") or not name:
                raise Refused(
                    f"line {number} is not a SHA-256 and a name", where=manifest, remedy="Take the bag's second copy"
                )
            found[_decoded(name)] = digest
    return found


def _write(folder: Path, name: str, text: str) -> SealedFile:
    data = text.encode()
    with (folder / name).open("xb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    return SealedFile(name=name, size_bytes=len(data), sha256=hashlib.sha256(data).hexdigest())


def _one_line(value: str) -> str:
    return " ".join(value.split())


def _encoded(name: str) -> str:
    return "".join(_ENCODED.get(char, char) for char in name)


def _decoded(name: str) -> str:
    for char, code in reversed(_ENCODED.items()):
        name = name.replace(code, char)
    return name
