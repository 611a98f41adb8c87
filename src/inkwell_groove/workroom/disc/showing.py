"""From a side's rows to what is shown of its disc."""

from __future__ import annotations

from sqlalchemy.orm import Session

from inkwell_groove.core.disc.record import Gap, advice
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.core.planning.disc import track_key
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import DiscRead, Job, Side
from inkwell_groove.workroom.disc.standing import Standing, standing
from inkwell_groove.workroom.disc.strip import ReadState, state_of
from inkwell_groove.workroom.disc.views import DiscReadView, DiscTrackView, DiscView
from inkwell_groove.workroom.reading import plan_of, side_label
from inkwell_groove.workroom.views import JobView, Refusal


def disc_view(session: Session, media: MediaStore, side: Side) -> DiscView:
    """All that is known of a side's disc."""
    found, rows = standing(side.disc_reads), side.disc_reads
    reads = [read_view(session, media, row) for row in rows]
    plan = plan_of(side)
    layout = plan.disc.gaps if plan and plan.disc else "kept"
    reading = next((row for row in rows if row.state == "reading"), None)
    state = state_of(media.disc_read(reading.id)) if reading else ReadState()
    toc = found.toc or state.toc
    gaps = _gaps(found)
    return DiscView(
        side_id=side.id,
        name=side_label(side),
        toc=toc,
        digest=toc.digest if toc else None,
        opening=next((one.opening for one in reversed(found.records) if one.opening is not None), None),
        gaps=gaps,
        tracks=_tracks(side, found, state, toc) if toc else [],
        grade=found.grade,
        reads=reads,
        layout=layout,
        has_take=side.chosen_take_id is not None,
        rebuilds=layout != "left out" or all(gap.silent_share == 1.0 for gap in gaps),
    )


def _gaps(found: Standing) -> list[Gap]:
    """Each gap as it was best read."""
    by_number = {}
    for record in found.records:
        for gap in record.gaps():
            read = found.tracks.get(gap.number - 1)
            if read is not None and read[1] in record.tracks:
                by_number[gap.number] = gap
    return [by_number[number] for number in sorted(by_number)]


def _tracks(side: Side, found: Standing, state: ReadState, toc: Toc) -> list[DiscTrackView]:
    fields = side.carrier.docket.fields
    titles = {one.track_key: one.value for one in fields if one.track_key and one.field == "title"}
    on_disc = {0: "Hidden opening"} | {number: title for number, (title, _) in state.text.tracks.items()}
    views = []
    numbers = [0] if toc.opening_frames else []
    for number in numbers + [track.number for track in toc.audio_tracks]:
        read_id, read = found.tracks.get(number, (None, None))
        first, end = toc.extent(number)
        views.append(
            DiscTrackView(
                number=number,
                title=titles.get(track_key(side.carrier.number, number), on_disc.get(number, "")),
                first_frame=first,
                end_frame=end,
                read=read,
                read_id=read_id,
                verdict=read.verdict if read else None,
                advice=advice(read) if read else "Not read yet",
                phase=state.phases.get(number),
            )
        )
    return views


def read_view(session: Session, media: MediaStore, row: DiscRead) -> DiscReadView:
    """One reading, and how far it is."""
    job = session.get(Job, row.job_id) if row.job_id is not None and row.state == "reading" else None
    state = state_of(media.disc_read(row.id))
    record = row.record or {}
    return DiscReadView(
        id=row.id,
        drive=row.asked["drive_name"],
        state=row.state,
        numbers=row.asked["numbers"],
        twice=row.asked["twice"],
        offset_samples=record.get("offset_samples", row.asked["offset_samples"]),
        offset_from=record.get("offset_from", row.asked["offset_from"]),
        register_trouble=(record.get("asked") or {}).get("trouble", ""),
        told=bool(row.asked.get("told")),
        refusal=Refusal.model_validate(row.refusal) if row.refusal else None,
        began_at=row.began_at,
        began_by=row.began_by,
        job=JobView.of(job).with_time_left() if job else None,
        ejected=state.ejected,
        track_share=state.track_share,
        current=state.current,
        rereads=state.rereads,
    )
