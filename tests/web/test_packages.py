"""Packages through the API: profiles, many sealed at once, checked over the years, restored from a second copy."""

from __future__ import annotations

import contextlib
import io
import os
import signal
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import bagit
import numpy as np
import pytest
import soundfile

from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Package
from tests.live import Server
from tests.patience import PATIENCE_S
from tests.sounds import record_side

PROFILE = {
    "masters": {"form": "FLAC", "level": 5},
    "untouched": "BWF",
    "one_file": True,
    "copies": [{"kind": "MP3", "kbit_s": 128}],
}


@pytest.fixture(scope="module")
def side(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("side") / "side.wav"
    record_side(path)
    return path


@pytest.fixture(scope="module")
def vault(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A server that keeps a second copy of every package."""
    second = tmp_path_factory.mktemp("second")
    targets = tmp_path_factory.mktemp("targets")
    settings = {
        "INKWELL_SECOND_ROOT": str(second),
        "INKWELL_FIXITY_BYTES_PER_S": "0",
        "INKWELL_TARGETS_ROOT": str(targets),
    }
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        running.second, running.targets = second, targets  # type: ignore[attr-defined]
        yield running


def described(server: Server, shelfmark: str, side: Path) -> int:
    docket_id = int(server.open_docket(shelfmark)["id"])
    server.upload(docket_id, side)
    server.wait_for_jobs()
    server.describe(docket_id, ["One", "Two", "Three"], title=f"Record {shelfmark}", album_artist="The Test Band")
    return docket_id


def docket(server: Server, docket_id: int) -> Any:
    return server.get(f"/dockets/{docket_id}")


def package_folder(server: Server, docket_id: int) -> Path:
    return server.media_root / "sealed" / docket(server, docket_id)["packages"][-1]["folder"]


def fixity_of(server: Server, docket_id: int) -> Any:
    return next(one for one in server.get("/fixity")["packages"] if one["docket_id"] == docket_id)


@pytest.fixture(scope="module")
def sealed(vault: Server, side: Path) -> list[int]:
    """Four dockets that were sealed."""
    docket_ids = [described(vault, f"S-{number}", side) for number in range(1, 5)]
    for docket_id in docket_ids:
        vault.post(f"/dockets/{docket_id}/seal")
    vault.wait_for_jobs()
    return docket_ids


def test_a_profile_is_saved_chosen_and_sealed_by(vault: Server, side: Path) -> None:
    docket_id = described(vault, "P-1", side)
    assert docket(vault, docket_id)["profile"] == "Archive"
    names = [one["name"] for one in vault.get("/profiles")]
    assert names == ["Masters alone", "Archive", "Archive and listening"]
    saved = vault.api.put("/profiles", json={"name": " Listening room ", "profile": PROFILE}).json()
    assert saved["name"] == "Listening room" and saved["profile"]["copies"][0]["kbit_s"] == 128
    choose = {"docket_ids": [docket_id], "name": "Listening room"}
    assert vault.api.put("/dockets-profile", json=choose).status_code == 204
    vault.post(f"/dockets/{docket_id}/seal")
    vault.wait_for_jobs()
    sealed = docket(vault, docket_id)
    assert sealed["standing"] == "sealed" and sealed["profile"] == "Listening room"
    package = sealed["packages"][-1]
    assert [part["name"] for part in package["album"]["parts"]] == ["Takes, BWF", "One file", "MP3 128"]
    folder = package_folder(vault, docket_id)
    bagit.Bag(str(folder)).validate()
    content = vault.api.get(f"/packages/{package['id']}/package.zip", params={"part": "MP3 128"}).content
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert sorted(Path(name).name for name in archive.namelist()) == [
            "01 One.mp3",
            "02 Two.mp3",
            "03 Three.mp3",
            "album.m3u8",
        ]
    missing = vault.api.get(f"/packages/{package['id']}/package.zip", params={"part": "Opus"})
    assert missing.status_code == 404 and "MP3 128" in missing.json()["remedy"]
    report = vault.api.get(f"/packages/{package['id']}/papers/report.html")
    assert (
        report.headers["content-type"].startswith("text/html")
        and "sandbox" in report.headers["content-security-policy"]
    )
    assert package["album"]["tracks"][0]["md5"] in report.text
    assert vault.api.get(f"/packages/{package['id']}/papers/plans/side a.json").json()["take_samples"] > 0
    for wrong in ("../secret", "masters/01 One.flac", "manifest-sha256.txt/.."):
        assert vault.api.get(f"/packages/{package['id']}/papers/{wrong}").status_code == 404

    # A profile that is saved anew is no longer what was sealed by it.
    vault.api.put("/profiles", json={"name": "Listening room", "profile": {**PROFILE, "copies": []}})
    assert docket(vault, docket_id)["standing"] == "changed since sealing"
    vault.api.put("/profiles", json={"name": "Listening room", "profile": PROFILE})
    assert docket(vault, docket_id)["standing"] == "sealed"
    assert vault.api.delete(f"/profiles/{saved['id']}").status_code == 204
    assert docket(vault, docket_id)["standing"] == "sealed", "it keeps what it has of it"


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ({"name": "", "profile": {}}, 422, "needs a name"),
        ({"name": "Archive", "profile": {}}, 422, "own"),
        ({"name": "x", "profile": {"copies": [{"kind": "MP3", "kbit_s": 193}]}}, 422, "constant rate"),
        ({"name": "x", "profile": {"copies": [{"kind": "ALAC"}, {"kind": "ALAC"}]}}, 422, "twice"),
        ({"name": "x", "profile": {"masters": {"level": 9}}}, 422, "8"),
    ],
)
def test_a_profile_that_cannot_be_is_refused(vault: Server, body: Any, status: int, words: str) -> None:
    answer = vault.api.put("/profiles", json=body)
    assert answer.status_code == status and words in answer.text
    assert vault.api.put("/dockets-profile", json={"docket_ids": [1], "name": "nowhere"}).status_code == 404


def test_many_are_sealed_at_once_and_a_second_time_only_what_changed(vault: Server, side: Path) -> None:
    ready = [described(vault, f"M-{number}", side) for number in (1, 2)]
    bare = int(vault.open_docket("M-3")["id"])
    asked = vault.post("/seal-many", {"docket_ids": [*ready, bare, ready[0]]})
    assert [(one["docket_id"], one["outcome"]) for one in asked] == [
        (ready[0], "asked"),
        (ready[1], "asked"),
        (bare, "not possible"),
    ]
    assert "no track to seal" in asked[2]["words"]
    vault.wait_for_jobs()
    assert [docket(vault, one)["standing"] for one in ready] == ["sealed", "sealed"]
    vault.describe(ready[1], ["One", "Two", "Drei"])
    again = vault.post("/seal-many", {"docket_ids": ready})
    assert [one["outcome"] for one in again] == ["as it is", "asked"]
    vault.wait_for_jobs()
    assert [len(docket(vault, one)["packages"]) for one in ready] == [1, 2]


def test_sealed_again_by_another_profile_the_masters_stay_unless_all_is_wanted_anew(vault: Server, side: Path) -> None:
    docket_id = described(vault, "K-1", side)

    def sealed(query: str = "") -> Any:
        vault.post(f"/dockets/{docket_id}/seal{query}")
        vault.wait_for_jobs()
        package = docket(vault, docket_id)["packages"][-1]
        masters = vault.media_root / "sealed" / package["folder"] / "data" / "masters"
        return package["album"]["kept"], (masters / "01 One.flac").stat().st_ino

    kept, first = sealed()
    assert kept == []
    vault.api.put("/dockets-profile", json={"docket_ids": [docket_id], "name": "Masters alone"}).raise_for_status()
    assert docket(vault, docket_id)["standing"] == "changed since sealing"
    assert sealed() == (["Masters"], first)
    assert any("as they were: Masters" in one["action"] for one in vault.get("/ledger", docket_id=docket_id))
    kept, third = sealed("?anew=true")
    assert kept == []
    assert third != first


def test_damage_is_found_named_and_put_right_from_the_second_copy(vault: Server, side: Path) -> None:
    docket_id = described(vault, "F-1", side)
    vault.post(f"/dockets/{docket_id}/seal")
    vault.wait_for_jobs()
    told = fixity_of(vault, docket_id)
    assert told["state"] == "sound" and told["verified_at"] == told["sealed_at"] and told["second_copy"]
    second = vault.second / docket(vault, docket_id)["packages"][-1]["folder"]  # type: ignore[attr-defined]
    bagit.Bag(str(second)).validate()

    folder = package_folder(vault, docket_id)
    one, two = folder / "data" / "masters" / "01 One.flac", folder / "data" / "masters" / "02 Two.flac"
    good = one.read_bytes()
    bad = bytearray(good)
    bad[len(bad) // 2] ^= 4
    one.write_bytes(bad)
    two.rename(folder / "data" / "two.flac")
    (folder / "data" / "masters" / "album.m3u8").unlink()
    (folder / "stray.txt").write_text("?")
    package_id = told["package_id"]
    vault.post(f"/packages/{package_id}/check")
    vault.wait_for_jobs()
    told = fixity_of(vault, docket_id)
    assert told["state"] == "wrong"
    found = {Path(finding["file"]).name: finding for finding in told["findings"]}
    assert {name: finding["state"] for name, finding in found.items()} == {
        "01 One.flac": "damaged",
        "02 Two.flac": "moved",
        "album.m3u8": "missing",
        "stray.txt": "unknown",
    }
    assert "damaged in frame " in found["01 One.flac"]["words"]
    assert docket(vault, docket_id)["packages"][-1]["fixity"]["findings"] == told["findings"]

    assert docket(vault, docket_id)["standing"] == "sealed"
    vault.post(f"/packages/{package_id}/restore")
    vault.wait_for_jobs()
    told = fixity_of(vault, docket_id)
    assert [finding["state"] for finding in told["findings"]] == ["unknown"], "a stranger is nobody's to remove"
    assert one.read_bytes() == good and two.is_file()
    kept = vault.media_root / "set aside" / docket(vault, docket_id)["packages"][-1]["folder"]
    assert (kept / "data" / "masters" / "01 One.flac").read_bytes() == bytes(bad)
    actions = [line["action"] for line in vault.get("/ledger", docket_id=docket_id)]
    assert "package restored: 3 files put back" in actions
    assert any("are not as they were sealed" in action for action in actions)
    (folder / "stray.txt").unlink()
    bagit.Bag(str(folder)).validate()

    # One that is known to be damaged is not passed over when many are sealed.
    assert vault.post("/seal-many", {"docket_ids": [docket_id]})[0]["outcome"] == "as it is"
    one.write_bytes(bad)
    vault.post(f"/packages/{package_id}/check")
    vault.wait_for_jobs()
    assert vault.post("/seal-many", {"docket_ids": [docket_id]})[0]["outcome"] == "asked"
    vault.wait_for_jobs()


def test_an_audit_goes_through_all_of_them_the_oldest_first_and_on_after_a_restart(
    vault: Server, sealed: list[int]
) -> None:
    begun = vault.post("/fixity/audit")
    assert begun["audit"]["state"] == "under way" and begun["audit"]["packages"] >= len(sealed)
    refused = vault.api.post("/fixity/audit")
    assert refused.status_code == 409
    vault.kill()
    vault.start()
    vault.wait_for_jobs()
    told = vault.get("/fixity")
    assert told["audit"]["state"] == "done" and told["audit"]["checked"] == begun["audit"]["packages"]
    times = [one["verified_at"] for one in told["packages"]]
    assert times == sorted(times) and all(one["state"] == "sound" for one in told["packages"])
    assert vault.api.delete("/fixity/audit").status_code == 409


def test_a_check_whose_process_dies_says_nothing_about_the_package(vault: Server, sealed: list[int]) -> None:
    """An audit beside a worker that died booked an intact package as damaged."""
    told = fixity_of(vault, sealed[0])
    vault.stop()
    try:
        with Server(vault.database_url, vault.media_root, INKWELL_FIXITY_BYTES_PER_S="20000") as slow:
            job = slow.post(f"/packages/{told['package_id']}/check")
            until = time.monotonic() + PATIENCE_S
            while (now := next(one for one in slow.get("/jobs") if one["id"] == job["id"]))["state"] != "failed":
                assert now["state"] != "done" and time.monotonic() < until
                if now["state"] == "running":
                    for pid in slow.workers:
                        with contextlib.suppress(ProcessLookupError):
                            os.kill(pid, signal.SIGKILL)
                time.sleep(0.05)
            assert "its process died 3 times" in now["failure"]["what"]
            after = fixity_of(slow, told["docket_id"])
            assert (after["state"], after["findings"], after["verified_at"]) == (
                told["state"],
                told["findings"],
                told["verified_at"],
            )
            actions = [line["action"] for line in slow.get("/ledger", docket_id=told["docket_id"])]
            assert any("could not be checked: its process died" in action for action in actions)
    finally:
        vault.start()


def test_copies_are_carried_where_players_read_and_what_they_cannot_show_is_said_first(
    vault: Server, side: Path
) -> None:
    docket_id = described(vault, "C-1", side)
    vault.api.put("/dockets-profile", json={"docket_ids": [docket_id], "name": "Archive and listening"})
    vault.post(f"/dockets/{docket_id}/seal")
    vault.wait_for_jobs()
    package_id = docket(vault, docket_id)["packages"][-1]["id"]
    assert [one["target"]["name"] for one in vault.get("/targets")] == ["Portable player", "Listening room"]
    told = vault.get(f"/packages/{package_id}/fit", part="Masters", target="Portable player")
    assert told["misfits"] == ["Portable player does not play FLAC (3 files)"]
    assert vault.get(f"/packages/{package_id}/fit", part="MP3 192", target="Portable player")["misfits"] == []
    old = {"name": "Old player", "folder": "../old/.", "formats": ["Opus"], "most_rate_hz": 44_100}
    assert vault.api.put("/targets", json=old).json()["target"]["folder"] == "old"
    strict = vault.get(f"/packages/{package_id}/fit", part="Opus 128", target="Old player")
    assert strict["misfits"] == ["48 kHz, Old player plays up to 44.1 (3 files)"]
    asked = vault.api.post(f"/packages/{package_id}/carry", params={"part": "MP3 192", "target": "Portable player"})
    assert asked.status_code == 202
    vault.wait_for_jobs()
    there = vault.targets / "portable" / "The Test Band" / "Record C-1"  # type: ignore[attr-defined]
    assert sorted(path.name for path in there.iterdir()) == [
        "01 One.mp3",
        "02 Two.mp3",
        "03 Three.mp3",
        "album.m3u8",
    ]
    sealed = package_folder(vault, docket_id) / "data" / "copies" / "MP3 192"
    assert all(path.read_bytes() == (sealed / path.name).read_bytes() for path in there.iterdir())
    entries = (there / "album.m3u8").read_text().splitlines()
    assert [line for line in entries if not line.startswith("#")] == ["01 One.mp3", "02 Two.mp3", "03 Three.mp3"]
    (there / "02 Two.mp3").write_bytes(b"broken")
    vault.api.post(f"/packages/{package_id}/carry", params={"part": "MP3 192", "target": "Portable player"})
    vault.wait_for_jobs()
    carried = vault.get("/ledger", docket_id=docket_id)[0]
    assert carried["action"] == "MP3 192 carried to Portable player" and carried["after"]["written"] == 1
    assert vault.api.get(f"/packages/{package_id}/fit", params={"part": "MP3", "target": "x"}).status_code == 404


def test_a_record_becomes_an_image_for_burning(vault: Server, side: Path, tmp_path: Path) -> None:
    docket_id = described(vault, "B-1", side)
    vault.post(f"/dockets/{docket_id}/seal")
    vault.wait_for_jobs()
    package_id = docket(vault, docket_id)["packages"][-1]["id"]
    assert [(one["name"], one["made"]) for one in vault.get(f"/packages/{package_id}/discs")] == [("All sides", False)]
    early = vault.api.get(f"/packages/{package_id}/discs/All sides/image.zip")
    assert early.status_code == 404 and "not made yet" in early.json()["detail"]
    assert vault.api.post(f"/packages/{package_id}/discs/Disc 3").status_code == 404
    vault.post(f"/packages/{package_id}/discs/All sides")
    vault.wait_for_jobs()
    assert vault.get(f"/packages/{package_id}/discs")[0]["made"]
    content = vault.api.get(f"/packages/{package_id}/discs/All sides/image.zip").content
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        archive.extractall(tmp_path)
    sheet = next(tmp_path.rglob("disc.cue"))
    masters = sorted((package_folder(vault, docket_id) / "data" / "masters").glob("*.flac"))
    whole = np.concatenate([soundfile.read(path, dtype="int16")[0] for path in masters])
    with DiscImage(sheet) as disc:
        np.testing.assert_array_equal(disc.read(0, len(whole)), whole)
        assert [track.pregap_start is not None for track in disc.toc.audio_tracks] == [False, True, True]
    assert "image for burning made of all sides" in [
        line["action"] for line in vault.get("/ledger", docket_id=docket_id)
    ]


def test_what_cannot_be_checked_or_restored_says_why(vault: Server, sealed: list[int], database_url: str) -> None:
    told = fixity_of(vault, sealed[0])
    for path in ("/packages/99999/check", "/packages/99999/restore"):
        assert vault.api.post(path).status_code == 404
    nothing = vault.api.post(f"/packages/{told['package_id']}/restore")
    assert nothing.status_code == 409 and "nothing is known to be wrong" in nothing.json()["detail"]
    with Database(database_url).begin() as session:
        package = session.get_one(Package, told["package_id"])
        kept, package.album = package.album, {**package.album, "package": []}
    old = vault.api.post(f"/packages/{told['package_id']}/check")
    assert old.status_code == 409 and "Seal the docket again" in old.json()["remedy"]
    assert fixity_of(vault, sealed[0])["state"] == "not a bag"
    with Database(database_url).begin() as session:
        session.get_one(Package, told["package_id"]).album = kept
