"""Repairs through the API: scanned, listed for any amount, made part of the plan, undone, sealed and told."""

from __future__ import annotations

from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.restoration.scan import Scan, scan
from tests.core.restoration.scenes import RATE_HZ, clicked
from tests.live import Server
from tests.web.test_api import first_side, refused


@pytest.fixture(scope="module")
def docket_id(server: Server, shared_folder: Path) -> int:
    path = shared_folder / "damaged.wav"
    soundfile.write(str(path), clicked().take.data, RATE_HZ, subtype="PCM_16")
    opened = server.open_docket("T-repair")
    side = first_side(server.get(f"/dockets/{opened['id']}"))
    refused(server.api.post(f"/sides/{side['id']}/scan"), 409, "no take yet")
    server.upload(opened["id"], path)
    server.wait_for_jobs()
    return int(opened["id"])


def side_of(server: Server, docket_id: int) -> Any:
    return first_side(server.get(f"/dockets/{docket_id}"))


def test_a_side_is_scanned_restored_undone_and_sealed(server: Server, docket_id: int) -> None:
    side = side_of(server, docket_id)
    repairs = f"/sides/{side['id']}/repairs"
    refused(server.api.get(repairs), 409, "not scanned yet")
    server.post(f"/sides/{side['id']}/scan")
    jobs = server.wait_for_jobs()
    assert next(job for job in jobs if job["kind"] == "scan for damage")["state"] == "done"

    found = server.get(repairs)
    assert found["amount"] is None
    assert found["total"] == 0
    proposed = found["proposal"]["amount"]
    would = server.get(repairs, amount=proposed)
    assert would["total"] > 30
    assert sum(would["per_minute"]) == would["total"] == len(would["repairs"])
    assert server.get(repairs, amount=proposed, first=10, count=5)["repairs"] == would["repairs"][10:15]
    assert server.get(repairs)["total"] == 0, "looking changes nothing"

    no = would["repairs"][3]
    verdict = {"start": no["start"], "end": no["start"] + no["length"], "mend": False}
    restoration = {"clicks": {"amount": proposed, "verdicts": [verdict]}}
    edit = {"op": "restore", "restoration": restoration, "saying": "clicks mended"}
    before = side["plan"]["version"]
    plan = server.edit_plan(side["id"], before, edit)
    now = server.get(repairs, states="mended")
    assert now["amount"] == proposed
    assert no["start"] not in [one["start"] for one in now["repairs"]]
    assert now["total"] == would["total"] - 1
    assert [one["start"] for one in server.get(repairs, states="refused")["repairs"]] == [no["start"]]
    more = server.get(repairs, amount=100, states="mended")
    assert no["start"] not in [one["start"] for one in more["repairs"]], "refused ones stay refused"

    assert server.undo(side["id"])["plan"]["restoration"]["clicks"] is None
    assert server.redo(side["id"])["plan"] == plan["plan"]

    server.describe(docket_id, [f"T{n}" for n in range(len(side_of(server, docket_id)["tracks"]))])
    server.post(f"/dockets/{docket_id}/seal")
    server.wait_for_jobs()
    sealed = server.get(f"/dockets/{docket_id}")
    assert sealed["standing"] == "sealed"
    log = server.api.get(f"/packages/{sealed['packages'][0]['id']}/papers/sealing.log").text
    assert "restored      mended: " in log
    assert f"amount {proposed:g} of 100" in log
    server.undo(side["id"])
    assert server.get(f"/dockets/{docket_id}")["standing"] != "sealed", "another sound would come of it now"


@pytest.mark.parametrize(
    "restoration",
    [
        {"clicks": {"amount": 101}},
        {"speed_ratio": 0},
        {"by_hand": [{"key": "a", "start": 10, "end": 10}]},
        {"level": {"to_lufs": -16, "to_peak_dbtp": -1}},
        {"reverb": True},
    ],
)
def test_steps_that_cannot_be_are_refused(server: Server, docket_id: int, restoration: dict[str, Any]) -> None:
    side = side_of(server, docket_id)
    answer = server.send_edit(side["id"], side["plan"]["version"], {"op": "restore", "restoration": restoration})
    assert answer.status_code == 422
    assert side_of(server, docket_id)["plan"] == side["plan"]


@pytest.mark.slow
def test_a_long_side_is_scanned_in_pieces_as_it_is_scanned_at_once(server: Server, tmp_path: Path) -> None:
    path, scene = tmp_path / "long.wav", clicked().take.data
    soundfile.write(str(path), np.tile(scene, (-(-150 * RATE_HZ // len(scene)), 1)), RATE_HZ, subtype="PCM_16")
    opened = server.open_docket("T-long")
    server.upload(opened["id"], path)
    server.wait_for_jobs()
    side = first_side(server.get(f"/dockets/{opened['id']}"))
    asked = server.post(f"/sides/{side['id']}/scan")
    assert asked["state"] == "running" and asked["message"] == "0 of 3 pieces"
    jobs = server.wait_for_jobs()
    told = [job for job in jobs if job["docket_id"] == opened["id"] and "scan" in job["kind"]]
    assert [(job["id"], job["state"], job["progress"]) for job in told] == [(asked["id"], "done", 1.0)]

    sha256 = side["takes"][0]["sha256"]
    found = Scan.load(server.media_root / "derived" / sha256 / "scan")
    with FileReader(path) as reader:
        at_once = scan(reader)
    assert found is not None
    for field in fields(Scan):
        np.testing.assert_array_equal(getattr(found, field.name), getattr(at_once, field.name), field.name)
    assert list((server.media_root / "pieces").iterdir()) == []
