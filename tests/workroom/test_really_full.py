"""A disk that is really full, a small tmpfs, while any job writes: it is told as one, nothing is lost, and with room
again the job ends as it would have.
"""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from inkwell_groove.workroom.jobs import arguments as asked
from inkwell_groove.workroom.jobs.kind import failure_of
from inkwell_groove.workroom.jobs.sealing import seal
from tests.core.test_package import FULL, order_in
from tests.owndisk import leave_free, make_room, on_disk_of, used_bytes
from tests.tasks import TOKEN, OwnTask
from tests.workroom.test_file_crashes import Filing, WholeFolder
from tests.workroom.test_file_steps import below
from tests.workroom.test_job_crashes import EVERY, Place, Prepared, moving

SIZE_BYTES = 64 << 20
TRIES = 12
_PAGE_BYTES = 4_096


def refused(work: Callable[[], object]) -> str:
    """Do something on a disk that may be too small; return what it was refused with, empty if there was room."""
    try:
        work()
    except Exception as error:  # noqa: BLE001 - whatever it is, it must be told as a full disk
        failure = failure_of(error, "the job")
        assert failure.get("code") == "DiskFull", "".join(traceback.format_exception(error))
        return str(failure["what"])
    return ""


def with_less_and_more_room(disk: Path, anew: Callable[[], object], work: Callable[[], object]) -> Iterator[str]:
    """Do something again and again with more room each time; yield what it was refused with, with room again."""
    anew()
    before = used_bytes(disk)
    work()
    more = max(used_bytes(disk) - before, 8 * _PAGE_BYTES)
    for number in range(TRIES):
        anew()
        leave_free(disk, _PAGE_BYTES * round(1.5 * more * number / TRIES / _PAGE_BYTES))
        told = refused(work)
        make_room(disk)
        yield told


def tell(name: str, told: list[str]) -> None:
    """Add a line to the table that `pytest -rP` shows."""
    assert told[0], "without any room it was not refused"
    sys.stdout.write(f"{name:>24}: refused {sum(map(bool, told))} times of {TRIES}, whole after each\n")


@pytest.mark.parametrize("prepare", [one for one in EVERY if one is not moving], ids=lambda one: one.__name__)
def test_a_job_that_fills_the_disk_says_so_and_is_done_with_room(
    prepare: Callable[[Place], Prepared], tmp_path: Path
) -> None:
    place = Place(tmp_path / "disk")

    def on_the_disk() -> list[str]:
        prepared: list[Prepared] = []

        def anew() -> None:
            place.empty()
            prepared[:] = [prepare(place)]

        def work() -> None:
            function, arguments = prepared[0]
            function(arguments, OwnTask(place.media))

        anew()
        work()
        wanted, told = place.state(), []
        for one in with_less_and_more_room(place.root, anew, work):
            place.media.remove_workspaces(TOKEN)
            work()
            assert place.state() == wanted, f"refused with {one!r}, and begun again with room"
            told.append(one)
        return told

    tell(prepare.__name__, on_disk_of(SIZE_BYTES, place.root, on_the_disk))


def test_sealing_that_fills_the_disk_leaves_no_package_and_seals_whole_with_room(tmp_path: Path) -> None:
    place = Place(tmp_path / "disk")
    order = order_in(tmp_path, FULL)
    arguments = asked.Seal(order=order.model_dump(mode="json"), basis="", package="T-1/1", who="me")

    def names() -> list[str]:
        return sorted(below(place.media.root / "sealed"))

    def on_the_disk() -> list[str]:
        place.empty()
        album = seal(arguments, OwnTask(place.media))["album"]
        wanted, told = names(), []
        assert [one["faults"] for one in album["parts"]] == [[]] * len(album["parts"])
        for one in with_less_and_more_room(place.root, place.empty, lambda: seal(arguments, OwnTask(place.media))):
            assert names() == ([] if one else wanted), "it is there whole or not at all"
            again = seal(arguments, OwnTask(place.media))["album"]
            assert names() == wanted
            assert [part["faults"] for part in again["parts"]] == [[]] * len(again["parts"])
            told.append(one)
        return told

    tell("sealing", on_disk_of(SIZE_BYTES, place.root, on_the_disk))


def test_a_step_on_files_that_fills_the_disk_goes_on_with_room_and_is_undone(tmp_path: Path) -> None:
    disk = tmp_path / "disk"

    def on_the_disk() -> list[str]:
        place = WholeFolder(disk)
        place.anew()
        place.write()
        wanted, told = below(place.folder), []
        for number, one in enumerate(with_less_and_more_room(disk, place.anew, place.write)):
            if number % 2:
                place.write()
                assert below(place.folder) == wanted, f"refused with {one!r}, and begun again with room"
            place.undo()
            assert below(place.folder) == place.before, f"refused with {one!r}, and undone with room"
            told.append(one)
        return told

    tell("writing files", on_disk_of(SIZE_BYTES, disk, on_the_disk))


def test_undoing_that_finds_no_room_goes_on_with_it(tmp_path: Path) -> None:
    disk = tmp_path / "disk"

    def on_the_disk() -> list[str]:
        place = WholeFolder(disk)

        def written() -> None:
            place.anew()
            place.write()

        told = []
        for one in with_less_and_more_room(disk, written, place.undo):
            place.undo()
            assert below(place.folder) == place.before, f"refused with {one!r}, and begun again with room"
            told.append(one)
        return told

    tell("undoing", on_disk_of(SIZE_BYTES, disk, on_the_disk))


@pytest.mark.parametrize("way", ["out", "back"])
def test_filing_back_that_finds_no_room_changes_nothing_and_is_done_with_it(way: str, tmp_path: Path) -> None:
    disk = tmp_path / "disk"

    def on_the_disk() -> list[str]:
        filing = Filing(disk)
        anew, work = (filing.anew, filing.out) if way == "out" else (filing.filed, filing.back)
        anew()
        before = below(filing.mine)
        work()
        wanted, told = below(filing.mine), []
        for one in with_less_and_more_room(disk, anew, work):
            assert below(filing.mine) == (before if one else wanted), f"refused with {one!r}"
            if one:
                work()
            assert below(filing.mine) == wanted, f"refused with {one!r}, and begun again with room"
            told.append(one)
        return told

    tell(f"filing {way}", on_disk_of(SIZE_BYTES, disk, on_the_disk))
