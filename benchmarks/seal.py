"""Sealing against writing the same FLACs with soundfile alone."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import soundfile

from benchmarks.recordings import RATE_HZ, recording
from inkwell_groove.core.artwork import examine
from inkwell_groove.core.description import Release, TrackDescription
from inkwell_groove.core.plan import Plan, TrackSpan
from inkwell_groove.core.probe import probe
from inkwell_groove.core.sealing.album import seal_album
from inkwell_groove.core.sealing.order import CoverOrder, SealOrder, SideOrder
from inkwell_groove.demo.sleeve import lanterns_cover

_TRACKS, _MINUTES = 5, 10


def run(folder: Path) -> Iterator[str]:
    take = recording(folder, _MINUTES)
    order = _order(folder, take)
    ratios = []
    for attempt in range(3):
        alone_s = _soundfile_alone(order, folder / f"alone {attempt}")
        target = folder / f"album {attempt}"
        target.mkdir()
        began = time.perf_counter()
        album = seal_album(order, target)
        sealed_s = time.perf_counter() - began
        assert sum(track.compared_samples for track in album.tracks) == _MINUTES * 60 * RATE_HZ
        ratios.append(sealed_s / alone_s)
        yield f"soundfile alone {alone_s:.2f} s, sealed and proven {sealed_s:.2f} s: {ratios[-1]:.2f} times"
    yield f"median {sorted(ratios)[1]:.2f} times, for {_MINUTES} minutes at 96 kHz/24"


def _soundfile_alone(order: SealOrder, folder: Path) -> float:
    folder.mkdir()
    side = order.sides[0]
    began = time.perf_counter()
    with soundfile.SoundFile(side.take_path) as source:
        for track in side.plan.tracks:
            source.seek(track.start_sample)
            with soundfile.SoundFile(
                folder / f"{track.key}.flac", "w", RATE_HZ, 2, "PCM_24", format="FLAC", compression_level=0.625
            ) as out:
                left = track.samples
                while left:
                    block = source.read(min(65_536, left), dtype="int32")
                    out.write(block)
                    left -= len(block)
    return time.perf_counter() - began


def _order(folder: Path, take: Path) -> SealOrder:
    cover = folder / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    length = _MINUTES * 60 * RATE_HZ // _TRACKS
    spans = tuple(TrackSpan(key=str(i), start_sample=i * length, end_sample=(i + 1) * length) for i in range(_TRACKS))
    form = probe(take)
    side = SideOrder(
        name="Side A",
        take_path=str(take),
        take_name=take.name,
        take_format=form,
        plan=Plan(take_sha256="0" * 64, take_samples=form.samples, tracks=spans),
        descriptions=tuple(TrackDescription(number=i + 1, title=f"Track {i}") for i in range(_TRACKS)),
    )
    return SealOrder(
        shelfmark="BENCH",
        release=Release(album_artist="Nobody", title="Nothing"),
        sides=(side,),
        cover=CoverOrder(path=str(cover), facts=examine(cover.read_bytes(), name="cover")),
        folder_pattern="{title}",
        file_pattern="{number} {track title}",
        sealed_at="2026-01-01",
        sealed_by="bench",
    )
