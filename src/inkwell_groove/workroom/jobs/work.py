"""What jobs do, in a process of their own: plain data in, plain data out, files written beside and renamed."""

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
from inkwell_groove.core.restoration.choosing import propose
from inkwell_groove.core.restoration.learnt import Learnt, Watched
from inkwell_groove.core.restoration.preparing import prepare
from inkwell_groove.core.restoration.scan import Scan
from inkwell_groove.core.restoration.scan import scan as scan_for_damage
from inkwell_groove.core.restoration.steps import Restoration
from inkwell_groove.core.sealing.keeping import Earlier
from inkwell_groove.core.sealing.order import SealedAlbum, SealOrder
from inkwell_groove.core.sealing.package import seal_package
from inkwell_groove.core.tracks.finder import known_of, tracks_in
from inkwell_groove.core.tracks.found import FixedJoin, Settings
from inkwell_groove.core.transfer.compare import compare as compare_takes
from inkwell_groove.core.transfer.joining import write_joined
from inkwell_groove.store.media import (
    HARM_NAME,
    LEARNT_NAME,
    PEAKS_NAME,
    SCAN_NAME,
    MediaStore,
    move_into_place,
    sync_file,
)
from inkwell_groove.workroom.heard import heard_of
from inkwell_groove.workroom.hearing import harm_name, learnt_name
from inkwell_groove.workroom.jobs.pool import Progress
from inkwell_groove.workroom.transfer.recorder import SOUND_NAME

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
    told = upload.with_name(f"{upload.name}.kept")
    if (result := _told_before(told, upload)) is not None:
        return result
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
        return kept(media, upload, beside, form, sha256, name, progress, told=told, more={"note": note})


def keep(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """A finished recording becomes a take: read back, compared with what came, drawn, moved in among the takes.

    Arguments: media_root, recording_id, name; samples_sha256, of the samples as they came, where that is known. Raises
    ProofFailed where the disk gives back something else. Can be begun again at any point.
    """
    media, name = MediaStore(Path(arguments["media_root"])), arguments["name"]
    folder = media.recording(arguments["recording_id"])
    sound, told = folder / SOUND_NAME, folder / "kept"
    if (result := _told_before(told, sound)) is not None:
        return result
    form = probe(sound, name=name)
    progress(0.05, "reading it back")
    expected = arguments.get("samples_sha256")
    sha256, of_samples = _digests(sound, name)
    if expected is not None and of_samples != expected:
        raise ProofFailed(
            f"the disk gives back other samples than came in ({of_samples[:12]}, not {expected[:12]})",
            where=name,
            remedy="Look at the disk; the recording as it is lies in the media store",
        )
    with media.workspace() as work:
        beside, drawn = work / PEAKS_NAME, folder / PEAKS_NAME
        if peaks.usable(drawn, samples=form.samples):
            shutil.copyfile(drawn, beside)
        else:
            build(sound, beside, progress=lambda share: progress(0.3 + 0.6 * share, "drawing the waveform"), name=name)
        more = {"samples_sha256": of_samples}
        return kept(media, sound, beside, form, sha256, name, progress, told=told, more=more)


def join(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Takes of one format one behind the other, bit for bit, as a new take.

    Arguments: media_root, sha256s, name, note (for the file's bext chunk).
    """
    media, name = MediaStore(Path(arguments["media_root"])), arguments["name"]
    with media.workspace() as work:
        target, beside = work / "joined.wav", work / PEAKS_NAME
        paths = [media.take(sha256) for sha256 in arguments["sha256s"]]
        write_joined(paths, target, note=arguments["note"], progress=lambda share: progress(0.6 * share, "joining"))
        form = probe(target, name=name)
        build(target, beside, progress=lambda share: progress(0.6 + 0.3 * share, "drawing the waveform"), name=name)
        return kept(media, target, beside, form, sha256_of(target), name, progress)


def compare(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Two takes beside each other. Arguments: media_root, sha256s, names."""
    media = MediaStore(Path(arguments["media_root"]))
    first, second = (media.take(sha256) for sha256 in arguments["sha256s"])
    names = arguments["names"]
    with FileReader(first, name=names[0]) as one, FileReader(second, name=names[1]) as two:
        found = compare_takes(one, two, progress=lambda share: progress(share, "comparing"))
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
) -> dict[str, Any]:
    """Moves a file and its pyramid in among the takes; what the take's row says of them.

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


def _told_before(told: Path, sound: Path) -> dict[str, Any] | None:
    """What an earlier attempt at the same job had found, if it got as far as moving the file away."""
    if sound.exists() or not told.exists():
        return None
    result: dict[str, Any] = json.loads(told.read_text())
    return result


def _digests(sound: Path, name: str) -> tuple[str, str]:
    """SHA-256 of a WAV or RF64 file, and of its samples alone, in one reading."""
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


def _drawn_while_it_came(arguments: dict[str, Any], form: SoundFormat, target: Path) -> bool:
    """Whether the pyramid was finished with the upload; it is then moved to `target`."""
    drawn = arguments.get("peaks")
    if drawn is None or arguments.get("mend") or not peaks.usable(Path(drawn), samples=form.samples):
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
    """Finds tracks within the side's stretch of its take.

    Arguments: media_root, sha256, name, side_start_sample, side_end_sample, count, durations_s, settings, fixed.
    """
    media = MediaStore(Path(arguments["media_root"]))
    known = known_of(
        count=arguments.get("count"),
        durations_s=arguments.get("durations_s"),
        settings=Settings.model_validate(arguments.get("settings") or {}),
        fixed=[FixedJoin.model_validate(one) for one in arguments.get("fixed") or ()],
    )
    start, heard = heard_of(
        media,
        arguments["sha256"],
        arguments["name"],
        arguments.get("side_start_sample") or 0,
        arguments.get("side_end_sample"),
        progress=lambda share: progress(0.9 * share, "listening to the side"),
    )
    progress(0.92, "fitting what was heard to what is known")
    return tracks_in(heard, known).moved(start).model_dump(mode="json")


def scan(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Scans a take for damage; what was found lies beside it. Arguments: media_root, sha256, name."""
    media, sha256 = MediaStore(Path(arguments["media_root"])), arguments["sha256"]
    with FileReader(media.take(sha256), name=arguments["name"]) as reader:
        found = scan_for_damage(reader, progress=lambda share: progress(0.98 * share, "listening for damage"))
    with media.workspace() as work:
        found.save(work / SCAN_NAME)
        move_into_place(work / SCAN_NAME, media.derived(sha256, SCAN_NAME))
    return {"candidates": len(found)}


def propose_for(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """The amount a take proposes, scanned for it where it was not yet. Arguments: media_root, sha256, name."""
    media = MediaStore(Path(arguments["media_root"]))
    found = Scan.load(media.derived(arguments["sha256"], SCAN_NAME))
    if found is None:
        scan(arguments, progress)
        found = Scan.load(media.derived(arguments["sha256"], SCAN_NAME))
    assert found is not None
    return {"amount": propose(found).amount}


def learn_of_side(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Hears a whole take for the steps that need it; what was learnt lies beside it, under a digest of what was asked.

    Arguments: media_root, sha256, name, restoration.
    """
    media, sha256 = MediaStore(Path(arguments["media_root"])), arguments["sha256"]
    asked = Restoration.model_validate(arguments["restoration"])
    with FileReader(media.take(sha256), name=arguments["name"]) as reader:
        watched = Watched(reader, asked, lambda share: progress(share, "listening to the whole side"))
        learnt = prepare(watched, asked, found=Scan.load(media.derived(sha256, SCAN_NAME))).learnt
    with media.workspace() as work:
        learnt.save(work / LEARNT_NAME)
        move_into_place(work / LEARNT_NAME, media.derived(sha256, learnt_name(asked)))
    return {"hum_hz": float(learnt.hum.hz.mean()) if learnt.hum is not None else None}


def report_harm(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Compares a whole take with itself as restored. Arguments: media_root, sha256, name, restoration."""
    media, sha256 = MediaStore(Path(arguments["media_root"])), arguments["sha256"]
    asked = Restoration.model_validate(arguments["restoration"])
    learnt = Learnt.load(media.derived(sha256, learnt_name(asked)))
    with FileReader(media.take(sha256), name=arguments["name"]) as reader:
        prepared = prepare(reader, asked, found=Scan.load(media.derived(sha256, SCAN_NAME)), learnt=learnt)
        found = prepared.harm(reader, progress=lambda share: progress(0.98 * share, "comparing with the take"))
    with media.workspace() as work:
        (work / HARM_NAME).write_text(found.model_dump_json())
        move_into_place(work / HARM_NAME, media.derived(sha256, harm_name(asked)))
    return {"altered_share": found.altered_share}


def seal(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Seals a docket into a folder of its own. Arguments: media_root, order, package (folder below `sealed`).

    And `earlier`, where parts of an earlier package may be taken over: folder, album, sealed_at.
    """
    media = MediaStore(Path(arguments["media_root"]))
    order = SealOrder.model_validate(arguments["order"])
    earlier = None
    if told := arguments.get("earlier"):
        earlier = Earlier(
            folder=media.package(told["folder"]),
            album=SealedAlbum.model_validate(told["album"]),
            sealed_at=told["sealed_at"],
        )
    with media.workspace() as work:
        album = seal_package(order, work, earlier=earlier, progress=progress)
        target = media.package(arguments["package"]).joinpath(*album.folders)
        if target.exists():
            # The same job, begun again after it had finished but before that was written down.
            shutil.rmtree(target)
        work.chmod(0o755)
        move_into_place(work, target)
    return {"album": album.model_dump(mode="json"), "folder": str(target.relative_to(media.root / "sealed"))}
