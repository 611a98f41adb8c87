"""What jobs do, in a process of their own: plain data in, plain data out, files written beside and renamed."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any, BinaryIO

from inkwell_groove.core import peaks, riff
from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.measure.clipping import clipped_runs
from inkwell_groove.core.measure.levels import dbfs
from inkwell_groove.core.peaks import PeakFile, build
from inkwell_groove.core.probe import probe
from inkwell_groove.core.sealing.album import seal_album
from inkwell_groove.core.sealing.order import SealOrder
from inkwell_groove.core.sound import SoundFormat
from inkwell_groove.core.soundfiles import FileReader
from inkwell_groove.core.tracks.finder import find_tracks
from inkwell_groove.store.media import PEAKS_NAME, MediaStore, move_into_place, sha256_of, sync_file
from inkwell_groove.workroom.jobs.pool import Progress

_COPY_BYTES = 4 << 20


def warm() -> None:
    """Called once in every worker: importing this module was most of it."""
    peaks.warm()


def take_in(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """A received file becomes a take: probed, hashed, drawn, moved in among the takes.

    Arguments: media_root, upload_id, name; sha256 and peaks where the server made them while it came in; mend to take
    what a lying header's file really holds. Can be begun again at any point: the last step is a rename.
    """
    media, name = MediaStore(Path(arguments["media_root"])), arguments["name"]
    upload = media.upload(arguments["upload_id"])
    note = ""
    with media.workspace() as work:
        if arguments.get("mend"):
            upload, note = _mended(media, upload, work, name, progress)
        form = probe(upload, name=name)
        progress(0.02, "reading")
        sha256 = arguments.get("sha256") if not arguments.get("mend") else None
        sha256 = sha256 or sha256_of(upload)
        progress(0.05, "drawing the waveform")
        beside = work / PEAKS_NAME
        if not _drawn_while_it_came(arguments, form, beside):
            build(
                upload, beside, progress=lambda share: progress(0.05 + 0.9 * share, "drawing the waveform"), name=name
            )
        pyramid = PeakFile(beside)
        with FileReader(upload, name=name) as reader:
            clipped = clipped_runs(reader, pyramid)
        top = pyramid.array(len(pyramid.index.blocks) - 1)
        progress(0.98, "keeping it")
        size_bytes = upload.stat().st_size
        move_into_place(beside, media.derived(sha256, PEAKS_NAME))
        media.keep_take(upload, sha256)
    return {
        "sha256": sha256,
        "size_bytes": size_bytes,
        "format": form.model_dump(),
        "sample_peak_dbfs": dbfs(float(abs(top[:, :, :2]).max())),
        "clipped_runs": clipped,
        "note": note,
    }


def _drawn_while_it_came(arguments: dict[str, Any], form: SoundFormat, target: Path) -> bool:
    """Whether the pyramid was finished with the upload; it is then moved to `target`."""
    drawn = arguments.get("peaks")
    if drawn is None or arguments.get("mend") or not Path(drawn).exists():
        return False
    if PeakFile(Path(drawn)).index.samples != form.samples:
        return False
    Path(drawn).rename(target)
    return True


def _mended(media: MediaStore, upload: Path, work: Path, name: str, progress: Progress) -> tuple[Path, str]:
    """What a file with a lying header really holds, under a true one; the file as it came is kept among the takes."""
    target = work / "mended"
    with upload.open("rb") as source, target.open("xb") as out:
        layout = riff.read_layout(source, size=upload.stat().st_size, name=name)
        if layout.found_samples == 0:
            raise NotSound("there is nothing in it to take in", where=name, remedy="Record or copy it again")
        out.write(riff.true_header(layout))
        source.seek(layout.data_offset)
        _copy(source, out, layout.found_samples * layout.block_align, progress)
        if layout.found_samples * layout.block_align % 2:
            out.write(b"\0")
    sync_file(target)
    original = sha256_of(upload)
    kept = work / "original"
    shutil.copyfile(upload, kept)
    media.keep_take(kept, original)
    note = (
        f"The header promised {layout.declared_samples} samples; the {layout.found_samples} found were taken in. "
        f"The file as it came is kept, SHA-256 {original}."
    )
    return target, note


def _copy(source: BinaryIO, out: BinaryIO, size: int, progress: Progress) -> None:
    left = size
    while left:
        chunk = source.read(min(_COPY_BYTES, left))
        if not chunk:
            break
        out.write(chunk)
        left -= len(chunk)
        progress(0.01, "putting the header right")


def find(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Finds tracks. Arguments: media_root, sha256, name, count, durations_s."""
    media = MediaStore(Path(arguments["media_root"]))
    with FileReader(media.take(arguments["sha256"]), name=arguments["name"]) as reader:
        found = find_tracks(
            reader,
            count=arguments.get("count"),
            durations_s=arguments.get("durations_s"),
            progress=lambda share: progress(0.95 * share, "listening for gaps"),
        )
    return found.model_dump(mode="json")


def seal(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Seals a docket into a folder of its own. Arguments: media_root, order, package (folder below `sealed`)."""
    media = MediaStore(Path(arguments["media_root"]))
    order = SealOrder.model_validate(arguments["order"])
    with media.workspace() as work:
        album = seal_album(order, work, progress=progress)
        target = media.package(arguments["package"]).joinpath(*album.folders)
        if target.exists():
            # The same job, begun again after it had finished but before that was written down.
            shutil.rmtree(target)
        work.chmod(0o755)
        move_into_place(work, target)
    return {"album": album.model_dump(mode="json"), "folder": str(target.relative_to(media.root / "sealed"))}
