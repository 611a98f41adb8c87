"""What each simulated source says of the pressings.

A source's view of one leaves out what that source does not collect, and gets some things wrong on purpose: so that
there is something to reconcile.
"""

from __future__ import annotations

from inkwell_groove.core.matching.release import ArtOffer, Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.demo.inventing import invent
from inkwell_groove.demo.pressings import pressings

MERIDIAN, UNION, TERN = "http://127.0.0.1:8432", "http://127.0.0.1:8433", "http://127.0.0.1:8434"
FILLING, FILLING_SEED = 120, 71


# What a source gets wrong or writes otherwise, by pressing and field.
_ASTRAY: dict[str, dict[str, dict[str, object]]] = {
    "meridian": {
        "lanterns": {"genres": ("brass & military",)},
        "tin-lighthouse": {"date": "1998", "title": "Tin Lighthouse (Digipak)"},
        "preludes": {"title": "4 Tidal Preludes", "country": "IE"},
        "salt-ledger": {"labels": ("Fathom Line",)},
    },
    "union": {
        "lanterns": {"date": "1974", "title": "Lanterns on the weir", "labels": ("Quayhead Records",)},
        "slack-water": {"date": "1969"},
        "tin-lighthouse": {"date": "1998-04-06", "genres": ("jazz", "instrumental music")},
        "bellows-reel": {
            "country": "GB",
            "credits": (Credit(name="Ephraim Duckett and his melodeon", sort_name="Duckett, Ephraim"),),
        },
    },
}
_IN_ANOTHER_LANGUAGE = {"harbour-lights": "Hamneljos: Viser frå ferja"}
_TITLES_IN_IT = {
    "First Boat Over": "Fyrste båten over",
    "Ticket Office Girl": "Jenta i billettluka",
    "Slack Water": "Stille vatn",
    "Half Past Seven": "Halv åtte",
    "Bellman's Goodnight": "Godnatt frå klokkaren",
    "Paper Oars": "Årar av papir",
    "Deckhand Stomp": "Dekksgutens dans",
    "Lights Along the Quay": "Ljos langs kaia",
}
_WITHOUT_TIMES = {"salt-ledger", "lanterns-no"}
_UNKNOWN_TO = {"union": {"lanterns-2", "lanterns-more"}, "tern": {"bellows-reel", "lanterns-no", "lanterns-more"}}


def holdings() -> dict[str, list[SourceRelease]]:
    """By source: what it holds. Pressings that two sources know name each other where a source does so."""
    truth = pressings() + [one for group in invent(FILLING, FILLING_SEED) for one in group]
    return {
        "meridian": [meridian_view(one) for one in truth],
        "union": [union_view(one) for place, one in enumerate(truth) if _known("union", one, place)],
        "tern": [tern_view(one) for place, one in enumerate(truth) if _known("tern", one, place)],
    }


def _known(source: str, one: SourceRelease, place: int) -> bool:
    return one.id not in _UNKNOWN_TO[source] and (place < len(_ASTRAY["meridian"]) + 8 or place % 3 != 0)


def meridian_view(truth: SourceRelease) -> SourceRelease:
    """Pressings with numbers, run-outs and times; no works, no ISRCs, no languages."""
    astray = _ASTRAY["meridian"].get(truth.id, {})
    bare = {"work": "", "movement": "", "isrc": "", "original_date": ""}
    media = tuple(
        medium.model_copy(
            update={
                "tracks": tuple(
                    track.model_copy(update={**bare, "credits": tuple(_unfiled(one) for one in track.credits)})
                    for track in medium.tracks
                )
            }
        )
        for medium in truth.media
    )
    art = (_art(truth.id, "front", 1_000, 1_000), _art(truth.id, "back", 640, 640))
    told = {
        "language": "",
        "original_date": "",
        "media": media,
        "art": art if _is_ours(truth) else (),
        "credits": tuple(_unfiled(one) for one in truth.credits),
    }
    return _view(truth, f"MD{_number(truth.id)}", {**told, **astray})


def union_view(truth: SourceRelease) -> SourceRelease:
    """Library records: filing names, works, dates; no run-outs, and for some no times or another language's titles."""
    astray = dict(_ASTRAY["union"].get(truth.id, {}))
    media = []
    for medium in truth.media:
        tracks = []
        for track in medium.tracks:
            told: dict[str, object] = {"bonus": False}
            if truth.id in _WITHOUT_TIMES or hash_of(truth.id) % 5 == 0:
                told["duration_s"] = None
            if truth.id in _IN_ANOTHER_LANGUAGE:
                told["title"] = _TITLES_IN_IT[track.title]
            tracks.append(track.model_copy(update=told))
        media.append(medium.model_copy(update={"tracks": tuple(tracks)}))
    if truth.id in _IN_ANOTHER_LANGUAGE:
        astray |= {"title": _IN_ANOTHER_LANGUAGE[truth.id], "language": "nno"}
    art = (_art(truth.id, "front", 320, 300),) if _is_ours(truth) else ()
    links = (f"{MERIDIAN}/releases/MD{_number(truth.id)}",)
    return _view(
        truth, f"US{_number(truth.id)}", {"matrix": "", "media": tuple(media), "art": art, "links": links, **astray}
    )


def tern_view(truth: SourceRelease) -> SourceRelease:
    """Hardly a word, but where the same is elsewhere."""
    media = tuple(
        Medium(
            format=medium.format,
            side=medium.side,
            tracks=tuple(
                ReleaseTrack(position=track.position, title=track.title.upper(), duration_s=track.duration_s)
                for track in medium.tracks
            ),
        )
        for medium in truth.media
    )
    bare = SourceRelease(
        source="truth",
        id=truth.id,
        address=truth.address,
        title=truth.title,
        credits=tuple(Credit(name=one.name) for one in truth.credits if one.role == "artist"),
        media=media,
    )
    links = [f"{MERIDIAN}/releases/MD{_number(truth.id)}"]
    return _view(bare, f"TS{_number(truth.id)}", {"links": tuple(links)})


def _view(truth: SourceRelease, name: str, told: dict[str, object]) -> SourceRelease:
    return truth.model_copy(update={"id": name, "address": name, **told})


def _unfiled(one: Credit) -> Credit:
    return one.model_copy(update={"sort_name": ""})


def _is_ours(truth: SourceRelease) -> bool:
    return "-" not in truth.id or not truth.id[0].isdigit()


def hash_of(name: str) -> int:
    """A number that is the same in every process."""
    return sum((place + 1) * ord(char) for place, char in enumerate(name))


def _number(name: str) -> str:
    return f"{name}" if name[:1].isdigit() else f"-{name}"


def _art(name: str, role: str, width: int, height: int) -> ArtOffer:
    # The size in bytes is put in when the picture is drawn.
    return ArtOffer.model_validate(
        {"address": f"{name}-{role}-{width}.jpg", "role": role, "width_px": width, "height_px": height, "size_bytes": 1}
    )
