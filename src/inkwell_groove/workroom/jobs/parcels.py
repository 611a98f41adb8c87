"""What jobs do with a docket that comes from another house: unpacked, every file held against its digest, drawn."""

from __future__ import annotations

import shutil
from pathlib import Path

from inkwell_groove.core import archives
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.peaks import build
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.store.media import PEAKS_NAME
from inkwell_groove.workroom.jobs.arguments import Unpack
from inkwell_groove.workroom.jobs.kind import Result, Task
from inkwell_groove.workroom.packages.parcel import unpacked_folder


def unpack(arguments: Unpack, task: Task) -> Result:
    """Move takes and pictures in among the others; unpack a disc's readings into a folder, where they wait for numbers.

    Can be begun again at any point: what is there already is kept once.
    """
    media, takes = task.media, arguments.takes
    parcel = media.path_of(arguments.parcel)
    discs = unpacked_folder(parcel)
    shutil.rmtree(discs, ignore_errors=True)
    discs.mkdir()
    reading = archives.opened(parcel, where=parcel.name, remedy="Send the docket again")
    with reading as archive, task.media.workspace() as work:
        for index, (sha256, name) in enumerate(takes.items()):
            task.progress(index / (len(takes) + 1), f"{name}: unpacking")
            beside = work / sha256
            archives.unpack(archive, f"takes/{sha256}", beside)
            _hold(beside, sha256, name)
            if not media.derived(sha256, PEAKS_NAME).exists():
                build(beside, work / PEAKS_NAME, name=name)
                move_into_place(work / PEAKS_NAME, media.derived(sha256, PEAKS_NAME))
            media.keep_take(beside, sha256)
        for sha256 in arguments.pictures:
            beside = work / sha256
            archives.unpack(archive, f"pictures/{sha256}", beside)
            _hold(beside, sha256, "a picture")
            media.keep_picture(beside.read_bytes())
            beside.unlink()
        for name in archive.namelist():
            if name.startswith("discs/") and not name.endswith("/"):
                target = discs / name.removeprefix("discs/")
                target.parent.mkdir(exist_ok=True)
                archives.unpack(archive, name, target)
    return {"discs": media.name_of(discs)}


def _hold(path: Path, sha256: str, name: str) -> None:
    found = sha256_of(path)
    if found != sha256:
        raise ProofFailed(
            f"it has SHA-256 {found[:12]}…, the docket says {sha256[:12]}…: it was altered on its way",
            where=name,
            remedy="Send the docket again",
        )
