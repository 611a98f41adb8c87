"""A sealing job killed at random moments: a whole package, or none, and never half of one in its place."""

from __future__ import annotations

import os
import random
import signal
import time
from pathlib import Path

import bagit

from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.jobs.arguments import Seal
from inkwell_groove.workroom.jobs.sealing import seal
from tests.core.test_package import order_in
from tests.tasks import OwnTask

_KILLS = 50


def test_whole_or_not_at_all(tmp_path: Path) -> None:
    media = MediaStore(tmp_path / "media")
    order = order_in(tmp_path, Profile(one_file=True, copies=(CopyOrder(kind="FLAC", bits=16),)))
    first = Seal(order=order.model_dump(mode="json"), basis="", package="T-1/1", who="me")
    began = time.monotonic()
    told = seal(first, OwnTask(media))
    took_s = time.monotonic() - began
    old = media.package(told["folder"])
    chance = random.Random(9)
    whole = 0
    for number in range(2, _KILLS + 2):
        # Every other time what the old package holds may be taken over, which must not cost it anything.
        earlier = {**told, "sealed_at": "2026-01-01"} if number % 2 else None
        arguments = first.model_copy(update={"package": f"T-1/{number}", "earlier": earlier})
        worker = os.fork()
        if worker == 0:
            # Only what a job does, and then nothing: no clean-up of a test run may run here.
            try:
                seal(arguments, OwnTask(media))
            finally:
                os._exit(0)
        began = time.monotonic()
        if number % 10:
            time.sleep(chance.uniform(0, took_s))
            os.kill(worker, signal.SIGKILL)
        os.waitpid(worker, 0)
        if not number % 10:
            took_s = time.monotonic() - began  # the machine may be busier by now, or less
        made = media.root / "sealed" / "T-1" / str(number)
        folders = [path.parent for path in made.rglob("bagit.txt")]
        flacs = list(made.rglob("*.flac"))
        if flacs or folders:
            assert len(folders) == 1, "all of it, or nothing, is in its place"
            bagit.Bag(str(folders[0])).validate()
            whole += 1
    bagit.Bag(str(old)).validate()
    assert 0 < whole < _KILLS, "some were killed before, some after"
    media.clear_workspaces()
    assert list((media.root / "work").iterdir()) == []
