"""Jobs that make takes: of uploads, of recordings, of other takes. And one that compares two."""

from __future__ import annotations

import hashlib
import json
import shutil
from pathlib import Path
from typing import Any, BinaryIO

from inkwell_groove.core import peaks
from inkwell_groove.core.audio import riff
from inkwell_groove.core.audio.decibels import dbfs
from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import NotSound, ProofFailed
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.measure.clipping import clipped_runs
from inkwell_groove.core.peaks import PeakFile, build
from inkwell_groove.core.transfer.compare import compare as compare_takes
from inkwell_groove.core.transfer.joining import write_joined
from inkwell_groove.store.durable import move_into_place, sync_file
from inkwell_groove.store.media import PEAKS_NAME, MediaStore, peaks_of_upload
from inkwell_groove.workroom.jobs.arguments import CompareTakes, Join, Keep, TakeIn
from inkwell_groove.workroom.jobs.kind import Progress, Result, Task
from inkwell_groove.workroom.transfer.recorder import SOUND_NAME

_COPY_BYTES = 4 << 20


def take_in(arguments: TakeIn, task: Task) -> Result:
    """Make a received file a take: probed, hashed, drawn, moved in among the takes.

    Can be begun again at any point: the last thing it does is a rename.
    """
    media, name, progress = task.media, arguments.name, task.progress
    upload = media.upload(arguments.upload_id)
    told = upload.with_name(f"{upload.name}.kept")
    if (result := _result_before(told, upload)) is not None:
        return result
    note = ""
    with task.media.workspace() as work:
        if arguments.mend:
            upload, note = _mended(media, upload, work, name, progress)
        form = probe(upload, name=name)
        progress(0.02, "reading")
        sha256 = arguments.sha256 if not arguments.mend else None
        sha256 = sha256 or sha256_of(upload)
        progress(0.05, "drawing the waveform")
        beside = work / PEAKS_NAME
        if not _drawn_while_it_came(media, arguments, form, beside):
            build(
                upload, beside, progress=lambda share: progress(0.05 + 0.9 * share, "drawing the waveform"), name=name
            )
        return kept(media, upload, beside, form, sha256, name, progress, told=told, more={"note": note})


def keep(arguments: Keep, task: Task) -> Result:
    """Make a finished recording a take: read back, compared with what came, drawn, moved in among the takes.

    Raises ProofFailed if the disk gives back something else. Can be begun again at any point.
    """
    media, name, progress = task.media, arguments.name, task.progress
    folder = media.recording(arguments.recording_id)
    sound, told = folder / SOUND_NAME, folder / "kept"
    if (result := _result_before(told, sound)) is not None:
        return result
    form = probe(sound, name=name)
    progress(0.05, "reading it back")
    expected = arguments.samples_sha256
    sha256, of_samples = _digests(sound, name)
    if expected is not None and of_samples != expected:
        raise ProofFailed(
            f"the disk gives back other samples than came in ({of_samples[:12]}, not {expected[:12]})",
            where=name,
            remedy="Look at the disk; the recording as it is lies in the media store",
        )
    with task.media.workspace() as work:
        beside, drawn = work / PEAKS_NAME, folder / PEAKS_NAME
        if sound.stat().st_dev != work.stat().st_dev:
            sound = _copied(sound, work / SOUND_NAME, sha256, name, progress)
        if peaks.usable(drawn, samples=form.samples):
            shutil.copyfile(drawn, beside)
        else:
            build(sound, beside, progress=lambda share: progress(0.3 + 0.6 * share, "drawing the waveform"), name=name)
        more = {"samples_sha256": of_samples}
        return kept(media, sound, beside, form, sha256, name, progress, told=told, more=more)


def join(arguments: Join, task: Task) -> Result:
    """Join takes of one format, bit for bit, to a new take."""
    media, name, progress = task.media, arguments.name, task.progress
    with task.media.workspace() as work:
        target, beside = work / "joined.wav", work / PEAKS_NAME
        paths = [media.take(sha256) for sha256 in arguments.sha256s]
        write_joined(paths, target, note=arguments.note, progress=lambda share: progress(0.6 * share, "joining"))
        form = probe(target, name=name)
        build(target, beside, progress=lambda share: progress(0.6 + 0.3 * share, "drawing the waveform"), name=name)
        return kept(media, target, beside, form, sha256_of(target), name, progress)


def compare(arguments: CompareTakes, task: Task) -> Result:
    """Compare two takes."""
    first, second = (task.media.take(sha256) for sha256 in arguments.sha256s)
    names = arguments.names
    with FileReader(first, name=names[0]) as one, FileReader(second, name=names[1]) as two:
        found = compare_takes(one, two, progress=lambda share: task.progress(share, "comparing"))
    return found.model_dump(mode="json")


def kept(
    media: MediaStore,
    sound: Path,
    peaks_file: Path,
    form: SoundFormat,
    sha256: str,
    name: str,
    progress: Progress,
    *,
    told: Path | None = None,
    more: dict[str, Any] | None = None,
) -> Result:
    """Move a file and its peaks in among the takes; return what the take's row says of them.

    That is written to `told` before the move: a job that is killed right after it is begun again without its file.
    """
    pyramid = PeakFile(peaks_file)
    with FileReader(sound, name=name) as reader:
        clipped = clipped_runs(reader, pyramid)
    top = pyramid.array(len(pyramid.index.blocks) - 1)
    progress(0.98, "keeping it")
    size_bytes = sound.stat().st_size
    result = {
        "sha256": sha256,
        "size_bytes": size_bytes,
        "format": form.model_dump(),
        "sample_peak_dbfs": dbfs(float(abs(top[:, :, :2]).max())),
        "clipped_runs": clipped,
        **(more or {}),
    }
    move_into_place(peaks_file, media.derived(sha256, PEAKS_NAME))
    if told is not None:
        told.write_text(json.dumps(result))
        sync_file(told)
    media.keep_take(sound, sha256)
    return result


def _result_before(told: Path, sound: Path) -> Result | None:
    """Return the result of an earlier attempt at the same job, if it got as far as moving the file away."""
    if sound.exists() or not told.exists():
        return None
    result: Result = json.loads(told.read_text())
    return result


def _digests(sound: Path, name: str) -> tuple[str, str]:
    """Return the SHA-256 of a WAV or RF64 file, and of its samples alone, in one reading."""
    whole, samples = hashlib.sha256(), hashlib.sha256()
    with sound.open("rb") as file:
        layout = riff.read_layout(file, size=sound.stat().st_size, name=name)
        file.seek(0)
        whole.update(file.read(layout.data_offset))
        left = layout.found_samples * layout.block_align
        while chunk := file.read(min(_COPY_BYTES, left)):
            whole.update(chunk)
            samples.update(chunk)
            left -= len(chunk)
        whole.update(file.read())
    return whole.hexdigest(), samples.hexdigest()


def _drawn_while_it_came(media: MediaStore, arguments: TakeIn, form: SoundFormat, target: Path) -> bool:
    """Return whether the peaks were finished with the upload; they are then moved to `target`."""
    drawn = peaks_of_upload(media.upload(arguments.upload_id))
    if not arguments.has_peaks or arguments.mend or not peaks.usable(drawn, samples=form.samples):
        return False
    drawn.rename(target)
    return True


def _mended(media: MediaStore, upload: Path, work: Path, name: str, progress: Progress) -> tuple[Path, str]:
    """Return a file with what one with a false header really holds, and a note of that.

    The file as it came is kept among the takes.
    """
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


def _copied(source: Path, target: Path, sha256: str, name: str, progress: Progress) -> Path:
    """Copy a file to another disk and return the copy, read back. Raises ProofFailed if it is not the same."""
    progress(0.2, "copying it into the store")
    shutil.copyfile(source, target)
    sync_file(target)
    if sha256_of(target) != sha256:
        raise ProofFailed(
            "the store gives back something else than was copied into it",
            where=name,
            remedy="Look at the store's disk; the recording as it is lies where it was recorded",
        )
    return target


def _copy(source: BinaryIO, out: BinaryIO, size: int, progress: Progress) -> None:
    left = size
    while left:
        chunk = source.read(min(_COPY_BYTES, left))
        if not chunk:
            break
        out.write(chunk)
        left -= len(chunk)
        progress(0.01, "putting the header right")
