"""Files that others made, over HTTP: brought in, changed on the sheet, written, taken back to the byte."""

from __future__ import annotations

import hashlib
import io
import os
import shutil
import signal
import time
import zipfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from mutagen.flac import FLAC

from inkwell_groove.core.files.reading import read_file
from inkwell_groove.core.files.writing import Change
from inkwell_groove.core.files.writing import write as tag
from tests.core.files.samples import picture, write_sample
from tests.live import Server
from tests.patience import PATIENCE_S, until
from tests.sounds import noise


@pytest.fixture(scope="module")
def root(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("files")


@pytest.fixture(scope="module")
def desk(database_url: str, root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        yield running


@pytest.fixture
def messy(messy_originals: Path, root: Path, request: pytest.FixtureRequest) -> str:
    """The messy folder, for one test alone: its name below the root."""
    name = f"messy {abs(hash(request.node.name))}"
    shutil.copytree(messy_originals, root / name)
    return name


def bring_in(desk: Server, folder: str, *, in_place: bool = False) -> Any:
    bundle = desk.post("/bundles", {"folder": folder, "in_place": in_place})
    desk.wait_for_jobs()
    return next(one for one in desk.get("/bundles") if one["id"] == bundle["id"])


def rows(desk: Server, *bundles: Any) -> list[Any]:
    return list(desk.get("/sheet", bundle=[one["id"] for one in bundles])["rows"])


def change(desk: Server, changes: list[Any]) -> Any:
    answer = desk.api.patch("/sheet", json={"changes": changes})
    assert answer.is_success, answer.text
    return answer.json()


def keep(desk: Server, proposed: Any) -> None:
    change(
        desk, [{"file_id": one["file_id"], "field": one["field"], "value": one["after"]} for one in proposed["changes"]]
    )


def write(desk: Server, bundle: Any, **options: Any) -> Any:
    step = desk.post("/sheet/write", {"bundle_ids": [bundle["id"]], **options})
    return ended(desk, step["id"])


def take_back(desk: Server, step: Any) -> Any:
    desk.post(f"/file-steps/{step['id']}/undo")
    return ended(desk, step["id"])


def ended(desk: Server, step_id: int) -> Any:
    def over() -> Any:
        step = next(one for one in desk.get("/file-steps") if one["id"] == step_id)
        return None if step["state"] in ("under way", "being taken back") else step

    return until(over, f"step {step_id} did not end")


def digests_below(folder: Path) -> dict[str, str]:
    return {
        path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("*"))
        if path.is_file()
    }


def test_a_folder_comes_in_whole_and_what_cannot_be_read_is_said(desk: Server, root: Path, messy: str) -> None:
    assert f"{messy}/Harbour Lights CD1" in [one["name"] for one in desk.get("/files/folders")]
    bundle = bring_in(desk, messy)
    assert (bundle["state"], bundle["audio"], bundle["unreadable"]) == ("ready", 60, 1)
    found = rows(desk, bundle)
    broken = next(one for one in found if one["kind"] == "unreadable")
    assert broken["path"] == "unsorted/broken.flac"
    assert broken["problem"]["remedy"]
    by_name = {one["path"].rsplit("/", 1)[-1]: one for one in found}
    single = by_name["Track 03.mp3"]
    assert single["fields"]["title"] == "THE TOLLGATE SISTERS - KILN LANE"
    assert single["tagged_as"] == "ID3v2.3 and ID3v1"
    assert single["pictures"][0]["width_px"] == 120
    assert 19.5 < by_name["Kiln Lane Tapes - last of the evening.flac"]["silent_tail_s"] < 21
    assert {one["format"] for one in found if one["format"]} == {
        "FLAC",
        "MP3",
        "AAC",
        "ALAC",
        "Vorbis",
        "Opus",
        "WAV",
        "AIFF",
    }
    copies = digests_below(desk.media_root / "bundles" / str(bundle["id"]))
    assert copies == digests_below(root / messy), "what came in is what lay there"


def test_nothing_is_written_until_write_and_everything_is_taken_back_after_a_restart(
    desk: Server, root: Path, messy: str
) -> None:
    bundle = bring_in(desk, messy)
    folder = desk.media_root / "bundles" / str(bundle["id"])
    before, stored = digests_below(folder), rows(desk, bundle)
    ids = [one["id"] for one in stored if one["kind"] == "audio"]
    keep(desk, desk.post("/sheet/read-names", {"file_ids": ids, "pattern": "{artist} - {title}"}))
    rule = {
        "fields": ["title", "artist", "album"],
        "steps": [
            {"do": "underscores"},
            {"do": "leading number"},
            {"do": "without", "of": "artist"},
            {"do": "case", "to": "title"},
        ],
    }
    keep(desk, desk.post("/sheet/reword", {"file_ids": ids, "rules": [rule]}))
    keep(desk, desk.post("/sheet/number", {"file_ids": ids, "totals": True}))
    keep(desk, desk.post("/sheet/derive", {"file_ids": ids, "what": "album artists"}))
    naming = {"pattern": "{album_artist}/{album}/{track_number:02} {title}"}
    keep(desk, desk.post("/sheet/name", {"file_ids": ids, "naming": naming}))
    quiet = next(one for one in stored if one["silent_tail_s"] > 5)
    change(desk, [{"file_id": quiet["id"], "field": "silence", "value": "take off"}])
    assert digests_below(folder) == before, "nothing is written until Write"
    summary = desk.get("/sheet/summary", bundle=[bundle["id"]])
    assert summary["files"] == 60
    assert summary["shortened"] == 1

    step = write(desk, bundle, id3="2.4")
    assert (step["state"], step["counts"]["done"]) == ("written", 60), step
    after = {one["id"]: one for one in rows(desk, bundle)}
    assert not any(one["pending"] for one in after.values())
    for one in stored:
        if one["kind"] == "audio" and one["id"] != quiet["id"]:
            assert after[one["id"]]["audio_digest"] == one["audio_digest"], "no sound was altered"
    shorter = after[quiet["id"]]
    assert 4.5 < shorter["duration_s"] < 6
    lanterns = next(one for one in after.values() if one["path"].endswith("Three Bridges March.flac"))
    assert lanterns["path"].startswith("Marrowby Silver Band/Lanterns on the Weir/")
    assert read_file(folder / lanterns["path"]).fields["track_total"] == "10"
    assert not (folder / "preludes").exists(), "empty folders go"
    playlist = next(folder.rglob("lanterns.m3u")).read_text()
    assert "\n04 Three Bridges March.flac\n" in playlist, "it went along with what it lists"

    desk.kill()
    desk.start()
    assert take_back(desk, step)["state"] == "taken back"
    assert digests_below(folder) == before
    assert [one["fields"] for one in rows(desk, bundle)] == [one["fields"] for one in stored]
    answer = desk.api.post(f"/file-steps/{step['id']}/undo")
    assert answer.status_code == 409


def test_a_step_is_taken_back_only_when_what_came_after_it_was(desk: Server, messy: str) -> None:
    bundle = bring_in(desk, f"{messy}/preludes", in_place=True)
    one = rows(desk, bundle)[0]
    change(desk, [{"file_id": one["id"], "field": "title", "value": "First"}])
    first = write(desk, bundle)
    change(desk, [{"file_id": one["id"], "field": "title", "value": "Second"}])
    second = write(desk, bundle)
    stuck = take_back(desk, first)
    assert stuck["state"] == "taken back in part"
    assert "Undo what was done to it later first" in stuck["told"][0]
    assert rows(desk, bundle)[0]["fields"]["title"] == "Second"
    assert take_back(desk, second)["state"] == "taken back"
    assert take_back(desk, first)["state"] == "taken back"
    assert rows(desk, bundle)[0]["fields"] == one["fields"]


def test_files_edited_in_place_are_what_they_were_after_taking_back(desk: Server, root: Path, messy: str) -> None:
    before = digests_below(root)
    bundle = bring_in(desk, f"{messy}/TOLLGATE SISTERS (rip)", in_place=True)
    found = rows(desk, bundle)
    change(
        desk,
        [{"file_id": one["id"], "field": "path", "value": one["path"].upper().replace("MP3", "mp3")} for one in found],
    )
    change(desk, [{"file_id": one["id"], "field": "lyrics", "value": "La\nla"} for one in found])
    step = write(desk, bundle)
    assert step["state"] == "written"
    assert (root / messy / "TOLLGATE SISTERS (rip)/TRACK 01.mp3").exists()
    assert take_back(desk, step)["state"] == "taken back"
    assert digests_below(root) == before


def test_what_somebody_else_altered_is_left_alone_until_it_was_looked_at_again(
    desk: Server, root: Path, messy: str
) -> None:
    bundle = bring_in(desk, f"{messy}/preludes", in_place=True)
    first, second = rows(desk, bundle)[:2]
    change(desk, [{"file_id": one["id"], "field": "comment", "value": "ours"} for one in (first, second)])
    path = root / messy / "preludes" / first["path"]
    tag(path, Change({"title": "Theirs"}))
    altered = path.read_bytes()
    step = write(desk, bundle)
    assert step["state"] == "written in part"
    assert "somebody else has altered it" in step["told"][0]
    assert path.read_bytes() == altered
    desk.post(f"/bundles/{bundle['id']}/rescan")
    desk.wait_for_jobs()
    again = {one["id"]: one for one in rows(desk, bundle)}
    assert again[first["id"]]["fields"]["title"] == "Theirs"
    assert again[first["id"]]["pending"] == {"comment": "ours"}
    assert again[second["id"]]["fields"]["comment"] == "ours"
    assert write(desk, bundle)["state"] == "written"
    assert read_file(path).fields["comment"] == "ours"


def test_a_killed_step_goes_on_and_can_still_be_taken_back(desk: Server, root: Path, messy: str) -> None:
    bundle = bring_in(desk, messy)
    folder = desk.media_root / "bundles" / str(bundle["id"])
    before = digests_below(folder)
    ids = [one["id"] for one in rows(desk, bundle) if one["kind"] == "audio"]
    change(desk, [{"file_id": key, "field": "comment", "value": "x" * 5_000} for key in ids])
    naming = {"pattern": "{album}/{title} {track_number}"}
    keep(desk, desk.post("/sheet/name", {"file_ids": ids, "naming": naming}))
    step = desk.post("/sheet/write", {"bundle_ids": [bundle["id"]]})
    journal = desk.media_root / "steps" / str(step["id"]) / "journal.jsonl"
    until = time.monotonic() + PATIENCE_S
    while not journal.exists() and time.monotonic() < until:
        time.sleep(0.001)
    desk.kill()
    time.sleep(0.7)  # until its workers have gone
    desk.start()
    step = ended(desk, step["id"])
    assert step["state"] == "written"
    assert all(one["fields"]["comment"] == "x" * 5_000 for one in rows(desk, bundle) if one["kind"] == "audio")
    assert take_back(desk, step)["state"] == "taken back"
    assert digests_below(folder) == before


def test_a_spreadsheet_goes_out_and_comes_back(desk: Server, messy: str) -> None:
    bundle = bring_in(desk, messy)
    params = {"bundle": [bundle["id"]], "column": ["title", "artist", "path"]}
    for form in ("csv", "xlsx"):
        data = desk.api.get("/sheet/spreadsheet", params={**params, "form": form}).content
        answer = desk.api.post("/sheet/spreadsheet", params={"bundle": [bundle["id"]]}, content=data)
        assert answer.json() == {"changes": [], "told": []}
    text = desk.api.get("/sheet/spreadsheet", params={**params, "form": "csv"}).content.decode("utf-8-sig")
    lines = text.splitlines()
    changed = [lines[0] + ",mine", lines[1].replace("first", "=1+1") + ",x", *lines[3:], "9:nowhere.flac,a,b,c,d"]
    changed[1] = changed[1].split(",")[0] + ",=cmd(),Somebody," + ",x"
    answer = desk.api.post(
        "/sheet/spreadsheet", params={"bundle": [bundle["id"]]}, content="\r\n".join(changed).encode()
    ).json()
    assert [(one["field"], one["after"]) for one in answer["changes"]] == [("title", "=cmd()"), ("artist", "Somebody")]
    assert answer["told"] == [
        "Columns that are no fields are passed over: mine.",
        "1 rows are about files that are not here: 9:nowhere.flac.",
        "1 files have no row: they stay as they are.",
    ]


def test_pictures_by_the_house_rule_for_all_in_one_job_and_back(desk: Server, messy: str) -> None:
    bundle = bring_in(desk, messy)
    folder = desk.media_root / "bundles" / str(bundle["id"])
    before = digests_below(folder)
    rule = {"embed": "front", "beside": True, "most_px": 1_000, "most_kb": 300, "square": "crop border"}
    assert desk.api.put("/art-rule", json={"rule": rule}).is_success
    checked = desk.get("/art-rule/check", bundle=[bundle["id"]])
    assert checked["counts"]["too many pixels"] == 4
    assert checked["counts"]["no front is embedded"] == 60 - 8 - 4
    step = desk.post("/art-rule/apply", {"file_ids": [int(key) for key in checked["files"]]})
    step = ended(desk, step["id"])
    assert step["told"][0].startswith("38 files, ")
    assert step["told"][0].endswith(": there is no front to be found")
    assert step["state"] == "written"
    found = {one["path"]: one for one in rows(desk, bundle)}
    lanterns = next(one for path, one in found.items() if path.startswith("lanterns_on_the_weir/04"))
    assert (lanterns["pictures"][0]["width_px"], lanterns["pictures"][0]["height_px"]) == (800, 800)
    large = found["preludes/prelude 1.flac"]["pictures"][0]
    assert large["width_px"] == 1_000
    assert large["size_bytes"] <= 300_000
    assert (folder / "preludes" / "cover.jpg").exists()
    stamp = found["TOLLGATE SISTERS (rip)/Track 01.mp3"]["pictures"][0]
    assert stamp["width_px"] == 120, "never scaled up"
    assert take_back(desk, step)["state"] == "taken back"
    assert digests_below(folder) == before

    answer = desk.api.post("/files/pictures", params={"file": [lanterns["id"]], "role": "back"}, content=picture())
    step = ended(desk, answer.json()["id"])
    one = next(row for row in rows(desk, bundle) if row["id"] == lanterns["id"])
    assert [(shown["role"], shown["width_px"]) for shown in one["pictures"]] == [("back", 300)]
    shown = desk.api.get(f"/files/{lanterns['id']}/pictures/0")
    assert (shown.status_code, shown.headers["content-type"]) == (200, "image/jpeg")
    out = ended(desk, desk.post("/files/pictures/remove", {"file_ids": [lanterns["id"]]})["id"])
    assert take_back(desk, out)["state"] == "taken back"
    assert take_back(desk, step)["state"] == "taken back"
    assert digests_below(folder) == before


def test_copies_are_filed_back_where_they_came_from_and_what_lay_there_is_kept(
    desk: Server, root: Path, messy: str
) -> None:
    bundle = bring_in(desk, f"{messy}/preludes")
    before = digests_below(root / messy / "preludes")
    found = rows(desk, bundle)
    change(
        desk,
        [
            {"file_id": found[0]["id"], "field": "title", "value": "Ebb"},
            {"file_id": found[1]["id"], "field": "path", "value": "two/prelude.flac"},
        ],
    )
    write(desk, bundle)
    assert digests_below(root / messy / "preludes") == before, "copies are copies until filed back"
    filed = desk.post(f"/bundles/{bundle['id']}/file-back")
    assert filed["state"] == "under way"
    desk.wait_for_jobs()
    assert desk.get("/file-steps")[0]["state"] == "written"
    assert read_file(root / messy / "preludes/prelude 1.flac").fields["title"] == "Ebb"
    assert (root / messy / "preludes/two/prelude.flac").exists()
    assert not (root / messy / "preludes/prelude 2.flac").exists()
    again = desk.api.post(f"/bundles/{bundle['id']}/file-back")
    assert again.status_code == 409 and "nothing was altered" in again.json()["detail"]
    assert take_back(desk, filed)["state"] == "taken back"
    assert digests_below(root / messy / "preludes") == before

    # What somebody else altered there meanwhile is left alone, and nothing is filed.
    (root / messy / "preludes/prelude 1.flac").write_bytes(b"mine")
    refused = desk.post(f"/bundles/{bundle['id']}/file-back")
    desk.wait_for_jobs()
    step = desk.get("/file-steps")[0]
    assert step["id"] == refused["id"] and "no longer what was brought in" in step["told"][0]
    left = digests_below(root / messy / "preludes")
    assert left.pop("prelude 1.flac") != before["prelude 1.flac"]
    assert left == {name: digest for name, digest in before.items() if name != "prelude 1.flac"}


def test_playlists_and_made_pictures_are_filed_back_with_the_sound_they_point_at(
    desk: Server, root: Path, messy: str
) -> None:
    folder = root / messy / "listed"
    shutil.copytree(root / messy / "preludes", folder)
    (folder / "all.m3u").write_text("#EXTM3U\nprelude 1.flac\nprelude 2.flac\n")
    before = digests_below(folder)
    try:
        bundle = bring_in(desk, f"{messy}/listed")
        found = rows(desk, bundle)
        moved = next(row for row in found if row["path"] == "prelude 2.flac")
        change(desk, [{"file_id": moved["id"], "field": "path", "value": "two/prelude.flac"}])
        write(desk, bundle)
        rule = {**desk.get("/art-rule"), "beside": True, "beside_name": "front.jpg"}
        desk.api.put("/art-rule", json={"rule": rule}).raise_for_status()
        with_front = [row["id"] for row in found if row["pictures"]]
        if with_front:
            desk.post("/art-rule/apply", {"file_ids": with_front})
            desk.wait_for_jobs()
        filed = desk.post(f"/bundles/{bundle['id']}/file-back")
        desk.wait_for_jobs()
        assert desk.get("/file-steps")[0]["state"] == "written"
        assert (folder / "all.m3u").read_text() == "#EXTM3U\nprelude 1.flac\ntwo/prelude.flac\n"
        copies = digests_below(desk.media_root / "bundles" / str(bundle["id"]))
        assert digests_below(folder) == copies, "the folder is what its copy is"
        assert take_back(desk, filed)["state"] == "taken back"
        assert digests_below(folder) == before
    finally:
        shutil.rmtree(folder)


def test_what_lies_beside_sound_moves_and_is_filed_back_with_all_of_it(desk: Server, root: Path, messy: str) -> None:
    folder = root / messy / "album"
    shutil.copytree(root / messy / "preludes", folder / "in")
    (folder / "in" / "all.m3u").write_text("prelude 1.flac\nprelude 2.flac\n")
    (folder / "in" / "scans").mkdir()
    for name in ("cover.jpg", "scans/back.png"):
        (folder / "in" / name).write_bytes(picture(60, 60))
    before = digests_below(folder)
    try:
        bundle = bring_in(desk, f"{messy}/album")
        sound = [row for row in rows(desk, bundle) if row["kind"] == "audio"]
        places = [
            {"file_id": row["id"], "field": "path", "value": f"Night/{number:02}.flac"}
            for number, row in enumerate(sound, start=1)
        ]
        change(desk, places)
        step = write(desk, bundle)
        assert "beside them moved along" in step["what"], step["what"]
        copy = desk.media_root / "bundles" / str(bundle["id"])
        here = digests_below(copy)
        assert {"Night/cover.jpg", "Night/scans/back.png", "Night/all.m3u"} < here.keys()
        assert not (copy / "in").exists()
        assert (copy / "Night" / "all.m3u").read_text() == "01.flac\n02.flac\n"
        filed = desk.post(f"/bundles/{bundle['id']}/file-back")
        desk.wait_for_jobs()
        assert digests_below(folder) == here, "the owner's folder is what its copy is"
        assert take_back(desk, filed)["state"] == "taken back"
        assert digests_below(folder) == before
        assert take_back(desk, step)["state"] == "taken back"
        assert digests_below(copy) == before
        assert desk.get("/bundles")[-1]["altered"] == 0
    finally:
        shutil.rmtree(folder)


def test_a_zip_is_taken_without_following_its_names_out(desk: Server, tmp_path: Path) -> None:
    sound = write_sample(tmp_path / "a.flac", "a.flac").read_bytes()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("album/a.flac", sound)
        archive.writestr("../escaped.flac", sound)
        archive.writestr("/etc/absolute.flac", sound)
    answer = desk.api.post("/bundles/zip", params={"name": "old.zip"}, content=out.getvalue())
    desk.wait_for_jobs()
    bundle = next(one for one in desk.get("/bundles") if one["id"] == answer.json()["id"])
    assert (bundle["name"], bundle["audio"]) == ("old", 1)
    assert len(bundle["told"]) == 2
    assert not (desk.media_root / "bundles" / "escaped.flac").exists()
    answer = desk.api.post("/bundles/zip", params={"name": "no.zip"}, content=b"PK\x03\x04 nothing")
    desk.wait_for_jobs()
    bundle = next(one for one in desk.get("/bundles") if one["id"] == answer.json()["id"])
    assert bundle["state"] == "failed"
    assert "no ZIP archive" in bundle["told"][0]


def test_an_album_in_one_file_becomes_a_folder_of_tracks(desk: Server, root: Path) -> None:
    folder = root / "one file"
    folder.mkdir()
    sound = noise(5 * 44_100, bits=16)
    soundfile.write(folder / "album.flac", sound, 44_100)
    soundfile.write(folder / "bare.flac", sound, 44_100)
    sheet = """TITLE "An Album"\nFILE "album.flac" WAVE
  TRACK 01 AUDIO
    TITLE "First"
    INDEX 01 00:00:00
  TRACK 02 AUDIO
    TITLE "Second"
    INDEX 01 00:02:37"""
    album = FLAC(folder / "album.flac")
    album["CUESHEET"] = sheet
    album.save()
    before = digests_below(folder)
    files = {row["path"]: row["id"] for row in rows(desk, bring_in(desk, "one file", in_place=True))}
    bundle = desk.post(f"/files/{files['album.flac']}/split")
    desk.wait_for_jobs()
    bundle = next(one for one in desk.get("/bundles") if one["id"] == bundle["id"])
    assert bundle["told"] == ["Cut into 2 tracks as its CUESHEET tag says, every sample compared"]
    tracks = {row["path"]: row["fields"] for row in rows(desk, bundle)}
    assert list(tracks) == ["01 First.flac", "02 Second.flac"]
    assert tracks["02 Second.flac"]["album"] == "An Album"
    cut = [soundfile.read(desk.media_root / "bundles" / str(bundle["id"]) / name, dtype="int16")[0] for name in tracks]
    assert len(cut[0]) == (2 * 75 + 37) * 588
    assert np.array_equal(np.concatenate(cut), soundfile.read(folder / "album.flac", dtype="int16")[0])
    assert digests_below(folder) == before, "the file itself stays"
    answer = desk.api.post(f"/files/{files['bare.flac']}/split")
    assert (answer.status_code, "Put a cue sheet beside it" in answer.text) == (422, True)
    assert desk.api.post("/files/999999/split").status_code == 404


def test_rules_are_saved_ordered_and_shown_on_examples(desk: Server) -> None:
    for name in ("tidy", "capitals"):
        rule = {"name": name, "fields": ["title"], "steps": [{"do": "space"}]}
        assert desk.api.put("/wording-rules", json=rule).is_success
    saved = desk.get("/wording-rules")
    ids = [one["id"] for one in saved][::-1]
    assert [one["id"] for one in desk.api.put("/wording-rules/order", json={"ids": ids}).json()] == ids
    desk.api.delete(f"/house-documents/{ids[0]}")
    assert [one["id"] for one in desk.get("/wording-rules")] == ids[1:]
    examples = desk.post("/filing-patterns/examples", {"pattern": "{album_artist}/{album}/{track_number:02} {title}"})
    assert examples[0]["path"] == "Marrowby Silver Band/Lanterns on the Weir/03 Over the Sluice - a March.flac"
    assert "/Disc 2/" in examples[1]["path"]
    answer = desk.api.post("/filing-patterns/examples", json={"pattern": "{nonsense}"})
    assert answer.status_code == 422
    assert "there is no field 'nonsense'" in answer.text


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("POST", "/bundles", {"folder": "../.."}, 404),
        ("POST", "/bundles", {"folder": "nowhere"}, 404),
        ("GET", "/sheet?bundle=9999", None, 404),
        ("PATCH", "/sheet", {"changes": [{"file_id": 99_999, "field": "title", "value": "x"}]}, 404),
        ("POST", "/sheet/write", {"bundle_ids": [9_999]}, 409),
        ("POST", "/file-steps/999/undo", None, 404),
        ("POST", "/sheet/reword", {"file_ids": [1], "rules": [{"fields": ["no"], "steps": [{"do": "space"}]}]}, 422),
        ("PUT", "/wording-rules", {"name": "", "fields": ["title"], "steps": [{"do": "space"}]}, 422),
    ],
)
def test_what_cannot_be_is_answered(desk: Server, method: str, path: str, body: Any, status: int) -> None:
    answer = desk.api.request(method, path, json=body)
    assert answer.status_code == status, answer.text
    assert answer.json()["detail"]


def test_of_many_who_write_other_files_at_the_same_moment_one_begins_a_step(
    desk: Server, messy: str, root: Path
) -> None:
    shutil.copytree(root / messy, root / f"{messy} again")
    bundles = [bring_in(desk, name) for name in (messy, f"{messy} again")]
    for bundle in bundles:
        files = [one["id"] for one in rows(desk, bundle) if one["kind"] == "audio"][:8]
        change(desk, [{"file_id": one, "field": "genre", "value": "brass band"} for one in files])
    before = len(desk.get("/file-steps"))

    def ask(number: int) -> int:
        return desk.api.post("/sheet/write", json={"bundle_ids": [bundles[number % 2]["id"]]}).status_code

    # The first step must not have ended before the last one is asked for.
    workers = desk.workers
    for pid in workers:
        os.kill(pid, signal.SIGSTOP)
    try:
        with ThreadPoolExecutor(12) as pool:
            answers = sorted(pool.map(ask, range(12)))
    finally:
        for pid in workers:
            os.kill(pid, signal.SIGCONT)
    assert answers == [202] + 11 * [409]
    assert len(desk.get("/file-steps")) == before + 1
    desk.wait_for_jobs()
