"""What jobs do with discs, in a process of their own: plain data in, plain data out."""

from __future__ import annotations

import shutil
from contextlib import closing
from pathlib import Path
from typing import Any

from inkwell_groove import __version__
from inkwell_groove.catalogues.witness_register import WitnessRegister
from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.disc import cdtext
from inkwell_groove.core.disc.drive import Drive
from inkwell_groove.core.disc.indexes import with_indexes
from inkwell_groove.core.disc.offset import find_offset
from inkwell_groove.core.disc.proving import proven
from inkwell_groove.core.disc.reading import Watcher, numbers_to_read, read_tracks
from inkwell_groove.core.disc.record import DiscRecord, OffsetFrom
from inkwell_groove.core.disc.sound import DiscSound, files_in
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.core.disc.twin import FrameState
from inkwell_groove.core.disc.witnesses import Register
from inkwell_groove.core.errors import Conflict, ProofFailed, Refused
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.peaks import build
from inkwell_groove.devices.drives import DriveOrder
from inkwell_groove.store.durable import sync_tree
from inkwell_groove.store.media import PEAKS_NAME
from inkwell_groove.workroom.disc.strip import Recorder
from inkwell_groove.workroom.jobs.arguments import DiscTake, ReadDisc
from inkwell_groove.workroom.jobs.kind import Progress, Result, Task
from inkwell_groove.workroom.jobs.takes import kept

_SLOW = 4.0  # times playing speed: what a scratched disc is read best at (common practice)


def read_disc(arguments: ReadDisc, task: Task) -> Result:
    """Read a disc, or some of its tracks, into the folder of one reading.

    Can be begun again at any point: it then begins from the first track.
    """
    folder, progress = task.media.disc_read(arguments.read_id), task.progress
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    order = DriveOrder.model_validate(arguments.drive)
    order = order.model_copy(update={"image": str(task.media.path_of(order.image))})
    with closing(order.open()) as drive:
        return _read(arguments, drive, folder, progress)


def _read(arguments: ReadDisc, drive: Drive, folder: Path, progress: Progress) -> Result:
    if arguments.slowly:
        drive.set_speed(_SLOW)
    progress(0.0, "looking at the table of contents")
    bare = drive.toc()
    if arguments.digest not in (None, bare.digest):
        raise Conflict(
            "this is another disc than the one that was read before",
            where=drive.facts.name,
            remedy="Put the right disc in, or open another docket for this one",
        )
    toc = with_indexes(bare, drive)
    text, _ = cdtext.parse(drive.cd_text())
    register = _ask(arguments, toc)
    offset, told_by = _offset(arguments, drive, toc, register, progress)
    numbers = numbers_to_read(toc, arguments.numbers)
    with Recorder(folder, toc, text) as recorder:
        watcher = _watcher(recorder, toc, numbers, twice=arguments.twice, progress=progress)

        def done() -> None:
            if arguments.eject:
                drive.eject()
            recorder.ejected()
            progress(0.97, "the disc may be taken out; the last track is being encoded")

        reading = read_tracks(
            drive,
            toc,
            folder,
            numbers,
            offset_samples=offset,
            twice=arguments.twice,
            watcher=watcher,
            on_read=done,
        )
    sync_tree(folder)
    reading = proven(reading, register, toc, files_in(folder, numbers))
    record = DiscRecord(
        application=__version__,
        read_at=arguments.read_at,
        read_by=arguments.who,
        drive=drive.facts,
        offset_samples=offset,
        offset_from=told_by,
        twice=arguments.twice,
        toc=toc,
        text=text,
        asked=register,
        opening=reading.opening,
        tracks=reading.tracks,
    )
    return {"record": record.model_dump(mode="json")}


def _ask(arguments: ReadDisc, toc: Toc) -> Register:
    if not arguments.register_address:
        return Register()
    return WitnessRegister(arguments.register_address, timeout_s=arguments.timeout_s).look_up(toc.digest)


def _offset(
    arguments: ReadDisc, drive: Any, toc: Toc, register: Register, progress: Progress
) -> tuple[int, OffsetFrom]:
    """Return the drive's offset and who says so: as it is known, as this disc tells it, or 0, which is assumed."""
    if arguments.offset_samples is not None:
        return arguments.offset_samples, arguments.offset_from
    if register.known is not None and register.known.pressings:
        progress(0.0, "finding the drive's offset by this disc")
        try:
            return find_offset(drive, toc, register.known).offset_samples, "the register"
        except Refused:
            pass  # a disc too damaged, or too little known, tells nothing: the record says that it is assumed
    return 0, "assumed"


def _watcher(recorder: Recorder, toc: Toc, numbers: list[int], *, twice: bool, progress: Progress) -> Watcher:
    passes = 2 if twice else 1
    lengths = {number: toc.extent(number)[1] - toc.extent(number)[0] for number in numbers}
    whole = passes * sum(lengths.values())
    done = {"all": 0, "track": 0, "of": 1}

    def frames(first: int, count: int, state: FrameState) -> None:
        if state in ("read", "agreed"):
            done["all"] += count
            done["track"] += count
        recorder.frames(first, count, state, min(1.0, done["track"] / done["of"]))
        word = {"read": "first reading", "agreed": "second reading"}.get(state, "reading bad places again")
        progress(min(0.96, 0.96 * done["all"] / whole), f"{recorder.current_name}: {word}")

    def track(number: int, phase: Any) -> None:
        if phase == "reading":
            done["track"], done["of"] = 0, passes * lengths[number]
        recorder.track(number, phase)

    return Watcher(frames=frames, track=track)


def make_disc_take(arguments: DiscTake, task: Task) -> Result:
    """Make the whole disc one take, from the files of its tracks, each from whichever reading was best."""
    media, name, progress = task.media, arguments.name, task.progress
    toc = Toc.model_validate(arguments.toc)
    files = {int(number): media.root / "discs" / path for number, path in arguments.files.items()}
    word = WordLength(bits=16)
    with task.media.workspace() as work, DiscSound(toc, files) as sound:
        target, beside = work / "disc.flac", work / PEAKS_NAME
        progress(0.02, "writing the disc as one recording")
        write_track(sound, 0, sound.format.samples, word, target)
        progress(0.4, "comparing it with its tracks")
        prove_track(target, sound, 0, sound.format.samples, word)
        form = probe(target, name=name)
        if form.samples != sound.format.samples:
            raise ProofFailed("it has another length than the disc", where=name, remedy="Read the disc again")
        build(target, beside, progress=lambda share: progress(0.7 + 0.25 * share, "drawing the waveform"), name=name)
        return kept(media, target, beside, form, sha256_of(target), name, progress)
