"""What an earlier package of a docket holds already and need not be made again.

Decided by what was ordered, never by any date: each part of a package is known by a digest of all that it is made
from. Where the digests are equal the files are taken over, and proven again like any others; so copies for other
players are made from masters that stay what they are.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from inkwell_groove import __version__
from inkwell_groove.core.audio.writing import prove_samples
from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.fixity import sha256_from_disk, sha256_of
from inkwell_groove.core.sealing.bag import DATA
from inkwell_groove.core.sealing.order import SealedAlbum, SealOrder, SideOrder
from inkwell_groove.core.sealing.portrait import Portrait

Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Earlier:
    """A package that was sealed of the same docket: its folder, what was written into it, and when."""

    folder: Path
    album: SealedAlbum
    sealed_at: str


def masters_key(order: SealOrder) -> str:
    """What the masters are made from, as a digest. Where the sound and the pictures lie is not part of it."""
    asked = order.model_dump(mode="json", exclude={"sides", "cover", "pictures", "profile", "sealed_at", "sealed_by"})
    return _digest(
        {
            **asked,
            # Another release of the program may render otherwise.
            "version": __version__,
            "sides": [_side(side) for side in order.sides],
            "pictures": [
                one and {**one.model_dump(mode="json", exclude={"path"}), "sha256": sha256_of(Path(one.path))}
                for one in (order.cover, *order.pictures)
            ],
            "masters": order.profile.masters.model_dump(mode="json"),
            "loudness_tags": order.profile.loudness_tags,
        }
    )


def part_key(masters: str, asked: object) -> str:
    """The same for a part that is made beside the masters or from them, by what is `asked` of it."""
    return _digest([masters, asked])


def _side(side: SideOrder) -> dict[str, Any]:
    return side.model_dump(mode="json", exclude={"take_path", "scan_path", "learnt_path"})


def _digest(value: object) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()


def take_over(earlier: Earlier | None, key: str, part: str, folder: Path) -> dict[str, str] | None:
    """The files of a part, taken over into the package `folder`: SHA-256 by path, as the disk gives them back.

    `part` is the part's folder below the data. None, and nothing written, where the earlier package was made from
    something else or its files are no longer what was sealed.
    """
    if earlier is None or earlier.album.keys.get(part) != key:
        return None
    inside = f"{DATA}/{part}/"
    files = {one.name: one.sha256 for one in earlier.album.package if one.name.startswith(inside)}
    try:
        (folder / inside).mkdir(parents=True, exist_ok=True)
        for name, sha256 in files.items():
            _same_file(earlier.folder / name, folder / name)
            if sha256_from_disk(folder / name) != sha256:
                raise ProofFailed("it is no longer what was sealed", where=name, remedy="See Fixity")
    except (OSError, ProofFailed):
        # Damage is Fixity's to tell; here it only means that the part has to be made anew.
        shutil.rmtree(folder / DATA / part, ignore_errors=True)
        return None
    return files


def _same_file(source: Path, target: Path) -> None:
    """One file under two names where the disk allows it: what is sealed is never written to again."""
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        os.link(source, target)
    except FileNotFoundError:
        raise
    except OSError:
        shutil.copyfile(source, target)


def hear_again(album: SealedAlbum, masters: Path, *, workers: int, progress: Progress) -> Mapping[str, Portrait] | None:
    """Decodes masters that were taken over and holds their samples against what was sealed: each file's portrait.

    None where one is not what it was.
    """
    done = [0]

    def one(index: int) -> Portrait:
        track = album.tracks[index]
        portrait = Portrait.of_bits(track.bits, rate_hz=track.file_rate_hz or track.rate_hz)
        prove_samples(masters / track.file, track.md5, track.compared_samples, heard=portrait.feed)
        portrait.finish()
        done[0] += 1
        progress(done[0] / len(album.tracks), f"track {track.number}: as it was sealed, proven again")
        return portrait

    try:
        with ThreadPoolExecutor(workers) as pool:
            heard = list(pool.map(one, range(len(album.tracks))))
    except (ProofFailed, Refused):
        return None
    return {track.file: portrait for track, portrait in zip(album.tracks, heard, strict=True)}
