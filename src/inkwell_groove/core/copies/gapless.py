"""The samples that an MP3 encoder added before and after the sound, as the file's first frame states them.

The first frame of an MP3 is silent and carries figures behind the word "Xing" or "Info": at 8 bytes how many frames
follow, at 141 three bytes with the encoder's delay and the padding (12 bits each, in samples), at 154 a CRC-16 over
all of the frame up to there. Decoders skip the delay and 529 samples of their own, and end where the padding begins,
so that tracks join without a gap. The layout is common practice of encoders and decoders; tests read it back with two
decoders. Frame headers: ISO/IEC 11172-3, 2.4.1.3.
"""

from __future__ import annotations

from pathlib import Path

from inkwell_groove.core.errors import ProofFailed

_HEAD_BYTES = 4_096
_MPEG1 = 3  # the two bits of the version; 2 is MPEG-2, 0 is MPEG-2.5
_MONO = 3
_SAMPLES_A_FRAME = {True: 1_152, False: 576}  # of layer III, by whether it is MPEG-1
_SIDE_INFO_BYTES = {(True, False): 32, (True, True): 17, (False, False): 17, (False, True): 9}  # MPEG-1?, mono?
_FRAMES_AT, _DELAY_AT, _CRC_AT = 8, 141, 154
_MOST_PADDING = 0xFFF


def state_mp3_length(path: Path, samples: int) -> None:
    """Writes into an MP3's first frame where its sound ends: after `samples` at its own rate.

    FFmpeg's writer takes the padding from the last packet alone, and states too little where the encoder needed one
    more frame. Raises ProofFailed where the file has no such frame or too few samples.
    """
    with path.open("r+b") as file:
        head = bytearray(file.read(_HEAD_BYTES))
        frame = _after_id3(head)
        version, is_mono = head[frame + 1] >> 3 & 3, head[frame + 3] >> 6 == _MONO
        info = frame + 4 + _SIDE_INFO_BYTES[version == _MPEG1, is_mono]
        if head[info : info + 4] not in (bytearray(b"Xing"), bytearray(b"Info")):
            raise ProofFailed("its first frame does not say how long it is", where=path.name, remedy="Make it again")
        frames = int.from_bytes(head[info + _FRAMES_AT : info + _FRAMES_AT + 4], "big")
        delay = int.from_bytes(head[info + _DELAY_AT : info + _DELAY_AT + 3], "big") >> 12
        padding = frames * _SAMPLES_A_FRAME[version == _MPEG1] - delay - samples
        if not 0 <= padding <= _MOST_PADDING:
            raise ProofFailed(
                f"its {frames} frames do not hold {samples} samples", where=path.name, remedy="Make it again"
            )
        head[info + _DELAY_AT : info + _DELAY_AT + 3] = (delay << 12 | padding).to_bytes(3, "big")
        crc = _crc16(head[frame : info + _CRC_AT])
        file.seek(info + _DELAY_AT)
        file.write(head[info + _DELAY_AT : info + _CRC_AT] + crc.to_bytes(2, "big"))


def _after_id3(head: bytearray) -> int:
    """Where the first frame begins: behind the tag, if there is one (id3.org, ID3v2.4.0 structure, 3.1)."""
    if head[:3] != b"ID3":
        return 0
    size = 0
    for byte in head[6:10]:
        size = size << 7 | byte & 0x7F
    return 10 + size


def _crc16(data: bytearray) -> int:
    """CRC-16/ARC: polynomial 0x8005, bits in reverse, from 0."""
    crc = 0
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ (0xA001 if crc & 1 else 0)
    return crc
