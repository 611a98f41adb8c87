"""The API as its clients see it: the whole job, and every way of getting it wrong."""

from __future__ import annotations

import io
import json
import threading
import zipfile
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
import soundfile

from inkwell_groove.core.sealing.verify import verify
from inkwell_groove.demo.sleeve import lanterns_cover
from tests.live import Server
from tests.patience import PATIENCE_S
from tests.sounds import noise, record_side, write


@pytest.fixture(scope="module")
def side_file(shared_folder: Path) -> Path:
    path = shared_folder / "side.wav"
    record_side(path)
    return path


@pytest.fixture(scope="module")
def docket(server: Server, side_file: Path) -> Any:
    """A docket with one side taken in and its tracks found."""
    opened = server.open_docket("T-0001")
    server.upload(opened["id"], side_file)
    server.wait_for_jobs()
    return server.get(f"/dockets/{opened['id']}")


def first_side(docket: Any) -> Any:
    return docket["carriers"][0]["sides"][0]


def refused(answer: httpx.Response, status: int, what: str) -> Any:
    """The problem details of a refusal, checked for completeness."""
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert what in body["detail"]
    assert body["status"] == status
    return body


def test_a_recording_becomes_a_take_with_its_tracks_found(docket: Any, side_file: Path) -> None:
    side = first_side(docket)
    take = side["takes"][0]
    assert take["format"]["rate_hz"] == 44_100
    assert take["size_bytes"] == side_file.stat().st_size
    assert take["clipped_runs"] == 0
    assert side["chosen_take_id"] == take["id"]
    assert len(side["tracks"]) == 3
    assert docket["standing"] == "under way"


def test_the_take_in_the_store_is_the_file_that_was_sent(server: Server, docket: Any, side_file: Path) -> None:
    digest = first_side(docket)["takes"][0]["sha256"]
    assert (server.media_root / "takes" / digest[:2] / digest).read_bytes() == side_file.read_bytes()


def test_an_upload_goes_on_where_the_connection_broke(server: Server, side_file: Path) -> None:
    docket = server.open_docket("T-resume")
    content = side_file.read_bytes()
    upload = server.post(f"/dockets/{docket['id']}/uploads", {"name": "a.wav", "size_bytes": len(content)})
    path = f"/uploads/{upload['id']}"
    server.api.patch(path, content=content[:100_000], headers={"Upload-Offset": "0"})
    assert server.get(path)["received_bytes"] == 100_000
    told = refused(
        server.api.patch(path, content=content[:10], headers={"Upload-Offset": "0"}), 409, "100000 bytes are here"
    )
    assert told["remedy"] == "Go on at byte 100000"
    # The connection breaks in the middle of a piece: what came is kept.
    with pytest.raises(httpx.HTTPError):
        server.api.patch(path, content=broken(content[100_000:200_000]), headers={"Upload-Offset": "100000"})
    while True:
        received = server.get(path)["received_bytes"]
        assert 100_000 <= received <= 200_000
        answer = server.api.patch(path, content=content[received:], headers={"Upload-Offset": str(received)})
        if answer.status_code != 409:
            break  # else the server has just written more of the broken piece, and says so
    assert answer.is_success, answer.text
    server.wait_for_jobs()
    take = first_side(server.get(f"/dockets/{docket['id']}"))["takes"][0]
    assert take["size_bytes"] == len(content)


def broken(data: bytes) -> Any:
    yield data[:50_000]
    raise httpx.WriteError("the cable was pulled")


def test_more_bytes_than_announced_are_refused(server: Server) -> None:
    docket = server.open_docket("T-toolong")
    upload = server.post(f"/dockets/{docket['id']}/uploads", {"name": "a.wav", "size_bytes": 10})
    answer = server.api.patch(f"/uploads/{upload['id']}", content=bytes(11), headers={"Upload-Offset": "0"})
    refused(answer, 422, "more than the 10 bytes")


def test_a_header_that_lies_is_refused_and_what_is_there_can_be_had(server: Server, tmp_path: Path) -> None:
    docket = server.open_docket("T-liar")
    data = noise(60_000, bits=16)
    content = bytearray(write(tmp_path / "x.wav", data, subtype="PCM_16").read_bytes())
    liar = tmp_path / "liar.wav"
    liar.write_bytes(content[: len(content) - 40_000])
    server.upload(docket["id"], liar)
    server.wait_for_jobs()
    upload = server.get(f"/dockets/{docket['id']}")["uploads"][0]
    assert upload["state"] == "refused"
    assert "promises 60000 samples" in upload["refusal"]["what"]
    assert upload["refusal"]["found_samples"] == 50_000
    server.post(f"/uploads/{upload['id']}/accept-found")
    server.wait_for_jobs()
    side = first_side(server.get(f"/dockets/{docket['id']}"))
    take = side["takes"][0]
    assert take["format"]["samples"] == 50_000
    assert "The file as it came is kept" in take["note"]
    stored = server.media_root / "takes" / take["sha256"][:2] / take["sha256"]
    np.testing.assert_array_equal(soundfile.read(str(stored), dtype="int32", always_2d=True)[0], data[:50_000])
    assert any(
        path.read_bytes() == liar.read_bytes() for path in (server.media_root / "takes").rglob("*") if path.is_file()
    )


@pytest.mark.parametrize(
    ("content", "what"),
    [
        (b"not audio at all" * 10, "not audio"),
        (b"fLaC" + bytes(50), "STREAMINFO"),
        (b"RIFF\0\0\0\0WAVE", "header ends"),
    ],
)
def test_what_is_no_recording_is_refused_with_a_reason_and_can_be_discarded(
    server: Server, tmp_path: Path, content: bytes, what: str
) -> None:
    docket = server.open_docket(f"T-bad-{what}")
    file = tmp_path / "bad.wav"
    file.write_bytes(content)
    server.upload(docket["id"], file)
    server.wait_for_jobs()
    upload = server.get(f"/dockets/{docket['id']}")["uploads"][0]
    assert what in upload["refusal"]["what"]
    assert upload["refusal"]["remedy"]
    refused(server.api.post(f"/uploads/{upload['id']}/accept-found"), 409, "nothing to be had")
    assert server.api.delete(f"/uploads/{upload['id']}").status_code == 204
    assert server.get(f"/dockets/{docket['id']}")["uploads"] == []
    assert not (server.media_root / "uploads" / str(upload["id"])).exists()


def test_an_empty_file_is_refused_before_it_is_sent(server: Server, docket: Any) -> None:
    answer = server.api.post(f"/dockets/{docket['id']}/uploads", json={"name": "x.wav", "size_bytes": 0})
    assert refused(answer, 422, "empty")["remedy"]


def test_a_lossy_recording_is_kept_as_a_reference_and_never_sealed(server: Server, tmp_path: Path) -> None:
    docket = server.open_docket("T-lossy")
    server.upload(docket["id"], write(tmp_path / "x.ogg", noise(96_000) / 2.0**31, form="OGG", subtype="VORBIS"))
    server.wait_for_jobs()
    side = first_side(server.get(f"/dockets/{docket['id']}"))
    assert side["takes"][0]["format"]["lossless"] is False
    plan = server.post(f"/sides/{side['id']}/find-tracks", {"count": 1})
    assert plan["kind"] == "find tracks"
    server.wait_for_jobs()
    titles = ["One"] * len(first_side(server.get(f"/dockets/{docket['id']}"))["tracks"])
    server.describe(docket["id"], titles)
    refused(server.api.post(f"/dockets/{docket['id']}/seal"), 422, "lossy recording")


def test_peaks_and_samples_are_those_of_the_take(server: Server, docket: Any, side_file: Path) -> None:
    take = first_side(docket)["takes"][0]["id"]
    data, _ = soundfile.read(str(side_file), always_2d=True)
    index = server.get(f"/takes/{take}/peaks")
    assert index["samples"] == len(data)
    raw = server.api.get(f"/takes/{take}/peaks/0", params={"first_block": 3, "blocks": 2}).content
    blocks = np.frombuffer(raw, "<f4").reshape(2, 2, 3)
    np.testing.assert_allclose(blocks[0, :, 1], data[3 * 256 : 4 * 256].max(axis=0), atol=1e-6)
    raw = server.api.get(f"/takes/{take}/samples", params={"first_sample": 1_000, "samples": 64}).content
    np.testing.assert_allclose(np.frombuffer(raw, "<f4").reshape(-1, 2), data[1_000:1_064], atol=1e-7)
    refused(server.api.get(f"/takes/{take}/peaks/99"), 404, "no level 99")
    refused(
        server.api.get(f"/takes/{take}/samples", params={"first_sample": 0, "samples": 2**21}),
        422,
        "less than or equal",
    )


def test_deleted_peaks_are_made_again(server: Server, docket: Any) -> None:
    take = first_side(docket)["takes"][0]
    before = server.api.get(f"/takes/{take['id']}/peaks/0").content
    (server.media_root / "derived" / take["sha256"] / "peaks").unlink()
    assert server.api.get(f"/takes/{take['id']}/peaks/0").content == before


def edit(server: Server, side: Any, based_on: int, **one: Any) -> httpx.Response:
    return server.send_edit(side["id"], based_on, one)


def test_every_edit_is_a_version_and_can_be_undone_and_redone(server: Server, side_file: Path) -> None:
    docket = server.open_docket("T-undo")
    server.upload(docket["id"], side_file)
    server.wait_for_jobs()
    side = first_side(server.get(f"/dockets/{docket['id']}"))
    start = side["plan"]
    key = start["plan"]["tracks"][1]["key"]
    first = edit(server, side, start["version"], op="move join", track_key=key, by_samples=441).json()
    assert first["plan"]["tracks"][1]["start_sample"] == start["plan"]["tracks"][1]["start_sample"] + 441
    assert first["undo"] == "join before track 2 moved"
    second = edit(server, side, first["version"], op="remove join", track_key=key).json()
    assert len(second["plan"]["tracks"]) == 2
    assert server.undo(side["id"])["plan"] == first["plan"]
    undone = server.undo(side["id"])
    assert undone["plan"] == start["plan"]
    assert undone["redo"] == "join before track 2 moved"
    assert server.redo(side["id"])["plan"] == first["plan"]
    # A new edit after an undo begins another branch; redo follows the newest.
    third = edit(server, side, first["version"], op="set gaps", gaps="left out").json()
    assert third["redo"] is None
    refused(server.step_plan(side["id"], "redo"), 409, "nothing to redo")
    for _ in range(3):
        server.step_plan(side["id"], "undo")
    server.redo(side["id"])


def test_an_edit_on_an_old_version_is_a_conflict_and_changes_nothing(server: Server, docket: Any) -> None:
    side = first_side(server.get(f"/dockets/{docket['id']}"))
    answer = edit(server, side, side["plan"]["version"] - 1, op="set gaps", gaps="left out")
    refused(answer, 412, "changed elsewhere")
    assert first_side(server.get(f"/dockets/{docket['id']}"))["plan"] == side["plan"]


@pytest.mark.parametrize(
    ("body", "status", "what"),
    [
        ({"op": "add join", "at_sample": 10**12}, 422, "outside the side"),
        ({"op": "remove join", "track_key": "none"}, 404, "no track none"),
        ({"op": "explode"}, 422, "tag"),
        ({"op": "add join", "at_sample": "soon"}, 422, "integer"),
    ],
)
def test_an_edit_that_cannot_be_is_refused(
    server: Server, docket: Any, body: dict[str, Any], status: int, what: str
) -> None:
    side = first_side(server.get(f"/dockets/{docket['id']}"))
    refused(edit(server, side, side["plan"]["version"], **body), status, what)


def test_titles_stay_with_their_tracks_when_a_join_is_added_before_them(server: Server, side_file: Path) -> None:
    docket = server.open_docket("T-titles")
    server.upload(docket["id"], side_file)
    server.wait_for_jobs()
    server.describe(docket["id"], ["One", "Two", "Three"])
    side = first_side(server.get(f"/dockets/{docket['id']}"))
    at = side["tracks"][0]["start_sample"] + 100_000
    edit(server, side, side["plan"]["version"], op="add join", at_sample=at)
    after = server.get(f"/dockets/{docket['id']}")
    assert [line["title"] for line in first_side(after)["tracks"]] == ["One", "", "Two", "Three"]
    assert after["missing"] == ["title of track 2"]
    server.undo(side["id"])
    assert [line["title"] for line in first_side(server.get(f"/dockets/{docket['id']}"))["tracks"]] == [
        "One",
        "Two",
        "Three",
    ]


@pytest.mark.parametrize(
    ("body", "what"),
    [
        ({"release": {"year": "1974-13"}}, "no month 13"),
        ({"release": {"genre": "brass"}}, "no field 'genre'"),
        ({"tracks": {"none": {"title": "x"}}}, "no track none"),
        ({"release": {"title": "x" * 501}}, "Title has 501 characters"),
        ({"release": {"title": "kept?", "year": "soon"}}, "'soon' is not a date"),
    ],
)
def test_a_description_is_taken_whole_or_not_at_all(
    server: Server, docket: Any, body: dict[str, Any], what: str
) -> None:
    before = server.get(f"/dockets/{docket['id']}")["release"]
    refused(server.api.patch(f"/dockets/{docket['id']}/description", json=body), 422, what)
    assert server.get(f"/dockets/{docket['id']}")["release"] == before


def test_a_cover_is_checked_shown_and_replaced_without_loss(server: Server, docket: Any) -> None:
    path = f"/dockets/{docket['id']}/artwork"
    added = server.api.post(path, params={"name": "front.jpg"}, content=lanterns_cover()).json()
    assert added["facts"]["width_px"] == 1_000
    assert server.api.get(f"/artwork/{added['id']}/image").content == lanterns_cover()
    refused(server.api.post(path, params={"name": "x.jpg"}, content=b"no picture"), 422, "not a picture")
    server.api.post(path, params={"name": "second.jpg"}, content=lanterns_cover())
    roles = [one["role"] for one in server.get(f"/dockets/{docket['id']}")["artwork"]]
    assert roles == ["set aside", "front"]
    server.api.put(f"{path}/{added['id']}/role", json={"role": "front"})
    assert [one["role"] for one in server.get(f"/dockets/{docket['id']}")["artwork"]] == ["front", "set aside"]


def test_finding_again_keeps_what_was_set_by_hand_and_what_is_signed_off(server: Server, tmp_path: Path) -> None:
    record_side(tmp_path / "side.wav")
    docket_id = server.open_docket("T-keep")["id"]
    server.upload(docket_id, tmp_path / "side.wav")
    server.wait_for_jobs()
    side = first_side(server.get(f"/dockets/{docket_id}"))
    tracks = side["plan"]["plan"]["tracks"]
    by_hand = tracks[1]["start_sample"] + 4_000
    plan = edit(
        server,
        side,
        side["plan"]["version"],
        op="move edge",
        track_key=tracks[1]["key"],
        edge="start",
        to_sample=by_hand,
    ).json()
    plan = edit(server, side, plan["version"], op="sign off", track_key=tracks[2]["key"]).json()
    assert plan["plan"]["tracks"][2]["start"]["signed_by"]
    refused(
        edit(server, side, plan["version"], op="move join", track_key=tracks[2]["key"], by_samples=5),
        422,
        "has signed this join off",
    )
    server.post(f"/sides/{side['id']}/find-tracks", {"durations_s": [12, 14, 11]})
    server.wait_for_jobs()
    again = first_side(server.get(f"/dockets/{docket_id}"))["plan"]["plan"]["tracks"]
    assert again[1]["start_sample"] == by_hand
    assert again[1]["start"]["confidence"] is None
    assert again[2]["start_sample"] == tracks[2]["start_sample"]
    assert again[2]["start"]["signed_by"] == plan["plan"]["tracks"][2]["start"]["signed_by"]
    server.post(f"/sides/{side['id']}/find-tracks", {"count": 3, "keep": False})
    server.wait_for_jobs()
    free = first_side(server.get(f"/dockets/{docket_id}"))["plan"]["plan"]["tracks"]
    assert free[1]["start_sample"] == pytest.approx(tracks[1]["start_sample"], abs=2)


def test_a_turn_over_is_found_and_divides_the_take_and_the_durations(server: Server, tmp_path: Path) -> None:
    record_side(tmp_path / "side.wav")
    side, rate_hz = soundfile.read(str(tmp_path / "side.wav"), dtype="int16", always_2d=True)
    deck = np.zeros((10 * rate_hz, side.shape[1]), np.int16)
    soundfile.write(str(tmp_path / "both.wav"), np.concatenate([side, deck, side]), rate_hz)
    docket_id = server.open_docket("T-turned")["id"]
    server.upload(docket_id, tmp_path / "both.wav")
    server.wait_for_jobs()
    first, second = server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"]
    server.post(f"/sides/{first['id']}/find-tracks", {"durations_s": [12, 14, 11, 12, 14, 11]})
    server.wait_for_jobs()
    (turned,) = first_side(server.get(f"/dockets/{docket_id}"))["plan"]["plan"]["found"]["turn_overs"]
    assert len(side) < turned < len(side) + len(deck)
    take = first["takes"][0]["id"]
    place = {"other_side_id": second["id"], "at_sample": turned}
    assert server.api.post(f"/takes/{take}/turn-over", json=place).is_success
    server.wait_for_jobs()
    sides = server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"]
    for one in sides:
        assert one["plan"]["plan"]["found"]["catalogue_s"] == [12, 14, 11]
        assert [track["listed"] for track in one["plan"]["plan"]["tracks"]] == [0, 1, 2]
    assert [line["number"] for one in sides for line in one["tracks"]] == [1, 2, 3, 4, 5, 6]


def test_what_cannot_be_known_of_a_side_is_refused_at_once(server: Server, docket: Any) -> None:
    path = f"/sides/{first_side(docket)['id']}/find-tracks"
    refused(server.api.post(path, json={"durations_s": [12, -3]}), 422, "between 0 and 86,400 s")
    refused(server.api.post(path, json={"durations_s": []}), 422, "0 tracks cannot be")
    refused(server.api.post(path, json={"count": 2, "durations_s": [1.0]}), 422, "2 tracks are asked for")


def test_what_would_be_found_is_told_and_nothing_changed(server: Server, docket: Any) -> None:
    side = first_side(docket)
    tried = server.post(f"/sides/{side['id']}/preview-tracks", {"settings": {"min_gap_s": 5}})
    assert len(tried["tracks"]) == 1
    assert first_side(server.get(f"/dockets/{docket['id']}"))["plan"] == side["plan"]
    refused(
        server.api.post(f"/sides/{side['id']}/preview-tracks", json={"settings": {"min_gap_s": -1}}),
        422,
        "greater than or equal to 0",
    )


def test_an_edge_goes_to_the_quietest_moment_near_it(server: Server, docket: Any) -> None:
    side = first_side(docket)
    track = side["plan"]["plan"]["tracks"][1]
    based_on = {"If-Match": f'"{side["plan"]["version"]}"'}
    wish = {"track_key": track["key"], "edge": "start", "to": "zero crossing"}
    moved = server.api.post(f"/sides/{side['id']}/plan/snap", json=wish, headers=based_on).json()["plan"]
    assert abs(moved["tracks"][1]["start_sample"] - track["start_sample"]) <= 0.02 * 44_100
    late = server.api.post(
        f"/sides/{side['id']}/plan/snap", json={**wish, "to": "quietest moment"}, headers={"If-Match": '"0"'}
    )
    refused(late, 412, "changed elsewhere")


def test_a_docket_is_sealed_downloaded_changed_and_sealed_again(
    server: Server, side_file: Path, tmp_path: Path
) -> None:
    docket_id = server.open_docket("T-seal")["id"]
    server.upload(docket_id, side_file)
    server.wait_for_jobs()
    refused(server.api.post(f"/dockets/{docket_id}/seal"), 422, "still to be described")
    assert server.describe(docket_id, ["One", "Two", "Three"])["standing"] == "ready to seal"
    server.post(f"/dockets/{docket_id}/seal")
    refused(server.api.post(f"/dockets/{docket_id}/seal"), 409, "being sealed already")
    server.wait_for_jobs()
    sealed = server.get(f"/dockets/{docket_id}")
    assert sealed["standing"] == "sealed"
    package = sealed["packages"][0]
    content = server.api.get(f"/packages/{package['id']}/package.zip").content
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert archive.testzip() is None
        archive.extractall(tmp_path)
    folder = tmp_path.joinpath(*package["album"]["folders"])
    assert verify(folder).sound
    assert "All 3 tracks proven" in server.api.get(f"/packages/{package['id']}/papers/sealing.log").text
    refused(server.api.get(f"/packages/{package['id']}/papers/01 One.flac"), 404, "no paper")
    assert server.describe(docket_id, ["One", "Two!", "Three"])["standing"] == "changed since sealing"
    assert server.describe(docket_id, ["One", "Two", "Three"])["standing"] == "sealed"
    server.post(f"/dockets/{docket_id}/seal?anew=true")
    server.wait_for_jobs()
    again = server.get(f"/dockets/{docket_id}")["packages"][1]["album"]
    assert [(t["file"], t["md5"]) for t in again["tracks"]] == [
        (t["file"], t["md5"]) for t in package["album"]["tracks"]
    ]
    actions = [line["action"] for line in server.get("/ledger", docket_id=docket_id)]
    assert actions[0] == "sealed: 3 tracks proven"
    assert actions[-1] == "docket opened"


@pytest.mark.parametrize(
    ("folder", "file", "what"),
    [
        ("{titel}", "{number}", "no field 'titel'"),
        ("{title}", "{year}", "same name"),
        ("{title}", "a/{number}", "holds no /"),
        ("{title", "{number}", "no partner"),
    ],
)
def test_a_filing_pattern_that_cannot_be_is_refused(
    server: Server, docket: Any, folder: str, file: str, what: str
) -> None:
    refused(server.api.put(f"/dockets/{docket['id']}/patterns", json={"folder": folder, "file": file}), 422, what)


def test_a_filing_pattern_shows_at_once_what_it_makes(server: Server, docket: Any) -> None:
    body = {"folder": "{shelfmark}", "file": "{number}"}
    after = server.api.put(f"/dockets/{docket['id']}/patterns", json=body).json()
    assert after["names"] == ["T-0001/01.flac", "T-0001/02.flac", "T-0001/03.flac"]


def test_the_shelf_is_searched_in_shelfmark_and_description_whatever_the_case(server: Server) -> None:
    server.describe(server.open_docket("T-find")["id"], [], title="Häuser am Wehr 100%")
    for words in ("t-FIND", "häuser", "Hauser", "wehr", "100%"):
        assert [line["shelfmark"] for line in server.get("/dockets", search=words)] == ["T-find"], words
    assert server.get("/dockets", search="_____%") == []


@pytest.mark.parametrize(
    ("body", "status", "what"),
    [
        ({"shelfmark": "T-0001"}, 409, "on the shelf already"),
        ({"shelfmark": "  "}, 422, "1 to 100 characters"),
        ({"shelfmark": "x" * 101}, 422, "1 to 100 characters"),
        ({"shelfmark": "T-x", "carrier_format": "wax"}, 422, "'wax' is not a carrier"),
        ({"shelfmark": "T-x", "carriers": 13}, 422, "less than or equal to 12"),
        ({"shelfmark": "T-x", "colour": "red"}, 422, "Extra inputs"),
    ],
)
def test_a_docket_that_cannot_be_opened_is_refused(
    server: Server, docket: Any, body: dict[str, Any], status: int, what: str
) -> None:
    refused(server.api.post("/dockets", json=body), status, what)


@pytest.mark.parametrize(
    "path",
    [
        "/dockets/99999",
        "/uploads/99999",
        "/takes/99999/peaks",
        "/artwork/99999/image",
        "/packages/99999/package.zip",
        "/nothing",
    ],
)
def test_what_is_not_there_is_404_with_a_reason(server: Server, path: str) -> None:
    refused(server.api.get(path), 404, "there is no")


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"Host": "evil.example"}, 403),
        ({"Host": "127.0.0.1.evil.example"}, 403),
        ({"Host": ""}, 403),
        ({"Origin": "http://evil.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Origin": "http://127.0.0.1:1"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
        ({"Sec-Fetch-Site": "same-origin"}, 200),
        ({}, 200),
    ],
)
def test_requests_from_elsewhere_are_refused(server: Server, headers: dict[str, str], status: int) -> None:
    assert server.api.get("/health", headers=headers).status_code == status


def test_news_of_jobs_and_dockets_reaches_whoever_looks_on(server: Server, side_file: Path) -> None:
    docket = server.open_docket("T-news")
    heard: list[dict[str, Any]] = []
    ready = threading.Event()

    def listen() -> None:
        with httpx.stream("GET", f"{server.address}/api/v1/events", timeout=PATIENCE_S) as stream:
            for line in stream.iter_lines():
                if line.startswith("data:"):
                    heard.append(json.loads(line[5:]))
                    ready.set()
                    if heard[-1].get("job", {}).get("state") == "done" and heard[-1]["job"]["kind"] == "take in":
                        return

    listener = threading.Thread(target=listen)
    listener.start()
    assert ready.wait(10)
    server.upload(docket["id"], side_file)
    listener.join(60)
    assert not listener.is_alive()
    states = [event["job"]["state"] for event in heard if event["kind"] == "job"]
    assert states[0] == "running"
    assert states[-1] == "done"
    assert {"kind": "docket", "docket_id": docket["id"]} in heard


def test_the_front_end_is_served_at_every_address_of_the_interface(server: Server) -> None:
    for path in ("/", "/dockets/1/tracks", "/ledger"):
        answer = httpx.get(server.address + path, timeout=PATIENCE_S)
        assert answer.status_code == 200
        assert '<div id="root">' in answer.text
        assert "default-src 'self'" in answer.headers["content-security-policy"]
