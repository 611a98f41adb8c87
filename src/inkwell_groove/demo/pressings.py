"""The invented pressings that the simulated sources know: the truth about each of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from inkwell_groove.core.matching.names import filed
from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.numbers import ean_check_digit
from inkwell_groove.demo.carriers import CARRIERS
from inkwell_groove.demo.discs import DISCS, DiscScript
from inkwell_groove.demo.sides import LANTERNS
from inkwell_groove.demo.tunes import Tune


def band(name: str) -> Credit:
    return Credit(name=name, sort_name=filed(name, "group"))


def person(name: str, role: str = "artist", instrument: str = "") -> Credit:
    return Credit.model_validate(
        {"name": name, "role": role, "instrument": instrument, "sort_name": filed(name, "person")}
    )


def _track(position: str, tune: Tune, **more: object) -> ReleaseTrack:
    return ReleaseTrack.model_validate(
        {"position": position, "title": tune.title, "duration_s": round(tune.duration_s), **more}
    )


def _of_sides(kind: str, sides: Sequence[tuple[str, Sequence[Tune]]]) -> tuple[Medium, ...]:
    return tuple(
        Medium(format=kind, side=letter, tracks=tuple(_track(f"{letter}{n}", tune) for n, tune in enumerate(tunes, 1)))
        for letter, tunes in sides
    )


def _release(name: str, **told: object) -> SourceRelease:
    return SourceRelease.model_validate({"source": "truth", "id": name, "address": f"truth:{name}", **told})


def _disc(script: DiscScript, number: int = 0) -> Medium:
    prefix = f"{number}-" if number else ""
    tracks = []
    for place, tune in enumerate(script.tunes, 1):
        by = (band(script.performers[place - 1]),) if script.performers else ()
        tracks.append(_track(f"{prefix}{place}", tune, credits=by, isrc=f"{script.isrc}{place:02}"))
    return Medium(format="CD", tracks=tuple(tracks))


def pressings() -> list[SourceRelease]:
    """Every pressing of what is in the demo archive, as it truly is."""
    disc = {script.name: script for script in DISCS}
    sides = [(side.letter, side.tunes) for side in LANTERNS]
    lanterns = _release(
        "lanterns",
        title="Lanterns on the Weir",
        credits=(band("Marrowby Silver Band"), person("Wilfred Ashdene", "conductor")),
        labels=("Quayhead",),
        catalogue_numbers=("QHL 1107",),
        country="GB",
        date="1974-05",
        genres=("brass band", "march"),
        language="zxx",
        matrix="QHL 1107 A1; QHL 1107 B1",
        notes="Recorded in the Corn Hall, Marrowby, in February 1974.",
        media=_of_sides("LP", sides),
    )
    longer = [
        (letter, [_longer(tune, 6) if tune.title == "Tollgate Hymn" else tune for tune in tunes])
        for letter, tunes in sides
    ]
    encore = Tune("Marrowby Encore", 29, 26, 118, 4)
    fair = Tune("Fair Day Polka", 33, 27, 128, 7)
    more = [(sides[0][0], sides[0][1]), (sides[1][0], (*sides[1][1], encore, fair))]
    return [
        lanterns,
        lanterns.model_copy(
            update={
                "id": "lanterns-2",
                "address": "truth:lanterns-2",
                "date": "1976",
                "matrix": "QHL 1107 A2; QHL 1107 B3",
                "media": _of_sides("LP", longer),
            }
        ),
        lanterns.model_copy(
            update={
                "id": "lanterns-no",
                "address": "truth:lanterns-no",
                "date": "1975",
                "country": "NO",
                "labels": ("Lugger",),
                "catalogue_numbers": ("LGR 207",),
                "matrix": "LGR 207 A; LGR 207 B",
            }
        ),
        lanterns.model_copy(
            update={
                "id": "lanterns-more",
                "address": "truth:lanterns-more",
                "date": "1979-11",
                "catalogue_numbers": ("QHL 2204",),
                "matrix": "QHL 2204 A1; QHL 2204 B1",
                "media": _with_bonus(more, 2),
                "notes": "With two marches from the same days.",
            }
        ),
        _release(
            "slack-water",
            title="Slack Water / Paper Oars",
            credits=(band("The Tollgate Sisters"),),
            labels=("Quayhead",),
            catalogue_numbers=("QHS 44",),
            country="GB",
            date="1968-09-13",
            genres=("song",),
            language="eng",
            matrix="QHS 44 A; QHS 44 B",
            media=_of_sides("7-inch single", CARRIERS[0].sides),
        ),
        _release(
            "bellows-reel",
            title="Bellows Reel",
            credits=(person("Ephraim Duckett"),),
            labels=("Corrin",),
            catalogue_numbers=("2218",),
            country="IE",
            date="1931",
            genres=("folk",),
            matrix="M 4471; M 4472",
            media=_of_sides("10-inch shellac", CARRIERS[1].sides),
        ),
        _of_trio(disc["WH-0103"], "tin-lighthouse", "FL 019", "1998-04-06"),
        _of_trio(disc["WH-0104"], "salt-ledger", "FL 027", "2001-10"),
        _harbour_lights(disc["WH-0118 disc 1"], disc["WH-0118 disc 2"]),
        _preludes(disc["WH-0122"]),
    ]


def _longer(tune: Tune, by_s: float) -> Tune:
    return replace(tune, duration_s=tune.duration_s + by_s)


def _with_bonus(sides: Sequence[tuple[str, Sequence[Tune]]], count: int) -> tuple[Medium, ...]:
    first, last = _of_sides("LP", sides)
    kept = tuple(
        track.model_copy(update={"bonus": place >= len(last.tracks) - count}) for place, track in enumerate(last.tracks)
    )
    return first, last.model_copy(update={"tracks": kept})


def _of_trio(script: DiscScript, name: str, number: str, date: str) -> SourceRelease:
    players = (
        person("Odalys Brandt", "performer", "piano"),
        person("Corwin Hollin", "performer", "double bass"),
        person("Petra Cutlack", "performer", "drums"),
    )
    medium = _disc(script)
    by = tuple(
        track.model_copy(update={"credits": (*players, person("Odalys Brandt", "composer"))}) for track in medium.tracks
    )
    return _release(
        name,
        title=script.title,
        credits=(band("Odalys Brandt Trio"),),
        labels=("Fathomline",),
        catalogue_numbers=(number,),
        barcode=script.barcode,
        country="GB",
        date=date,
        genres=("jazz", "piano trio"),
        language="zxx",
        matrix=f"{number} 01",
        media=(medium.model_copy(update={"tracks": by}),),
    )


def _harbour_lights(first: DiscScript, second: DiscScript) -> SourceRelease:
    years = iter(("1971", "1964", "1968", "1988", "1931", "1968", "1979", "1964"))
    media = []
    for number, script in enumerate((first, second), 1):
        medium = _disc(script, number)
        tracks = tuple(track.model_copy(update={"original_date": next(years)}) for track in medium.tracks)
        media.append(medium.model_copy(update={"tracks": tracks}))
    return _release(
        "harbour-lights",
        title="Harbour Lights: Songs from the Ferry",
        credits=(band("various artists"),),
        labels=("Gull & Crane",),
        catalogue_numbers=("GC 5-6",),
        barcode="590200300500" + ean_check_digit("590200300500"),
        country="GB",
        date="2003-06-02",
        genres=("song", "folk"),
        language="eng",
        compilation=True,
        media=tuple(media),
    )


def _preludes(script: DiscScript) -> SourceRelease:
    tracks = []
    for place, tune in enumerate(script.tunes, 1):
        credits = (
            person("Jon Maskell-Obi"),
            person("Jon Maskell-Obi", "performer", "piano"),
            person("Ilse Vanterroe", "composer"),
        )
        tracks.append(
            _track(
                str(place),
                tune,
                credits=credits,
                work="Four Tidal Preludes",
                movement=tune.title,
                isrc=f"{script.isrc}{place:02}",
            )
        )
    return _release(
        "preludes",
        title="Four Tidal Preludes",
        credits=(person("Jon Maskell-Obi"),),
        labels=("Fathomline",),
        catalogue_numbers=("FLC 003",),
        barcode=script.barcode,
        country="GB",
        date="1995-09",
        original_date="1995",
        genres=("chamber music", "piano"),
        language="zxx",
        media=(Medium(format="CD", tracks=tuple(tracks)),),
    )
