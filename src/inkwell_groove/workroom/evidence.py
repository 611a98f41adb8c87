"""Where a docket stands: one line of evidence for each stage, and a word for the whole. Pure: values in, words out."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from inkwell_groove.core.planning.plan import EdgeNote, Plan
from inkwell_groove.store.models import DiscRead, LookUp
from inkwell_groove.workroom.disc.standing import standing as standing_of_disc
from inkwell_groove.workroom.views import ArtworkView, Evidence, SideView, Standing, TakeView, UploadView

_UNDER_WAY = {
    "recording": "is being recorded",
    "waiting for its browser": "broke off; its browser may go on",
    "keeping": "the recording is being read back",
}
SURE = 0.7  # below this a join is to be heard before it is trusted


def intake(formats: list[str], sides: list[SideView], uploads: list[UploadView]) -> Evidence:
    refused = [upload for upload in uploads if upload.state == "refused"]
    if refused:
        return Evidence(stage="intake", line=f"{refused[0].name} was refused", mood="missing")
    if any(upload.state == "taking in" for upload in uploads):
        return Evidence(stage="intake", line="taking in", mood="doubtful")
    many = f"{len(formats)} x {formats[0]}" if len(formats) > 1 else formats[0]
    return Evidence(stage="intake", line=f"{many}, {len(sides)} side{'s' if len(sides) > 1 else ''}", mood="done")


def transfer(sides: list[SideView], recordings: Sequence[str] = ()) -> Evidence:
    """`recordings` are the states of those that are no takes yet."""
    if "refused" in recordings:
        return Evidence(stage="transfer", line="a recording could not be made a take", mood="missing")
    for state, words in _UNDER_WAY.items():
        if state in recordings:
            return Evidence(stage="transfer", line=words, mood="doubtful")
    takes = [take for side in sides for take in side.takes]
    if not takes:
        return Evidence(stage="transfer", line="no recording yet", mood="not begun")
    count = f"{len(takes)} take{'s' if len(takes) > 1 else ''}"
    if not all(take.format.lossless for take in takes):
        return Evidence(stage="transfer", line=f"{count}, one lossy: reference only", mood="doubtful")
    chosen = [take for side in sides for take in side.takes if take.id == side.chosen_take_id]
    faults = sum(len(take.transferred.faults) for take in chosen if take.transferred)
    if faults:
        line = f"{count}, {faults} fault{'s' if faults > 1 else ''} while recording"
        return Evidence(stage="transfer", line=line, mood="missing")
    peaks = [take.sample_peak_dbfs for take in takes if take.sample_peak_dbfs is not None]
    clipped = sum(take.clipped_runs or 0 for take in takes)
    level = f", peak {max(peaks):.1f} dBFS".replace("-", "−") if peaks else ", silent"
    damage = f", {clipped} clipped" if clipped else ", nothing clipped"
    bare = [side.letter for side in sides if not side.takes]
    if bare:
        line = f"{count}, {_formats(takes)}, side {bare[0]} still to come"
        return Evidence(stage="transfer", line=line, mood="missing")
    return Evidence(
        stage="transfer", line=f"{count}, {_formats(takes)}{level}{damage}", mood="doubtful" if clipped else "done"
    )


def _formats(takes: list[TakeView]) -> str:
    kinds = {f"{take.format.rate_hz / 1000:g} kHz/{take.format.bits}" for take in takes}
    return " and ".join(sorted(kinds))


def disc(sides: Sequence[tuple[str, Sequence[DiscRead]]]) -> Evidence:
    """Of compact discs: how each was read, by its name and its readings."""
    reading = [name for name, rows in sides if any(row.state == "reading" for row in rows)]
    if reading:
        return Evidence(stage="disc", line=f"{reading[0].lower()} is being read", mood="doubtful")
    found = [(name, standing_of_disc(rows), rows) for name, rows in sides]
    unread = [name for name, one, _ in found if one.grade is None]
    if len(unread) == len(found):
        failed = any(row.state == "failed" for _, _, rows in found for row in rows)
        line = "could not be read" if failed else "not read yet"
        return Evidence(stage="disc", line=line, mood="missing" if failed else "not begun")
    tracks = [track for _, one, _ in found for _, track in one.tracks.values()]
    proven = sum(track.verdict.startswith("proven") for track in tracks)
    bad = [track for track in tracks if track.verdict in ("damaged", "doubtful")]
    if bad:
        what = f"{bad[0].name} {'is damaged' if bad[0].verdict == 'damaged' else 'disagrees with others'}"
        more = f" and {len(bad) - 1} more" if len(bad) > 1 else ""
        return Evidence(stage="disc", line=f"{what}{more}: read again", mood="missing")
    if unread:
        return Evidence(stage="disc", line=f"{unread[0].lower()} not read yet", mood="missing")
    if any(not one.is_whole for _, one, _ in found):
        return Evidence(stage="disc", line=f"{len(tracks)} read, some still to come", mood="missing")
    if proven == len(tracks):
        return Evidence(stage="disc", line=f"all {proven} tracks proven by witnesses", mood="done")
    line = f"{proven} of {len(tracks)} tracks proven by witnesses" if proven else f"{len(tracks)} tracks, no witness"
    return Evidence(stage="disc", line=line, mood="doubtful")


def tracks(sides: list[SideView]) -> Evidence:
    lines = [line for side in sides for line in side.tracks]
    if not lines:
        return Evidence(stage="tracks", line="none marked yet", mood="not begun")
    bare = [side.letter for side in sides if side.takes and not side.tracks]
    text = f"{len(lines)} track{'s' if len(lines) > 1 else ''}"
    if bare:
        return Evidence(stage="tracks", line=f"{text}, side {bare[0]} has none", mood="missing")
    joins = [join for side in sides if side.plan for join in _joins(side.plan.plan)]
    signed = sum(1 for join in joins if all(note.signed_by is not None for note in join))
    doubtful = sum(1 for join in joins if any(_doubtful(note) for note in join))
    if joins and signed == len(joins):
        return Evidence(stage="tracks", line=f"{text}, all {signed} joins signed off", mood="done")
    if signed:
        text += f", {signed} of {len(joins)} joins signed off"
    if doubtful:
        return Evidence(stage="tracks", line=f"{text}, {doubtful} to hear", mood="doubtful")
    return Evidence(stage="tracks", line=f"{text}, none in doubt", mood="done")


def repair(sides: list[SideView]) -> Evidence:
    asked = [side.plan.plan.restoration for side in sides if side.plan and side.takes]
    begun = [one for one in asked if not one.at_rest]
    if not begun:
        return Evidence(stage="repair", line="sound as it was recorded", mood="not begun")
    said = list(dict.fromkeys(one.in_short() for one in begun))
    line = said[0] if len(said) == 1 else "; ".join(said[:2])
    if len(begun) < len(asked):
        rest = f"{len(asked) - len(begun)} of {len(asked)} sides as recorded"
        return Evidence(stage="repair", line=f"{line}; {rest}", mood="doubtful")
    return Evidence(stage="repair", line=line, mood="done")


def sources(look_up: LookUp | None, *, chosen: bool) -> Evidence:
    """Whether the release was found in outside catalogues."""
    if chosen:
        return Evidence(stage="sources", line="pressing chosen", mood="done")
    if look_up is None:
        return Evidence(stage="sources", line="not looked up yet", mood="not begun")
    if look_up.state == "looking":
        return Evidence(stage="sources", line="being looked up", mood="doubtful")
    match (look_up.outcome or {}).get("verdict"):
        case "sure":
            return Evidence(stage="sources", line="one pressing is sure", mood="doubtful")
        case "to be looked at":
            return Evidence(stage="sources", line="pressings to be looked at", mood="doubtful")
        case _:
            return Evidence(stage="sources", line="no source knows it", mood="doubtful")


def _joins(plan: Plan) -> list[tuple[EdgeNote, ...]]:
    """What is known of each place that can be signed off: the first start, every join, the last end."""
    if not plan.tracks:
        return []
    inner = [(before.end, after.start) for before, after in pairwise(plan.tracks)]
    return [(plan.tracks[0].start,), *inner, (plan.tracks[-1].end,)]


def _doubtful(note: EdgeNote) -> bool:
    return note.signed_by is None and note.confidence is not None and note.confidence < SURE


def describe(missing: list[str], has_anything: bool, *, has_tracks: bool = True) -> Evidence:
    if not has_anything:
        return Evidence(stage="describe", line="nothing said yet", mood="not begun")
    if missing:
        return Evidence(stage="describe", line=f"missing: {missing[0]}", mood="missing")
    if not has_tracks:
        return Evidence(stage="describe", line="release; titles come with the tracks", mood="doubtful")
    return Evidence(stage="describe", line="release and all titles", mood="done")


def artwork(pictures: list[ArtworkView]) -> Evidence:
    front = next((one for one in pictures if one.role == "front"), None)
    if front is None:
        return Evidence(stage="artwork", line="no front cover", mood="not begun")
    size = f"{front.facts.width_px} x {front.facts.height_px}"
    if front.facts.advice:
        return Evidence(stage="artwork", line=f"{size}, {front.facts.advice[0].split(':')[0].lower()}", mood="doubtful")
    return Evidence(stage="artwork", line=f"front {size}", mood="done")


def seal(standing: Standing, proven_tracks: int) -> Evidence:
    tracks_word = "track" if proven_tracks == 1 else "tracks"
    match standing:
        case "sealed":
            return Evidence(
                stage="seal",
                line=f"sealed, {proven_tracks} {tracks_word} proven",
                mood="done",
            )
        case "changed since sealing":
            return Evidence(stage="seal", line="changed since it was sealed", mood="missing")
        case "ready to seal":
            return Evidence(stage="seal", line="ready to seal", mood="doubtful")
        case _:
            return Evidence(stage="seal", line="not sealed", mood="not begun")


def standing(
    *, has_takes: bool, has_tracks: bool, all_lossless: bool, missing: list[str], sealed_basis: str | None, basis: str
) -> Standing:
    if sealed_basis is not None:
        return "sealed" if sealed_basis == basis else "changed since sealing"
    if not has_takes:
        return "empty"
    return "ready to seal" if has_tracks and all_lossless and not missing else "under way"
