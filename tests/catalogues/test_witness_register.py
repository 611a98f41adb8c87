"""The register as a real service over HTTP, well, down, slow and lying; and what the client makes of it."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from inkwell_groove.catalogues.witness_register import WitnessRegister
from inkwell_groove.core.disc.record import TrackRead
from inkwell_groove.core.disc.witnesses import compare
from tests.discs import Running

DIGEST = "d" * 64


@pytest.fixture
def running(tmp_path: Path) -> Iterator[Running]:
    register = Running(tmp_path / "register.json")
    yield register
    register.stop()


def track(number: int, value: str, *, disputed: tuple[int, ...] = ()) -> TrackRead:
    return TrackRead(
        number=number,
        first_frame=0,
        end_frame=10,
        first_crc32="",
        second_crc32="",
        crc32="",
        sha256="",
        peak=1,
        settled=(),
        disputed=disputed,
        rereads=0,
        silent_share=0.0,
        witness_sum=value * 16,
        whole_sum=value * 16,
    )


def test_reads_are_counted_by_reader_and_sorted_into_pressings(running: Running, tmp_path: Path) -> None:
    register = WitnessRegister(running.address)
    assert register.look_up(DIGEST).known is not None and not register.look_up(DIGEST).known.pressings  # type: ignore[union-attr]
    for reader in ("reader-1", "reader-2", "reader-2"):
        assert register.submit(DIGEST, reader=reader, tracks=[track(1, "a"), track(2, "b")]) == ""
    register.submit(DIGEST, reader="reader-3", tracks=[track(1, "a"), track(2, "c")])
    register.submit(DIGEST, reader="reader-4", tracks=[track(1, "e"), track(2, "f")])
    known = register.look_up(DIGEST).known
    assert known is not None and sorted(one.reads for one in known.pressings) == [1, 3]
    sums = {1: "a" * 16, 2: "b" * 16}
    found = compare(known, sums, sums)
    assert [found[number].words() for number in (1, 2)] == [
        "agrees with 3 of 3 earlier reads",
        "agrees with 2 of 3 earlier reads",
    ]
    assert found[1].whole
    running.stop()
    again = Running(tmp_path / "register.json")
    try:
        assert WitnessRegister(again.address).look_up(DIGEST).known == known
    finally:
        again.stop()


def test_only_what_was_read_firmly_is_told(running: Running) -> None:
    register = WitnessRegister(running.address)
    register.submit(DIGEST, reader="reader-1", tracks=[track(1, "a"), track(2, "b", disputed=(3,))])
    known = register.look_up(DIGEST).known
    assert known is not None and set(known.pressings[0].tracks) == {1}
    assert "firmly enough" in register.submit(DIGEST, reader="reader-1", tracks=[track(2, "b", disputed=(3,))])


@pytest.mark.parametrize(
    ("kind", "words"),
    [("down", "status 503"), ("slow", "did not answer within 0.3 s"), ("wrong", "cannot be true: track 1 has more")],
)
def test_a_register_in_trouble_is_an_answer_and_nothing_is_believed(running: Running, kind: str, words: str) -> None:
    register = WitnessRegister(running.address, timeout_s=0.3)
    register.submit(DIGEST, reader="reader-1", tracks=[track(1, "a")])
    running.trouble(kind, seconds=3.0)
    asked = register.look_up(DIGEST)
    assert asked.known is None and words in asked.trouble
    if kind != "wrong":
        assert "did not take it" in register.submit(DIGEST, reader="reader-1", tracks=[track(1, "a")])


def test_where_nothing_listens_is_said() -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        address = f"http://127.0.0.1:{free.getsockname()[1]}"
        asked = WitnessRegister(address, timeout_s=1.0).look_up(DIGEST)
    assert asked.known is None and "cannot be reached" in asked.trouble


@pytest.mark.parametrize(
    "body",
    [
        {"reader": "reader-1", "tracks": {"1": {"sum": "x", "whole": "a" * 16}}},
        {"reader": "r", "tracks": {"1": {"sum": "a" * 16, "whole": "a" * 16}}},
        {"reader": "reader-1", "tracks": {}},
        {"reader": "reader-1"},
    ],
)
def test_the_stand_in_refuses_what_is_no_read(running: Running, body: dict[str, object]) -> None:
    assert httpx.post(f"{running.address}/v1/discs/{DIGEST}/reads", json=body).status_code == 422
    assert httpx.get(f"{running.address}/v1/discs/nonsense").status_code == 422
