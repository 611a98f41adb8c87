"""What hypothesis generates for core: each strategy says what comes out of it."""

from __future__ import annotations

import itertools

from hypothesis import strategies as st

from inkwell_groove.core.cuesheet import CueIndex, CueSheet, CueTrack, cue_text
from inkwell_groove.core.frames import MAX_CUE_FRAMES
from inkwell_groove.core.planning.plan import Plan, TrackSpan

# Anything that can be typed or pasted: all of Unicode that UTF-8 can hold, control characters and all.
any_text = st.text(st.characters(exclude_categories=["Cs"]), max_size=60)


@st.composite
def plans(draw: st.DrawFn, *, max_tracks: int = 8) -> Plan:
    """A plan of a take of up to 100,000 samples with tracks anywhere in it, some of them touching."""
    samples = draw(st.integers(50, 100_000))
    count = draw(st.integers(0, max_tracks))
    places = sorted(draw(st.lists(st.integers(0, samples), min_size=2 * count, max_size=2 * count)))
    spans = [
        TrackSpan(key=f"k{index}", start_sample=start, end_sample=end)
        for index, (start, end) in enumerate(zip(places[::2], places[1::2], strict=True))
        if end > start
    ]
    return Plan(
        take_sha256="0" * 64,
        take_samples=samples,
        tracks=tuple(spans),
        gaps=draw(st.sampled_from(["kept", "left out"])),
    )


@st.composite
def cue_sheets(draw: st.DrawFn) -> CueSheet:
    """A valid sheet: each track in a file of its own or further on in the one before, index 00 where it may stand."""
    # One text, cut up, and chance by one seed: to draw each by itself takes most of the time there is.
    drawn, chance = draw(any_text), draw(st.randoms(use_true_random=True))
    texts = (cue_text(drawn[at % 7 :: 1 + at % 3]) for at in itertools.count())
    tracks: list[CueTrack] = []
    files: list[str] = []
    at = 0
    for number in range(1, chance.randint(1, 6) + 1):
        indexes: list[CueIndex] = []
        opens = not files or chance.random() < 0.5
        if opens:
            if files and chance.random() < 0.5 and at < MAX_CUE_FRAMES - 20_000:
                at += chance.randint(1, 9_000)
                indexes.append(CueIndex(number=0, file=files[-1], frames=at))
            files.append(f"{len(files):02} {chance.randint(0, 10_000):05} side.flac")
            at = 0
            indexes.append(CueIndex(number=1, file=files[-1], frames=0))
        else:
            for index in (0, 1) if chance.random() < 0.5 else (1,):
                at += chance.randint(1, 9_000)
                indexes.append(CueIndex(number=index, file=files[-1], frames=at))
        for extra in range(chance.randint(0, 2)):
            at += chance.randint(1, 500)
            indexes.append(CueIndex(number=2 + extra, file=files[-1], frames=at))
        tracks.append(
            CueTrack(
                number=number,
                title=next(texts),
                performer=next(texts),
                isrc=chance.choice(["", "GBABC2600001"]),
                flags=chance.choice([(), ("PRE",), ("DCP", "PRE")]),
                indexes=tuple(indexes),
            )
        )
    return CueSheet(
        title=next(texts),
        performer=next(texts),
        catalog=chance.choice(["", "4006381333931"]),
        remarks=tuple(text for text in (next(texts), next(texts))[: chance.randint(0, 2)] if text),
        tracks=tuple(tracks),
    )
