"""What flows: news to many listeners, bytes from one uploader, sound by range."""

from __future__ import annotations

import asyncio
import hashlib
import threading
from collections.abc import AsyncIterator
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.peaks import PeakFile, build
from inkwell_groove.store.disk import DiskSpace
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.receiving import Receiving
from tests.sounds import noise, write


def test_every_listener_hears_all_news_in_order_until_the_end() -> None:
    events = Events()

    async def listen(ready: asyncio.Event) -> list[int]:
        subscription = events.subscribe()
        heard = []
        first = asyncio.ensure_future(anext(subscription))
        await asyncio.sleep(0)
        ready.set()
        heard.append((await first)["n"])
        async for event in subscription:
            heard.append(event["n"])
        return heard

    async def main() -> list[list[int]]:
        readies = [asyncio.Event(), asyncio.Event()]
        listeners = [asyncio.ensure_future(listen(ready)) for ready in readies]
        for ready in readies:
            await ready.wait()
        threading.Thread(target=lambda: ([events.publish({"n": n}) for n in range(100)], events.close())).start()
        return list(await asyncio.gather(*listeners))

    assert asyncio.run(main()) == [list(range(100))] * 2


def test_a_slow_listener_loses_the_oldest_news_and_keeps_the_newest() -> None:
    events = Events()

    async def main() -> list[int]:
        subscription = events.subscribe()
        waiting = asyncio.ensure_future(anext(subscription))
        await asyncio.sleep(0)
        for n in range(2_000):
            events.publish({"n": n})
        await asyncio.sleep(0.05)
        heard = [(await waiting)["n"]]
        events.close()
        heard += [event["n"] async for event in subscription]
        return heard

    heard = asyncio.run(main())
    assert heard[-1] == 1_999
    assert heard == sorted(heard)
    assert len(heard) < 2_000


async def pieces(data: bytes, cuts: list[int]) -> AsyncIterator[bytes]:
    places = sorted({0, len(data), *(cut % (len(data) + 1) for cut in cuts)})
    for start, end in pairwise(places):
        yield data[start:end]


@settings(max_examples=25)
@given(cuts=st.lists(st.integers(0, 10**7), max_size=8), breaks=st.lists(st.integers(0, 10**7), max_size=3))
def test_however_an_upload_is_cut_its_bytes_its_digest_and_its_drawing_are_right(
    tmp_path_factory: pytest.TempPathFactory, cuts: list[int], breaks: list[int]
) -> None:
    folder = tmp_path_factory.mktemp("receiving")
    data = write(folder / "side.wav", noise(400_000)).read_bytes()
    path = folder / "1"
    path.touch()
    receiving = Receiving(path, DiskSpace(path.parent))
    places = sorted({0, len(data), *(one % len(data) for one in breaks)})
    for start, end in pairwise(places):  # connections, one after the other
        received = asyncio.run(receiving.append(pieces(data[start:end], cuts), start, len(data), "side.wav"))
        assert received == end
    result = receiving.result(len(data))
    assert path.read_bytes() == data
    assert result["sha256"] == hashlib.sha256(data).hexdigest()
    build(path, folder / "built")
    assert result["has_peaks"]
    assert receiving.peaks_path.read_bytes() == (folder / "built").read_bytes()
    assert PeakFile(receiving.peaks_path).index.samples == 400_000


def test_what_came_before_a_break_is_kept_and_what_a_former_server_saw_is_not_vouched_for(tmp_path: Path) -> None:
    path = tmp_path / "1"
    path.touch()

    async def breaking() -> AsyncIterator[bytes]:
        yield b"a" * 1_000
        raise ConnectionResetError

    with pytest.raises(ConnectionResetError):
        asyncio.run(Receiving(path, DiskSpace(path.parent)).append(breaking(), 0, 5_000, "x.wav"))
    assert path.stat().st_size == 1_000
    successor = Receiving(path, DiskSpace(path.parent))
    assert asyncio.run(successor.append(pieces(b"b" * 4_000, []), 1_000, 5_000, "x.wav")) == 5_000
    assert successor.result(5_000) == {}  # it has not seen the first thousand bytes, so they are read again


def test_a_byte_too_many_is_refused_and_none_of_its_piece_is_written(tmp_path: Path) -> None:
    path = tmp_path / "1"
    path.touch()
    with pytest.raises(Refused, match="more than the 10 bytes"):
        asyncio.run(Receiving(path, DiskSpace(path.parent)).append(pieces(bytes(11), []), 0, 10, "x.wav"))
    assert path.stat().st_size == 0
