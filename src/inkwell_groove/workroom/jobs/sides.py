"""Jobs that listen to a side: they find its tracks, scan it, learn what its restoration needs, report its harm."""

from __future__ import annotations

from inkwell_groove.core import peaks
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.restoration.choosing import propose
from inkwell_groove.core.restoration.learnt import Learnt, Watched
from inkwell_groove.core.restoration.preparing import prepare
from inkwell_groove.core.restoration.scan import Found, Scan, put_together, scan_stretches, stretches_of
from inkwell_groove.core.restoration.scan import scan as scan_for_damage
from inkwell_groove.core.tracks.finder import known_of, tracks_in
from inkwell_groove.core.tracks.found import FixedJoin, Settings
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.store.media import HARM_NAME, LEARNT_NAME, SCAN_NAME, MediaStore
from inkwell_groove.workroom.heard import heard_of
from inkwell_groove.workroom.hearing import harm_name, learnt_name
from inkwell_groove.workroom.jobs.arguments import FindTracks, Restore, ScanTake, WithRestoration
from inkwell_groove.workroom.jobs.kind import Result, Task


def warm() -> None:
    """Load what every worker needs, or compile it if it has changed."""
    peaks.warm()


def find(arguments: FindTracks, task: Task) -> Result:
    """Find tracks within the side's stretch of its take."""
    known = known_of(
        count=arguments.count,
        durations_s=arguments.durations_s,
        settings=Settings.model_validate(arguments.settings),
        fixed=[FixedJoin.model_validate(one) for one in arguments.fixed],
    )
    start, heard = heard_of(
        task.media,
        arguments.sha256,
        arguments.name,
        arguments.side_start_sample or 0,
        arguments.side_end_sample,
        progress=lambda share: task.progress(0.9 * share, "listening to the side"),
    )
    task.progress(0.92, "fitting what was heard to what is known")
    return tracks_in(heard, known).moved(start).model_dump(mode="json")


def scan(arguments: ScanTake, task: Task) -> Result:
    """Scan a take for damage, or put together what its pieces found; that is written beside the take."""
    media, sha256 = task.media, arguments.sha256
    with FileReader(media.take(sha256), name=arguments.name) as reader:
        pieces = _pieces_of(media, arguments.whole_id, stretches_of(reader.format))
        if pieces is not None:
            found = put_together(reader.format, pieces)
        else:
            found = scan_for_damage(reader, progress=lambda share: task.progress(0.98 * share, "listening for damage"))
    with task.media.workspace() as work:
        found.save(work / SCAN_NAME)
        move_into_place(work / SCAN_NAME, media.derived(sha256, SCAN_NAME))
    return {"candidates": len(found)}


def scan_some(arguments: ScanTake, task: Task) -> Result:
    """Scan some stretches of a take; what was found is written into the folder of the whole job."""
    media, first, count = task.media, arguments.first, arguments.stretches or 0
    assert arguments.whole_id is not None
    with FileReader(media.take(arguments.sha256), name=arguments.name) as reader:
        found = scan_stretches(
            reader, first, count, progress=lambda share: task.progress(0.98 * share, "listening for damage")
        )
    with task.media.workspace() as work:
        found.save(work / "found")
        move_into_place(work / "found", media.pieces(arguments.whole_id) / f"{first} {first + count}")
    return {"candidates": len(found.start)}


def _pieces_of(media: MediaStore, job_id: int | None, stretches: int) -> list[Found] | None:
    """Return what the pieces of a scan found, in order; None unless that is all of it, by this version."""
    pieces, at = [], 0
    files = [] if job_id is None else list(media.pieces(job_id).glob("* *"))
    for path in sorted(files, key=lambda path: int(path.name.split()[0])):
        first, end = map(int, path.name.split())
        piece = Found.load(path)
        if first != at or piece is None:
            return None
        pieces.append(piece)
        at = end
    return pieces if pieces and at >= stretches else None


def propose_for(arguments: Restore, task: Task) -> Result:
    """Return the amount of repair that a take proposes; scan it first if it was not scanned yet."""
    scanned = task.media.derived(arguments.sha256, SCAN_NAME)
    found = Scan.load(scanned)
    if found is None:
        scan(ScanTake(sha256=arguments.sha256, name=arguments.name), task)
        found = Scan.load(scanned)
    assert found is not None
    return {"amount": propose(found).amount}


def learn_of_side(arguments: WithRestoration, task: Task) -> Result:
    """Listen to a whole take for the steps that need it; write what was learnt beside it."""
    media, sha256, asked = task.media, arguments.sha256, arguments.restoration
    with FileReader(media.take(sha256), name=arguments.name) as reader:
        watched = Watched(reader, asked, lambda share: task.progress(share, "listening to the whole side"))
        learnt = prepare(watched, asked, found=Scan.load(media.derived(sha256, SCAN_NAME))).learnt
    with task.media.workspace() as work:
        learnt.save(work / LEARNT_NAME)
        move_into_place(work / LEARNT_NAME, media.derived(sha256, learnt_name(asked)))
    return {"hum_hz": float(learnt.hum.hz.mean()) if learnt.hum is not None else None}


def report_harm(arguments: WithRestoration, task: Task) -> Result:
    """Compare a whole take with itself as restored."""
    media, sha256, asked = task.media, arguments.sha256, arguments.restoration
    learnt = Learnt.load(media.derived(sha256, learnt_name(asked)))
    with FileReader(media.take(sha256), name=arguments.name) as reader:
        prepared = prepare(reader, asked, found=Scan.load(media.derived(sha256, SCAN_NAME)), learnt=learnt)
        found = prepared.harm(reader, progress=lambda share: task.progress(0.98 * share, "comparing with the take"))
    with task.media.workspace() as work:
        (work / HARM_NAME).write_text(found.model_dump_json())
        move_into_place(work / HARM_NAME, media.derived(sha256, harm_name(asked)))
    return {"altered_share": found.altered_share}
