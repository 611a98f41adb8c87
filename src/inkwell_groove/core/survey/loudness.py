"""How loud files are: measured while they are listened to, and stated in them by the survey's remedy."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.copies.loudness import AlbumLoudness, Loud, Steps, gain_tags
from inkwell_groove.core.files.fields import FIELDS, GAINS, LOUDNESS
from inkwell_groove.core.measure.loudness import Blocks, lufs_of_blocks
from inkwell_groove.core.survey.finding import Finding, House, Record, Release, finding

CHECK = "loudness not measured"
_TAGS = ("replaygain_track_gain", "r128_track_gain")


class LoudnessFacts(BaseModel):
    """Of one file: its own loudness, and of how many blocks its album's is made."""

    model_config = ConfigDict(frozen=True)

    loud: Loud
    blocks: Blocks

    @classmethod
    def of(cls, loud: Loud, steps: Steps) -> LoudnessFacts:
        return cls(loud=loud, blocks=Blocks.of(steps))


def stated(release: Release, house: House) -> Iterator[Finding]:
    """Files that say nothing of their loudness: one finding for a release, for it is measured as a whole."""
    # Of what could not be decoded when it was listened to nothing is stated: others tell that it is broken.
    readable = [one for one in release.files if not one.problem and one.facts.get("loudness", {}) is not None]
    heard = {
        one.key: LoudnessFacts.model_validate(one.facts["loudness"]) for one in readable if "loudness" in one.facts
    }
    lacking = [one for one in readable if not _is_stated(one) and not _is_silence(heard.get(one.key))]
    if not lacking:
        return
    if len(heard) < len(readable):
        yield finding(CHECK, lacking, "no loudness is stated", evidence="listen to the files: it is measured by that")
        return
    album = _album([heard[one.key] for one in readable])
    cells = {one.key: _cells(album, place, one) for place, one in enumerate(readable) if one in lacking}
    yield finding(CHECK, lacking, "no loudness is stated", evidence=_words(album), remedy=cells)


def _album(heard: Sequence[LoudnessFacts]) -> AlbumLoudness:
    peaks = [one.loud.true_peak_dbtp for one in heard if one.loud.true_peak_dbtp is not None]
    whole = Loud(lufs=lufs_of_blocks([one.blocks for one in heard]), true_peak_dbtp=max(peaks, default=None))
    return AlbumLoudness(tracks=tuple(one.loud for one in heard), album=whole)


def _cells(album: AlbumLoudness, place: int, one: Record) -> dict[str, str]:
    tags = gain_tags(album, place, opus=False)
    names = GAINS if one.facts.get("format") == "Opus" else LOUDNESS
    return {each.name: tags[each.vorbis] for each in FIELDS if each.name in names}


def _words(album: AlbumLoudness) -> str:
    each = [one.lufs for one in album.tracks if one.lufs is not None]
    if len(album.tracks) == 1:
        words = f"measured: {each[0]:.1f} LUFS"
    else:
        words = f"measured: {album.album.lufs:.1f} LUFS as a whole, its tracks {min(each):.1f} to {max(each):.1f}"
    return words.replace("-", "\u2212")


def _is_silence(facts: LoudnessFacts | None) -> bool:
    """Of silence there is no loudness to be stated."""
    return facts is not None and facts.loud.lufs is None


def _is_stated(one: Record) -> bool:
    # Among the others it stood where the file was read before there was a field for it.
    others = [key.casefold() for key, _ in one.facts.get("others", [])]
    return bool(one["track_gain"]) or any(tag in key for key in others for tag in _TAGS)
