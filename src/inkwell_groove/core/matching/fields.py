"""What a source says, as the fields of our description: each a text as `core.description` keeps it."""

from __future__ import annotations

from collections.abc import Sequence

from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS, FieldSpec, joined
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack, SourceRelease


def release_fields(release: SourceRelease) -> dict[str, str]:
    """The release's fields, without those that the source is silent about or that no field of ours would accept."""
    artists = _of(release.credits, "artist")
    said = {
        "album_artist": ", ".join(one.name for one in artists),
        "album_artist_sort": "; ".join(one.sort_name for one in artists if one.sort_name),
        "title": release.title,
        "label": joined(release.labels),
        "catalogue_number": joined(release.catalogue_numbers),
        "barcode": release.barcode,
        "year": release.date,
        "original_date": release.original_date,
        "country": release.country,
        "format": format_in_words(release.media),
        "genres": joined(release.genres),
        "language": release.language,
        "compilation": "yes" if release.compilation else "",
        "live": "yes" if release.live else "",
        "matrix": release.matrix,
        "notes": release.notes,
        "links": release.address,
    }
    return _accepted(said, RELEASE_FIELDS)


def track_fields(release: SourceRelease, track: ReleaseTrack) -> dict[str, str]:
    """A track's fields; its artist only where it is another than the release's."""
    artists, composers = _of(track.credits, "artist"), _of(track.credits, "composer")
    artist = ", ".join(one.name for one in artists)
    said = {
        "title": track.title,
        "artist": "" if artist == release.artist else artist,
        "artist_sort": "" if artist == release.artist else "; ".join(one.sort_name for one in artists if one.sort_name),
        "composers": joined(one.name for one in composers),
        "composers_sort": joined(one.sort_name for one in composers if one.sort_name),
        "conductors": joined(one.name for one in _of(track.credits, "conductor")),
        "performers": joined(performer(one.name, one.instrument) for one in _of(track.credits, "performer")),
        "work": track.work,
        "movement": track.movement,
        "isrc": track.isrc,
        "original_date": track.original_date,
    }
    return _accepted(said, TRACK_FIELDS)


def performer(name: str, instrument: str) -> str:
    """A performer as the tag has it: 'Jon Maskell-Obi (piano)'."""
    return f"{name} ({instrument})" if instrument else name


def format_in_words(media: Sequence[Medium]) -> str:
    """'LP', or '2 x CD'; sides of one record are one record."""
    carriers = [medium.format for medium in media if not medium.side or medium.side in "ACEGIK"]
    kinds = list(dict.fromkeys(carriers))
    return " + ".join(f"{carriers.count(one)} x {one}" if carriers.count(one) > 1 else one for one in kinds)


def _of(credits: Sequence[Credit], role: str) -> list[Credit]:
    return [one for one in credits if one.role == role]


def _accepted(said: dict[str, str], specs: Sequence[FieldSpec]) -> dict[str, str]:
    kept = {}
    for spec in specs:
        try:
            value = spec.accept(said.get(spec.name, ""))
        except Refused:
            continue  # a source's wrong barcode or date must not stand in the way of all the rest
        if value:
            kept[spec.name] = value
    return kept
