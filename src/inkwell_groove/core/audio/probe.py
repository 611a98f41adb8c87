"""What a file is, judged by its bytes and never by its name, before anything else touches it."""

from __future__ import annotations

from pathlib import Path

from inkwell_groove.core.audio import aiff, flacfile, riff
from inkwell_groove.core.audio.sound import MAX_CHANNELS, MAX_RATE_HZ, MIN_RATE_HZ, SoundFormat
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import NotSound, Refused

ACCEPTED = "WAV, RF64, AIFF or FLAC"


def kind_of(head: bytes) -> str:
    """The container that the first bytes announce, or an empty text.

    Marks: RIFF/RF64 (EBU Tech 3306), AIFF (FORM), FLAC (RFC 9639), Ogg (RFC 3533), MPEG audio (sync word or ID3),
    MP4 (ISO 14496-12, 'ftyp').
    """
    if head[:4] in (b"RIFF", b"RF64") and head[8:12] == b"WAVE":
        return "RF64" if head[:4] == b"RF64" else "WAV"
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return "AIFF"
    if head[:4] == b"fLaC":
        return "FLAC"
    if head[:4] == b"OggS":
        return "Ogg"
    if head[4:8] == b"ftyp":
        return "MP4"
    if head[:3] == b"ID3" or (len(head) > 1 and head[0] == 0xFF and head[1] & 0xE6 in (0xE2, 0xE4, 0xE6)):
        return "MPEG"
    return ""


def probe(path: Path, *, name: str | None = None) -> SoundFormat:
    """The format of a recording that can be taken in.

    Raises NotSound, Truncated, LengthLie or Refused, each saying what, where and what to do. Lossy recordings are
    recognised and returned with `lossless` False; whoever needs a master refuses them.
    """
    name = name or path.name
    size = path.stat().st_size
    if size == 0:
        raise NotSound("the file is empty", where=name, remedy="Copy it again from its source")
    with path.open("rb") as stream:
        kind = kind_of(stream.read(16))
        if not kind:
            raise NotSound("this is not audio", where=name, remedy=f"Give a recording as {ACCEPTED}")
        if kind in ("WAV", "RF64"):
            layout = riff.read_layout(stream, size=size, name=name)
            _check_shape(layout.rate_hz, layout.channels, name)
            if layout.found_samples == 0:
                raise _no_samples(name)
            riff.check_length(layout, name=name)
        elif kind == "AIFF":
            aiff.check_length(aiff.read_layout(stream, size=size, name=name), name=name)
        elif kind == "FLAC":
            info = flacfile.read_streaminfo(stream, size=size, name=name)
            _check_shape(info.rate_hz, info.channels, name)
            if info.samples == 0:
                raise Refused(
                    "this FLAC does not say how long it is, its encoder was stopped",
                    where=name,
                    remedy="Decode it and encode it again with a FLAC tool, then give the result",
                )
    if kind == "MP4":
        raise NotSound(
            "AAC and ALAC in MP4 are not read here yet", where=name, remedy=f"Convert it, then give it as {ACCEPTED}"
        )
    with FileReader(path, name=name) as reader:
        found = reader.format
    _check_shape(found.rate_hz, found.channels, name)
    if found.samples == 0:
        raise _no_samples(name)
    return found.model_copy(update={"container": kind})


def _no_samples(name: str) -> NotSound:
    return NotSound("the recording has a length of zero", where=name, remedy="Record or copy it again")


def _check_shape(rate_hz: int, channels: int, name: str) -> None:
    if not MIN_RATE_HZ <= rate_hz <= MAX_RATE_HZ:
        raise Refused(
            f"a sample rate of {rate_hz} Hz is outside {MIN_RATE_HZ} to {MAX_RATE_HZ} Hz",
            where=name,
            remedy="Record or convert it at 44.1 to 192 kHz",
        )
    if not 1 <= channels <= MAX_CHANNELS:
        raise Refused(
            f"{channels} channels are more than the {MAX_CHANNELS} a carrier can have",
            where=name,
            remedy="Give the channels of this carrier as a file of their own",
        )
