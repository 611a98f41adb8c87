"""The fields of a file, and where each format keeps them: the one table that reading, writing and the docs go by.

Vorbis comments: xiph.org's field names and the ones in common use beside them (common practice). ID3: frames of ID3v2.4
(id3.org, 2000) and ID3v2.3 (1999); TCMP, TSO2, TSOC, MVNM are frames that players write though no standard has them
(common practice). MP4: atoms of the `ilst` box (common practice). RIFF: INFO chunks of Microsoft's Multimedia
Programming Interface 1.0 (1991); ITRK is common practice. Gains and peaks are those of ReplayGain 2, which TXXX frames
and free-form atoms have too (common practice).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from inkwell_groove.core.errors import Refused

Group = Literal["names", "numbers", "dates", "people", "release", "loudness", "words"]
FREEFORM = "----:com.apple.iTunes:"  # the name space under which every program files what has no atom of its own
SEPARATOR = "; "
NO_WORDS = "zxx"  # ISO 639-2: no linguistic content


@dataclass(frozen=True)
class FileField:
    """One field: its name in the API, its label, and its place in each format ("" where a format has none).

    A field of `many` values has them in one text, "; " between. `id3v23` is where it lies in ID3v2.3 if not where
    ID3v2.4 has it.
    """

    name: str
    label: str
    group: Group
    vorbis: str
    id3: str
    mp4: str
    info: str = ""
    id3v23: str = ""
    many: bool = False
    long: bool = False
    hint: str = ""


def _free(name: str) -> str:
    return FREEFORM + name


FIELDS: tuple[FileField, ...] = (
    FileField("track_number", "Track", "numbers", "TRACKNUMBER", "TRCK", "trkn", "ITRK", hint="1, 2, 3 ..."),
    FileField("track_total", "Tracks", "numbers", "TRACKTOTAL", "TRCK", "trkn", hint="how many tracks there are"),
    FileField("disc_number", "Disc", "numbers", "DISCNUMBER", "TPOS", "disk"),
    FileField("disc_total", "Discs", "numbers", "DISCTOTAL", "TPOS", "disk"),
    FileField("title", "Title", "names", "TITLE", "TIT2", "\xa9nam", "INAM"),
    FileField("artist", "Artist", "names", "ARTIST", "TPE1", "\xa9ART", "IART", many=True),
    FileField("album", "Album", "names", "ALBUM", "TALB", "\xa9alb", "IPRD"),
    FileField("album_artist", "Album artist", "names", "ALBUMARTIST", "TPE2", "aART"),
    FileField("disc_title", "Disc title", "names", "DISCSUBTITLE", "TSST", _free("DISCSUBTITLE"),
              id3v23="TXXX:DISCSUBTITLE"),
    FileField("artist_sort", "Artist, filed under", "names", "ARTISTSORT", "TSOP", "soar", id3v23="TXXX:ARTISTSORT"),
    FileField("album_artist_sort", "Album artist, filed under", "names", "ALBUMARTISTSORT", "TSO2", "soaa"),
    FileField("album_sort", "Album, filed under", "names", "ALBUMSORT", "TSOA", "soal", id3v23="TXXX:ALBUMSORT"),
    FileField("title_sort", "Title, filed under", "names", "TITLESORT", "TSOT", "sonm", id3v23="TXXX:TITLESORT"),
    FileField("date", "Date", "dates", "DATE", "TDRC", "\xa9day", "ICRD", id3v23="TYER",
              hint="1974, 1974-03 or 1974-03-09"),
    FileField("original_date", "First released", "dates", "ORIGINALDATE", "TDOR", _free("ORIGINALDATE"),
              id3v23="TORY"),
    FileField("genre", "Genre", "release", "GENRE", "TCON", "\xa9gen", "IGNR", many=True),
    FileField("composer", "Composer", "people", "COMPOSER", "TCOM", "\xa9wrt", many=True),
    FileField("composer_sort", "Composer, filed under", "people", "COMPOSERSORT", "TSOC", "soco", many=True),
    FileField("conductor", "Conductor", "people", "CONDUCTOR", "TPE3", _free("CONDUCTOR"), many=True),
    FileField("performer", "Performers", "people", "PERFORMER", "TMCL", _free("PERFORMER"), id3v23="IPLS", many=True,
              hint="Jon Maskell-Obi (piano)"),
    FileField("work", "Work", "names", "WORK", "TXXX:WORK", "\xa9wrk"),
    FileField("movement", "Movement", "names", "MOVEMENTNAME", "MVNM", "\xa9mvn"),
    FileField("label", "Label", "release", "LABEL", "TPUB", _free("LABEL"), many=True),
    FileField("catalogue_number", "Catalogue number", "release", "CATALOGNUMBER", "TXXX:CATALOGNUMBER",
              _free("CATALOGNUMBER"), many=True),
    FileField("barcode", "Barcode", "release", "BARCODE", "TXXX:BARCODE", _free("BARCODE")),
    FileField("isrc", "ISRC", "release", "ISRC", "TSRC", _free("ISRC")),
    FileField("media", "Format", "release", "MEDIA", "TMED", _free("MEDIA"), "IMED", hint="LP, CD, cassette"),
    FileField("country", "Country", "release", "RELEASECOUNTRY", "TXXX:RELEASECOUNTRY", _free("RELEASECOUNTRY"),
              "ICNT"),
    FileField("compilation", "Compilation", "release", "COMPILATION", "TCMP", "cpil", hint="yes, or nothing"),
    FileField("copyright", "Copyright", "release", "COPYRIGHT", "TCOP", "cprt", "ICOP"),
    *(
        FileField(f"{of}_{what}", f"{of.capitalize()} {what}", "loudness", f"REPLAYGAIN_{of.upper()}_{what.upper()}",
                  f"TXXX:REPLAYGAIN_{of.upper()}_{what.upper()}", _free(f"REPLAYGAIN_{of.upper()}_{what.upper()}"),
                  hint="-3.20 dB, to −18 LUFS" if what == "gain" else "1.0 is full scale")
        for of in ("track", "album") for what in ("gain", "peak")
    ),
    FileField("language", "Language", "words", "LANGUAGE", "TLAN", _free("LANGUAGE"), "ILNG",
              hint=f"eng, cym; {NO_WORDS} for a piece that has no words"),
    FileField("lyrics", "Lyrics", "words", "LYRICS", "USLT", "\xa9lyr", long=True),
    FileField("comment", "Comment", "words", "COMMENT", "COMM", "\xa9cmt", "ICMT", long=True),
)  # fmt: skip
BY_NAME = {field.name: field for field in FIELDS}
# Numbers and totals share a frame and an atom.
PAIRS = {"track_number": "track_total", "disc_number": "disc_total"}
LOUDNESS = frozenset(field.name for field in FIELDS if field.group == "loudness")  # measured, not described
GAINS, PEAKS = ("track_gain", "album_gain"), ("track_peak", "album_peak")
_GAIN = re.compile(r"([+-]?\d{1,2}(?:\.\d+)?)(?: ?dB)?", re.IGNORECASE)
_PEAK = re.compile(r"\d{1,2}(?:\.\d+)?")

_HALF = re.compile("[\ud800-\udfff]")
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f]")
_CONTROL_BUT_LINES = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f]")
_MOST = {False: 2_000, True: 100_000}


def accept(field: FileField, value: str) -> str:
    """The value as it is written: without control characters, ends trimmed, "; " between several.

    Raises Refused for what no format holds. Nothing else is changed: how a text is worded is for the wording rules.
    """
    if _HALF.search(value):
        raise Refused("the text holds half a character", where=field.label, remedy="Type it again")
    if field.long:
        text = _CONTROL_BUT_LINES.sub("", value.replace("\r\n", "\n").replace("\r", "\n"))
    else:
        text = _CONTROL.sub(" ", value)
    text = text.strip()
    if field.many:
        text = SEPARATOR.join(dict.fromkeys(part for one in text.split(";") if (part := one.strip())))
    if field.name == "compilation" and text:
        if text.casefold() not in ("yes", "no", "1", "0"):
            raise Refused(f"'{text}' is neither yes nor no", where=field.label, remedy="Write yes or no")
        text = "yes" if text.casefold() in ("yes", "1") else ""
    if field.name in LOUDNESS and text:
        text = _of_loudness(field, text.replace("\u2212", "-").replace(",", "."))
    if len(text) > _MOST[field.long]:
        raise Refused(
            f"{field.label} has {len(text)} characters",
            where=field.label,
            remedy=f"Use at most {_MOST[field.long]} characters",
        )
    return text


def _of_loudness(field: FileField, text: str) -> str:
    """Gains as "-3.20 dB", peaks as "0.988553"."""
    if field.name in GAINS and (gain := _GAIN.fullmatch(text)):
        return f"{round(float(gain[1]), 2) + 0.0:.2f} dB"  # of nothing there is no minus
    if field.name in PEAKS and _PEAK.fullmatch(text):
        return f"{float(text):.6f}"
    wanted = "decibels, as -3.20 dB" if field.name in GAINS else "a share of full scale, as 0.988553"
    raise Refused(f"'{text}' is none", where=field.label, remedy=f"Write {wanted}")


def described(values: Mapping[str, str]) -> int:
    """How many fields say something of what a file holds; how loud it is was measured, and does not count."""
    return sum(bool(value) for name, value in values.items() if name not in LOUDNESS)


def values_of(field: FileField, text: str) -> list[str]:
    """The values a kept text stands for."""
    if field.many:
        return [part for one in text.split(";") if (part := one.strip())]
    return [text] if text else []
