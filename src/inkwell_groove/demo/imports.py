"""The messy folder: sixty files that somebody tagged badly, one for each thing people find in old folders."""

from __future__ import annotations

import io
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soxr
from PIL import Image, ImageDraw, ImageFont

from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.writing import Change, TagOptions, write
from inkwell_groove.demo.discs import DISCS
from inkwell_groove.demo.encoding import encode
from inkwell_groove.demo.inventing import invent
from inkwell_groove.demo.sides import LANTERNS
from inkwell_groove.demo.sleeve import lanterns_cover
from inkwell_groove.demo.tunes import Tune, play

IMPORTS_FOLDER, IMPORTS_NAME, REELS_NAME = "files", "untitled imports", "kept twice"
_RATE_HZ = 44_100
_LENGTH_S = 4.0
_SILENCE_S = 20.0
_SONGS = (
    "Slack Water",
    "Paper Oars",
    "Kiln Lane",
    "Ropewalk Girl",
    "Half Past Seven",
    "The Weir",
    "Ferry Home",
    "Goodnight to All",
)


def write_imports(archive: Path) -> Path:
    """Makes the folder below `archive`, with 60 files that are sound and some that are not."""
    folder = archive / IMPORTS_FOLDER / IMPORTS_NAME
    folder.mkdir(parents=True)
    _lanterns(folder / "lanterns_on_the_weir")
    _singles(folder / "TOLLGATE SISTERS (rip)")
    _harbour_lights(folder)
    _preludes(folder / "preludes")
    _unsorted(folder / "unsorted")
    return folder


def write_reels(archive: Path) -> Path:
    """A second folder below `archive`: songs that are here more than once, as records, reissues and tapes have them."""
    folder = archive / IMPORTS_FOLDER / REELS_NAME
    tunes = [Tune(title, 48.0, 700 + seed, 92 + 9 * seed, 2 * seed) for seed, title in enumerate(_SONGS[:3])]
    sounds = [np.stack(play(tune, _RATE_HZ, speed=1.0), axis=1).astype(np.float32) for tune in tunes]
    presses = (("QHL 1140, 1969", "QHL 1140", "1969", 1.0), ("GC 21, reissue", "GC 21", "1994", 0.6))
    for name, number, date, gain in presses:
        (folder / name).mkdir(parents=True)
        for track, (tune, sound) in enumerate(zip(tunes, sounds, strict=True), start=1):
            path = encode(folder / name / f"{track:02} {tune.title}.flac", gain * sound, _RATE_HZ, "flac")
            write(
                path,
                Change(
                    {
                        "title": tune.title,
                        "artist": "The Tollgate Sisters",
                        "album": "Half Past Seven",
                        "album_artist": "The Tollgate Sisters",
                        "track_number": str(track),
                        "date": date,
                        "catalogue_number": number,
                        "media": "LP" if gain == 1.0 else "CD",
                    }
                ),
            )
    (folder / "tapes").mkdir()
    faster = soxr.resample(sounds[0], _RATE_HZ * 1.012, _RATE_HZ).astype(np.float32)
    single = np.concatenate([sounds[1][: 15 * _RATE_HZ], sounds[1][26 * _RATE_HZ :]])
    for title, sound in ((tunes[0].title, faster), (f"{tunes[1].title} (single edit)", single)):
        path = encode(folder / "tapes" / f"{title}.mp3", sound, _RATE_HZ, "mp3")
        write(path, Change({"title": title, "artist": "The Tollgate Sisters"}))
    return folder


def sound_of(title: str, *, seed: int, silence_s: float = 0.0) -> npt.NDArray[np.float32]:
    """A few seconds of a tune, (samples, 2)."""
    tune = Tune(title, _LENGTH_S, seed, 96 + seed % 40, seed % 12)
    left, right = play(tune, _RATE_HZ, speed=1.0)
    silence = np.zeros((round(silence_s * _RATE_HZ), 2))
    return np.concatenate([np.stack([left, right], axis=1), silence]).astype(np.float32)


def _lanterns(folder: Path) -> None:
    """FLAC with nothing but titles, and those as the file names have them; the sleeve only beside, and not square."""
    folder.mkdir()
    tunes = [tune for script in LANTERNS for tune in script.tunes]
    names = []
    for number, tune in enumerate(tunes, start=1):
        plain = tune.title.lower().replace(" ", "_").replace("'", "").replace(",", "")
        path = folder / f"{number:02}_-_marrowby_silver_band_-_{plain}.flac"
        encode(path, sound_of(tune.title, seed=tune.seed), _RATE_HZ, "flac")
        write(path, Change({"title": path.stem, "artist": "marrowby silver band", "album": "lanterns_on_the_weir"}))
        names.append(path.name)
    (folder / "lanterns.m3u").write_text("#EXTM3U\n" + "".join(f"{name}\n" for name in names))
    cover = Image.open(io.BytesIO(lanterns_cover())).crop((0, 100, 1_000, 900))
    cover.save(folder / "folder.jpg", "JPEG", quality=88)


def _singles(folder: Path) -> None:
    """MP3 in capitals with the artist before the title, ID3v2.3, stale ID3v1, and a picture the size of a stamp."""
    folder.mkdir()
    for number, song in enumerate(_SONGS, start=1):
        path = encode(folder / f"Track {number:02}.mp3", sound_of(song, seed=300 + number), _RATE_HZ, "mp3")
        fields = {
            "title": f"THE TOLLGATE SISTERS - {song.upper()}",
            "artist": "THE TOLLGATE SISTERS",
            "album": "SLACK WATER / PAPER OARS",
            "track_number": str(number),
            "date": "1968",
            "comment": "ripped with something",
        }
        write(path, Change(fields, (_picture("Slack Water", 120, 120, 44),)), TagOptions(id3="2.3"))
        stale = b"TAG" + song[:10].encode().ljust(30, b"\0") + b"Tollgate Sis".ljust(30, b"\0") + bytes(30) + b"1969"
        path.write_bytes(path.read_bytes() + stale.ljust(128, b"\0")[:128])


def _harbour_lights(folder: Path) -> None:
    """A compilation on two discs that says neither; AAC and ALAC, each disc in a folder and in the album's name."""
    for disc, script in enumerate([one for one in DISCS if one.name.startswith("WH-0118")], start=1):
        place = folder / f"Harbour Lights CD{disc}"
        place.mkdir()
        tunes = [
            *script.tunes,
            *(replace(tune, title=f"{tune.title} (reprise)", seed=tune.seed + 50) for tune in script.tunes),
        ][:8]
        for number, tune in enumerate(tunes, start=1):
            kind = "alac" if number % 4 == 0 else "aac"
            path = encode(place / f"{number:02} {tune.title}.m4a", sound_of(tune.title, seed=tune.seed), _RATE_HZ, kind)
            fields = {
                "title": f"{number:02}. {tune.title}",
                "album": f"Harbour Lights: Songs from the Ferry (CD {disc})",
                "artist": ("The Tollgate Sisters", "Odalys Brandt Trio", "Ephraim Duckett")[number % 3],
                "date": str(1958 + 3 * number),
                "genre": "folk" if number % 2 else "Folk Music",
            }
            write(path, Change(fields))


def _preludes(folder: Path) -> None:
    """Classical music in FLAC: the composer within the title, no work, and a picture far too large in every file."""
    folder.mkdir()
    script = next(one for one in DISCS if one.name.startswith("WH-0122"))
    art = _picture("Four Tidal Preludes", 2_400, 2_400, 122)
    for number, tune in enumerate(script.tunes, start=1):
        path = encode(folder / f"prelude {number}.flac", sound_of(tune.title, seed=tune.seed), _RATE_HZ, "flac")
        fields = {
            "title": f"vanterroe: four tidal preludes: {tune.title.lower()}",
            "artist": "Jon Maskell-Obi",
            "album": "Four Tidal Preludes",
            "track_number": f"{number}",
            "date": "1995-05",
        }
        write(path, Change(fields, (art,)))


def _unsorted(folder: Path) -> None:
    """What is left: every other kind, names that say all, a copy, two that only sound alike, silence, one broken."""
    folder.mkdir()
    kinds = ("mp3", "flac", "vorbis", "opus", "wav", "aiff")
    suffix = {"vorbis": "ogg"}
    for number, (release, *_) in enumerate(invent(19, 808)):
        kind = kinds[number % len(kinds)]
        artist = release.credits[0].name
        title = release.media[0].tracks[0].title
        path = folder / f"{artist} - {title}.{suffix.get(kind, kind)}"
        encode(path, sound_of(title, seed=500 + number), _RATE_HZ, kind)
        if number % 3 == 0:
            write(path, Change({"title": "Track 01", "artist": "Unknown Artist", "album": "Unknown Album"}))
    first = sorted(folder.glob("*.flac"))[0]
    shutil.copyfile(first, folder / f"Copy of {first.name}")
    # The same tune once more, as another program would have made it: alike to the ear only.
    encode(folder / f"{first.stem} (2).mp3", sound_of("again", seed=501), _RATE_HZ, "mp3")
    encode(
        folder / "Kiln Lane Tapes - last of the evening.flac",
        sound_of("Last of the Evening", seed=640, silence_s=_SILENCE_S),
        _RATE_HZ,
        "flac",
    )
    write(folder / "Kiln Lane Tapes - last of the evening.flac", Change({"title": "last of the evening"}))
    (folder / "broken.flac").write_bytes(b"fLaC" + sorted(folder.glob("*.wav"))[0].read_bytes()[:20_000])
    (folder / "read me.txt").write_text("Everything from the old computer. Sort out some day.\n")


def _picture(words: str, width: int, height: int, seed: int) -> Embedded:
    rng = np.random.default_rng(seed)
    image = Image.fromarray(rng.integers(30, 200, (12, 12, 3), dtype=np.uint8)).resize((width, height))
    draw = ImageDraw.Draw(image)
    draw.text((width // 12, height // 2), words, font=ImageFont.load_default(size=max(10, width // 14)), fill="#f6ecd6")
    out = io.BytesIO()
    image.save(out, "PNG" if width > 2_000 else "JPEG")
    data = out.getvalue()
    return Embedded(3, "image/png" if width > 2_000 else "image/jpeg", data)
