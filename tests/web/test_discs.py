"""Compact discs through the API: put in, read, proven, wiped, read again, sealed."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest

from inkwell_groove.core.disc import log
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Job, now
from tests.discs import Running, whole
from tests.live import Server


class Desk:
    """One docket with a disc, and the drives."""

    def __init__(self, house: Server, shelfmark: str, carriers: int = 1) -> None:
        self.house = house
        body = {"shelfmark": shelfmark, "carrier_format": "CD", "carriers": carriers}
        self.docket = house.post("/dockets", body)
        self.sides = [carrier["sides"][0]["id"] for carrier in self.docket["carriers"]]

    def put_in(self, disc: str, drive: str = "drive-1") -> httpx.Response:
        return self.house.api.put(f"/drives/{drive}/disc", json={"disc": disc})

    def take_out(self, drive: str = "drive-1") -> None:
        assert self.house.api.delete(f"/drives/{drive}/disc").is_success

    def read(self, drive: str = "drive-1", side: int = 0, **how: Any) -> Any:
        self.house.post(f"/sides/{self.sides[side]}/disc-reads", {"drive_id": drive, **how})
        self.house.wait_for_jobs()
        return self.view(side)

    def view(self, side: int = 0) -> Any:
        return self.house.get(f"/sides/{self.sides[side]}/disc")

    def drive(self, drive: str = "drive-1") -> Any:
        return next(one for one in self.house.get("/drives")["drives"] if one["id"] == drive)

    def now(self) -> Any:
        return self.house.get(f"/dockets/{self.docket['id']}")

    def evidence(self) -> dict[str, str]:
        return {one["stage"]: one["line"] for one in self.now()["evidence"]}


def test_a_disc_goes_from_the_drive_to_a_sealed_folder_that_makes_it_again(house: Server, discs: Path) -> None:
    desk = Desk(house, "CD-1")
    assert desk.evidence()["disc"] == "not read yet" and "transfer" not in desk.evidence()
    assert desk.put_in("D-1").is_success
    assert desk.drive()["toc"]["lead_out"] > 0 and desk.drive()["offset_samples"] is None
    first = desk.read()
    assert desk.drive()["disc"] is None, "ejected at the end"
    assert desk.drive()["offset_samples"] == 47 and desk.drive()["offset_from"] == "the register"
    verdicts = {one["number"]: one["verdict"] for one in first["tracks"]}
    assert verdicts == {0: "proven", 1: "proven", 2: "damaged", 3: "proven"}
    assert "wipe it" in first["tracks"][2]["advice"]
    assert first["opening"]["outcome"] == "kept" and first["grade"]["name"] == "damaged"
    assert "track 2 is damaged" in desk.evidence()["disc"]

    assert house.api.post("/discs/D-1/cleaned").is_success
    desk.put_in("D-1")
    again = desk.read(numbers=[2])
    assert [one["verdict"] for one in again["tracks"]] == ["proven"] * 4
    assert again["grade"]["name"] == "full proof" and len(again["reads"]) == 2
    assert desk.evidence()["disc"] == "all 4 tracks proven by witnesses"

    docket = desk.now()
    assert docket["release"]["title"] == "Two Tides" and docket["origins"]["title"] == "the disc"
    lines = docket["carriers"][0]["sides"][0]["tracks"]
    assert [(one["number"], one["title"]) for one in lines] == [
        (0, "Hidden opening"),
        (1, "Ebb"),
        (2, "Flood"),
        (3, "Slack"),
    ]
    assert len(docket["carriers"][0]["sides"][0]["takes"]) == 2, "what was made of the first reading is kept"
    house.post(f"/dockets/{docket['id']}/seal")
    house.wait_for_jobs()
    package = desk.now()["packages"][-1]
    assert [one["number"] for one in package["album"]["tracks"]] == [0, 1, 2, 3]
    folder = house.media_root / "sealed" / package["folder"] / "data" / "masters"
    names = {path.name for path in folder.iterdir()}
    assert {"00 Hidden opening.flac", "album.cue", "reading.log", "reading.json", "sealing.log"} <= names
    assert (folder / "album.m3u8").read_text().splitlines()[2] == "00 Hidden opening.flac"
    with DiscImage(discs / "D-1.cue") as disc, DiscImage(folder / "album.cue") as made:
        np.testing.assert_array_equal(whole(made), whole(disc))
        assert made.toc == disc.toc
    checked = log.check((folder / "reading.log").read_bytes())
    assert checked.unaltered and checked.sections == 2 and checked.verdict == "full proof"
    assert "full proof" in house.api.get(f"/packages/{package['id']}/papers/sealing.log").text
    assert house.api.get(f"/packages/{package['id']}/papers/reading.log").text.startswith("Reading log")
    assert house.api.get(f"/packages/{package['id']}/papers/01 Ebb.flac").status_code == 404

    for gaps, expected in (("one file", 1), ("own track", 4), ("left out", 4)):
        house.api.put(f"/sides/{desk.sides[0]}/disc/gaps", json={"gaps": gaps}).raise_for_status()
        assert desk.now()["standing"] == "changed since sealing"
        assert len(desk.now()["names"]) == expected
        house.post(f"/dockets/{docket['id']}/seal")
        house.wait_for_jobs()
        folder = house.media_root / "sealed" / desk.now()["packages"][-1]["folder"] / "data" / "masters"
        with DiscImage(discs / "D-1.cue") as disc, DiscImage(folder / "album.cue") as made:
            np.testing.assert_array_equal(whole(made), whole(disc))  # its one gap is silence


def test_the_poor_drive_is_named_for_its_silence_and_helped_by_the_good_one(house: Server) -> None:
    desk = Desk(house, "CD-2")
    house.api.post("/discs/D-1/cleaned")
    desk.put_in("D-1", "drive-2")
    view = desk.read("drive-2")
    assert desk.drive("drive-2")["offset_samples"] == -613
    assert view["opening"]["outcome"] == "refused" and "gives silence before track 1" in view["opening"]["words"]
    assert view["tracks"][0]["verdict"] == "doubtful"
    assert view["tracks"][1]["read"]["missing_at_start"] == 0 and view["tracks"][0]["read"]["missing_at_start"] == 613
    assert view["tracks"][3]["verdict"] == "proven"
    desk.put_in("D-1")
    view = desk.read(numbers=[0])
    assert view["tracks"][0]["verdict"] == "proven" and view["opening"]["outcome"] == "kept"


def test_a_disc_nobody_knows_is_agreed_and_told_to_the_register(house: Server, register: Running) -> None:
    desk = Desk(house, "CD-3")
    desk.put_in("D-2", "image")
    view = desk.read("image", eject=False)
    assert {one["verdict"] for one in view["tracks"]} == {"agreed"} and view["grade"]["name"] == "good evidence"
    assert view["gaps"] == [{"number": 2, "frames": 10, "silent_share": 0.0}]
    assert desk.drive("image")["disc"] == "D-2"
    told = house.post(f"/disc-reads/{view['reads'][0]['id']}/submit")
    assert told["reads"][0]["told"]
    known = httpx.get(f"{register.address}/v1/discs/{view['digest']}").json()
    assert known["pressings"][0]["reads"] == 1
    desk.take_out("image")


@pytest.mark.parametrize(
    ("kind", "words"), [("down", "status 503"), ("slow", "did not answer within 1 s"), ("wrong", "cannot be true")]
)
def test_a_register_in_trouble_holds_nothing_up_and_is_said(
    house: Server, register: Running, kind: str, words: str
) -> None:
    desk = Desk(house, f"CD-{kind}")
    register.trouble(kind, seconds=5)
    try:
        desk.put_in("D-1")
        view = desk.read()
    finally:
        register.trouble("none")
    assert words in view["reads"][0]["register_trouble"]
    assert {one["verdict"] for one in view["tracks"]} <= {"agreed", "damaged"}
    assert any(words in reason for reason in view["grade"]["reasons"])


def test_two_discs_of_one_docket_keep_their_own_numbers(house: Server) -> None:
    desk = Desk(house, "CD-4", carriers=2)
    for side, disc in enumerate(("D-1", "D-2")):
        desk.put_in(disc)
        desk.read(side=side)
    docket = desk.now()
    tracks = {
        line["key"]: {"title": f"Title {line['disc']} {line['number']}"}
        for carrier in docket["carriers"]
        for line in carrier["sides"][0]["tracks"]
    }
    assert [carrier["sides"][0]["name"] for carrier in docket["carriers"]] == ["Disc 1", "Disc 2"]
    body = {"release": {"title": "Both", "album_artist": "Two"}, "tracks": tracks}
    assert house.api.patch(f"/dockets/{docket['id']}/description", json=body).is_success
    house.post(f"/dockets/{docket['id']}/seal")
    jobs = house.wait_for_jobs()
    assert jobs[0]["state"] == "done", jobs[0]
    package = desk.now()["packages"][-1]
    names = {file["name"] for file in package["album"]["files"]}
    assert {"1-00 Title 1 0.flac", "2-01 Title 2 1.flac", "disc 1.cue", "disc 2.cue", "disc 2 reading.log"} <= names


def test_what_cannot_be_is_refused_with_reason_and_remedy(house: Server) -> None:
    desk = Desk(house, "CD-5")
    lp = house.open_docket("LP-5")
    cases = [
        (house.api.post(f"/sides/{desk.sides[0]}/disc-reads", json={"drive_id": "drive-1"}), 409, "no disc in it"),
        (house.api.put("/drives/none/disc", json={"disc": "D-1"}), 404, "no drive"),
        (desk.put_in("../../etc/passwd"), 404, "no disc"),
        (desk.put_in("bad"), 422, "line 1: the file 'gone.bin' is not beside"),
        (house.api.put(f"/sides/{desk.sides[0]}/disc/gaps", json={"gaps": "kept"}), 409, "not read yet"),
        (house.api.get(f"/sides/{desk.sides[0]}/disc/reading.log"), 404, "not read yet"),
        (house.api.post("/disc-reads/9999/submit"), 404, "no reading"),
    ]
    desk.put_in("D-2", "image")
    cases += [
        (desk.put_in("D-2"), 409, "is in Disc images"),
        (desk.put_in("D-1", "image"), 409, "D-2 is in it"),
        (house.api.post("/discs/D-2/cleaned"), 409, "in a drive"),
        (
            house.api.post(f"/sides/{lp['carriers'][0]['sides'][0]['id']}/disc-reads", json={"drive_id": "image"}),
            422,
            "not a compact disc",
        ),
        (
            house.api.post(f"/sides/{desk.sides[0]}/disc-reads", json={"drive_id": "image", "numbers": [7]}),
            404,
            "no audio track 7",
        ),
    ]
    for answer, status, words in cases:
        assert answer.status_code == status, answer.text
        assert words in answer.json()["detail"] and answer.json()["remedy"], answer.text
    desk.read("image")
    desk.put_in("D-1", "image")
    other = desk.read("image")
    assert other["reads"][-1]["state"] == "failed" and "another disc" in other["reads"][-1]["refusal"]["what"]
    desk.take_out("image")


def test_a_reading_can_be_cancelled_and_a_killed_server_goes_on_with_it(house: Server) -> None:
    desk = Desk(house, "CD-6")
    desk.put_in("D-2")
    house.post(f"/sides/{desk.sides[0]}/disc-reads", {"drive_id": "drive-1"})
    house.kill()
    house.start()
    house.wait_for_jobs()
    view = desk.view()
    assert view["reads"][0]["state"] == "read" and len(view["tracks"]) == 3
    strip = house.get(f"/sides/{desk.sides[0]}/disc/strip", marks=50)
    assert strip["frames"] == 240 and {strip["states"][mark] for mark in strip["marks"]} == {"agreed"}


def test_what_is_done_with_recordings_is_not_done_with_a_disc(house: Server) -> None:
    desk = Desk(house, "CD-7")
    desk.put_in("D-2", "image")
    desk.read("image")
    side = desk.now()["carriers"][0]["sides"][0]
    upload = {"name": "x.wav", "size_bytes": 9}
    for answer in (
        house.send_edit(side["id"], side["plan"]["version"], {"op": "set gaps", "gaps": "left out"}),
        house.api.post(f"/sides/{side['id']}/find-tracks", json={}),
        house.api.post(f"/dockets/{desk.docket['id']}/uploads", json=upload),
    ):
        assert answer.status_code == 422, answer.text
    assert "a compact disc is read as it is" in answer.json()["detail"]


def test_an_earlier_take_of_a_disc_can_be_chosen_and_stays_a_disc(house: Server) -> None:
    desk = Desk(house, "CD-8")
    desk.put_in("D-1")
    desk.read()
    desk.put_in("D-1")
    desk.read(numbers=[2], twice=False)
    side = desk.now()["carriers"][0]["sides"][0]
    first = side["takes"][0]["id"]
    assert house.api.put(f"/sides/{side['id']}/chosen-take", json={"take_id": first}).is_success
    house.wait_for_jobs()
    again = desk.now()["carriers"][0]["sides"][0]
    assert again["chosen_take_id"] == first and again["plan"]["plan"]["disc"] is not None
    assert [line["number"] for line in again["tracks"]] == [0, 1, 2, 3]


def test_a_disc_sent_to_another_house_is_read_on_there(house: Server) -> None:
    desk = Desk(house, "CD-sent")
    house.api.delete("/drives/drive-1/disc")
    desk.put_in("D-2", "image")
    read_here = [one["verdict"] for one in desk.read("image", numbers=[1, 2])["tracks"]]
    parcel = house.api.get(f"/dockets/{desk.docket['id']}/parcel.zip").content
    assert house.api.post("/parcels", content=parcel, params={"shelfmark": "CD-came"}).status_code == 202
    house.wait_for_jobs()
    came = next(one for one in house.get("/dockets") if one["shelfmark"] == "CD-came")
    desk.docket = house.get(f"/dockets/{came['id']}")
    desk.sides = [desk.docket["carriers"][0]["sides"][0]["id"]]
    assert [one["verdict"] for one in desk.view()["tracks"]] == read_here
    desk.put_in("D-2", "image")
    desk.read("image", numbers=[3])
    assert len(desk.now()["carriers"][0]["sides"][0]["takes"]) == 1, "made of both houses' readings"


def test_nothing_is_sealed_from_an_older_reading_than_its_log_speaks_of(house: Server) -> None:
    desk = Desk(house, "CD-9")
    desk.put_in("D-2", "image")
    desk.read("image")
    desk.house.describe(desk.docket["id"], ["One", "Two", "Three"], title="Noise", album_artist="Nobody")
    with Database(house.database_url).begin() as session:
        # Never begun, as nothing runs it: the take of a later reading that is still to come.
        job = Job(kind="make take of disc", docket_id=desk.docket["id"], subject="", arguments={}, state="running")
        job.attempts, job.progress, job.asked_at, job.message = 0, 0.0, now(), ""
        session.add(job)
    refused = house.api.post(f"/dockets/{desk.docket['id']}/seal")
    assert refused.status_code == 409 and "the latest reading" in refused.json()["detail"]
    with Database(house.database_url).begin() as session:
        session.delete(session.get_one(Job, job.id))
    assert house.api.post(f"/dockets/{desk.docket['id']}/seal").is_success
    house.wait_for_jobs()
    assert desk.now()["standing"] == "sealed"
