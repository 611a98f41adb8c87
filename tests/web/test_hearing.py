"""A side heard through the API: any stretch of it, as it was, repaired, only what was taken away, under any version."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from tests.core.restoration.scenes import RATE_HZ, clicked
from tests.live import Server
from tests.web.test_api import first_side, refused

FIRST, SAMPLES = 100_000, 60_000


@pytest.fixture(scope="module")
def docket_id(server: Server, shared_folder: Path) -> int:
    path = shared_folder / "to be heard.wav"
    soundfile.write(str(path), clicked().take.data, RATE_HZ, subtype="PCM_16")
    opened = server.open_docket("T-hearing")
    server.upload(opened["id"], path)
    server.wait_for_jobs()
    side = side_of(server, int(opened["id"]))
    server.post(f"/sides/{side['id']}/scan")
    server.wait_for_jobs()
    return int(opened["id"])


def side_of(server: Server, docket_id: int) -> Any:
    return first_side(server.get(f"/dockets/{docket_id}"))


def restored(server: Server, docket_id: int, restoration: dict[str, Any]) -> tuple[int, int]:
    """The side, and the version of its plan that asks for this."""
    side = side_of(server, docket_id)
    edit = {"op": "restore", "restoration": restoration}
    plan = server.edit_plan(side["id"], side["plan"]["version"], edit)
    return int(side["id"]), int(plan["version"])


def heard(server: Server, side_id: int, version: int, listen: str, first: int = FIRST, samples: int = SAMPLES) -> Any:
    params = {"version": version, "listen": listen, "first_sample": first, "samples": samples}
    answer = server.api.get(f"/sides/{side_id}/heard", params=params)
    assert answer.is_success, answer.text
    return np.frombuffer(answer.content, "<f4").reshape(-1, 2)


def test_what_was_taken_away_is_the_difference_and_lies_where_the_repairs_are(server: Server, docket_id: int) -> None:
    side_id, version = restored(server, docket_id, {"clicks": {"amount": 40}})
    state = server.get(f"/sides/{side_id}/hearing")
    assert state["lacks"] is None
    assert state["exact"]
    assert set(state["gains_db"].values()) == {0.0}, "what only mends leaves the music as loud as it was"
    was, became, taken = (heard(server, side_id, version, one) for one in ("as it was", "repaired", "taken away"))
    assert np.allclose(was, clicked().take.data[FIRST : FIRST + SAMPLES] / 32768, atol=1e-6)
    assert np.allclose(was - became, taken, atol=1e-6)
    assert np.any(taken)
    listed = server.get(f"/sides/{side_id}/repairs", from_sample=FIRST, to_sample=FIRST + SAMPLES, count=5_000)
    inside = np.zeros(SAMPLES, bool)
    for one in listed["repairs"]:
        inside[max(0, one["start"] - FIRST) : max(0, one["start"] + one["length"] - FIRST)] = True
    assert not np.any(taken[~inside]), "nothing is taken away beside the listed repairs"
    # In pieces it is the same.
    pieces = [heard(server, side_id, version, "repaired", FIRST + at, 20_000) for at in range(0, SAMPLES, 20_000)]
    assert np.array_equal(np.concatenate(pieces), became)
    places = np.frombuffer(server.api.get(f"/sides/{side_id}/repair-places").content, "<i4").reshape(-1, 3)
    assert len(places) == server.get(f"/sides/{side_id}/repairs", count=0)["total"]


def test_a_refused_repair_is_heard_at_once_and_one_by_hand_too(server: Server, docket_id: int) -> None:
    side_id, version = restored(server, docket_id, {"clicks": {"amount": 40}})
    one = server.get(f"/sides/{side_id}/repairs", order="size", count=1)["repairs"][0]
    start, end = one["start"], one["start"] + one["length"]

    def taken(at: int) -> Any:
        return heard(server, side_id, at, "taken away", start, end - start)

    assert np.any(taken(version))
    edit = {"op": "judge", "verdicts": [{"start": start, "end": end, "mend": False}]}
    refusing = server.edit_plan(side_id, version, edit)
    assert refusing["undo"] == "1 repair refused"
    assert not np.any(taken(refusing["version"]))
    assert np.any(taken(version)), "the version before can still be listened to"

    repair = {"key": "h1", "start": start, "end": end, "how": "silence"}
    by_hand = server.edit_plan(side_id, refusing["version"], {"op": "mend by hand", "repair": repair})
    assert np.any(taken(by_hand["version"]))
    listed = server.get(f"/sides/{side_id}/repairs", kinds="by hand")["repairs"]
    assert [(one["key"], one["start"]) for one in listed] == [("h1", start)]
    long = {**repair, "key": "h2", "start": 0, "end": RATE_HZ, "how": "interpolate"}
    too_long = server.send_edit(side_id, by_hand["version"], {"op": "mend by hand", "repair": long})
    refused(too_long, 422, "too long to be filled")
    names = [one["action"] for one in server.get(f"/sides/{side_id}/plan/versions")]
    assert names[:2] == ["mended by hand: silence", "1 repair refused"]


def test_a_stretch_is_refused_whatever_the_amount(server: Server, docket_id: int) -> None:
    side_id, version = restored(server, docket_id, {"clicks": {"amount": 40}})
    stretch = {"from_sample": 2 * RATE_HZ, "to_sample": 6 * RATE_HZ}
    before = server.get(f"/sides/{side_id}/repairs", **stretch, count=0)["total"]
    assert before > 5
    verdict = {"start": 2 * RATE_HZ, "end": 6 * RATE_HZ, "mend": False}
    edit = {"op": "judge", "verdicts": [verdict]}
    now = server.edit_plan(side_id, version, edit)
    for amount in (40, 100):
        inside = server.get(f"/sides/{side_id}/repairs", **stretch, states=["mended", "accepted"], amount=amount)
        assert inside["total"] == 0
    assert server.get(f"/sides/{side_id}/repairs", **stretch, states="refused")["total"] >= before
    edit = {"op": "judge", "forget": [[2 * RATE_HZ, 6 * RATE_HZ]]}
    server.edit_plan(side_id, now["version"], edit)
    assert server.get(f"/sides/{side_id}/repairs", **stretch, count=0)["total"] == before


def test_what_must_hear_the_whole_side_is_heard_in_a_job_and_kept(server: Server, docket_id: int) -> None:
    side_id, version = restored(server, docket_id, {"level": {"to_peak_dbtp": -12.0}, "speed_ratio": 1.25})
    state = server.get(f"/sides/{side_id}/hearing")
    assert (state["lacks"], state["exact"]) == ("hearing", False)
    server.post(f"/sides/{side_id}/learn")
    server.post(f"/sides/{side_id}/learn")  # while it is still to be done, the same again
    jobs = server.wait_for_jobs()
    assert sum(job["kind"] == "hear the side" for job in jobs) == 1
    state = server.get(f"/sides/{side_id}/hearing")
    assert (state["lacks"], state["exact"]) == (None, True)
    take = clicked().take
    assert state["samples"] == pytest.approx(take.format.samples / 1.25, abs=1)
    assert state["gain_db"] < 0
    assert state["gains_db"]["as it was"] == pytest.approx(state["gain_db"], abs=0.5), "the louder one is turned down"
    whole = heard(server, side_id, version, "repaired", 0, state["samples"])
    assert -14.0 < 20 * np.log10(np.abs(whole).max()) <= -12.0, "the true peak lies between the samples"
    assert not np.any(heard(server, side_id, version, "taken away")), "speed and level take nothing away"


def test_spectra_and_pictures_show_what_went(server: Server, docket_id: int) -> None:
    side_id, _ = restored(server, docket_id, {"rumble": {"below_hz": 60}, "clicks": {"amount": 40}})
    params = {"from_sample": 0, "to_sample": 5 * RATE_HZ}
    found = server.get(f"/sides/{side_id}/spectra", **params)
    lowest = found["hz"].index(min(found["hz"]))
    assert found["repaired"][lowest] < found["as_it_was"][lowest] - 20
    middle = min(range(len(found["hz"])), key=lambda k: abs(found["hz"][k] - 1_000))
    assert found["repaired"][middle] == pytest.approx(found["as_it_was"][middle], abs=0.5)
    picture = server.api.get(
        f"/sides/{side_id}/spectrogram", params={**params, "listen": "as it was", "columns": 50, "size": 1024}
    )
    assert len(picture.content) == 50 * 512
    assert max(picture.content) > 100
    refused(
        server.api.get(f"/sides/{side_id}/spectrogram", params={**params, "listen": "repaired", "columns": 9_000}),
        422,
        "too much for one picture",
    )
    refused(server.api.get(f"/sides/{side_id}/spectra", params={"from_sample": 9, "to_sample": 5}), 422, "not in this")


def test_the_report_says_what_is_altered(server: Server, docket_id: int) -> None:
    side_id, _ = restored(server, docket_id, {"clicks": {"amount": 40}})
    assert server.get(f"/sides/{side_id}/harm")["harm"] is None
    server.post(f"/sides/{side_id}/harm")
    server.wait_for_jobs()
    harm = server.get(f"/sides/{side_id}/harm")["harm"]
    assert 0 < harm["altered_share"] < 0.05
    places = np.frombuffer(server.api.get(f"/sides/{side_id}/repair-places").content, "<i4").reshape(-1, 3)
    assert harm["altered_samples"] <= 2 * places[:, 1].sum()


def test_steps_are_saved_and_many_sides_restored_from_them_and_taken_back(server: Server, docket_id: int) -> None:
    side_id, _ = restored(server, docket_id, {"clicks": {"amount": 30}, "rumble": {"below_hz": 35}})
    saved = server.post("/starting-points", {"side_id": side_id, "name": "Quayhead LPs"})
    assert saved["point"]["most_amount"] == 30
    taken = server.api.post("/starting-points", json={"side_id": side_id, "name": "quayhead lps"})
    refused(taken, 409, "there is a starting point quayhead lps")
    restored(server, docket_id, {})
    other = server.open_docket("T-empty")["id"]
    wanted = {"docket_ids": [docket_id, other], "starting_point": "Quayhead LPs"}
    told = server.post("/restorations/preview", wanted)
    assert (told[0]["docket_id"], told[0]["before"]) == (docket_id, "as it was recorded")
    assert "rumble" in told[0]["after"]
    assert {one["lacks"] for one in told if one["docket_id"] == other} == {"no recording yet"}
    jobs = server.post("/restorations", wanted)
    assert [job["subject"] for job in jobs] == ["T-hearing, side A"]
    server.wait_for_jobs()
    side = side_of(server, docket_id)
    assert side["plan"]["undo"] == "restored from Quayhead LPs"
    now = side["plan"]["plan"]["restoration"]
    assert now["rumble"]["below_hz"] == 35
    assert 10 <= now["clicks"]["amount"] <= 30
    # What was begun before is of no concern to this: one that was restored from the same point stays as it is.
    again = server.post("/restorations", wanted)
    server.wait_for_jobs()
    ids = [job["id"] for job in jobs]
    assert server.post("/restorations/undo", {"job_ids": ids}) == {"sides": 0}
    assert side_of(server, docket_id)["plan"]["undo"] == "restored from Quayhead LPs"
    assert server.post("/restorations/undo", {"job_ids": [job["id"] for job in again]}) == {"sides": 1}
    assert server.post("/restorations/undo", {"job_ids": ids}) == {"sides": 1}
    assert side_of(server, docket_id)["plan"]["at_rest"]
    refused(server.api.post("/restorations/undo", json={"job_ids": [999_999]}), 404, "restored nothing")
    server.api.delete(f"/starting-points/{saved['id']}").raise_for_status()
    refused(server.api.post("/restorations/preview", json=wanted), 404, "no starting point")
