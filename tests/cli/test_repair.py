"""`groove repair` as scripts use it: what it writes, what it reports, and what it refuses."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from tests.cli.inside import groove_inside
from tests.core.restoration.scenes import RATE_HZ, clicked


@pytest.fixture(scope="module")
def take(shared_folder: Path) -> Path:
    path = shared_folder / "clicked.wav"
    soundfile.write(str(path), clicked().take.data, RATE_HZ, subtype="PCM_16")
    return path


def read(path: Path) -> np.ndarray:
    return np.asarray(soundfile.read(str(path), dtype="int16", always_2d=True)[0])


@pytest.mark.slow
def test_only_the_listed_stretches_differ(take: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.flac"
    done = groove_inside("repair", take, out, "--clicks-only", "--json", "--report", tmp_path / "report.json")
    assert done.returncode == 0, done.stderr
    report = json.loads(done.stdout)
    assert json.loads((tmp_path / "report.json").read_text()) == report
    before, after = read(take), read(out)
    assert soundfile.info(str(out)).subtype == "PCM_16"
    assert after.shape == before.shape
    inside = np.zeros(before.shape, bool)
    for one in report["repairs"]:
        assert one["channel"] in (0, 1, "both")
        assert one["kind"] in ("click", "crackle", "scratch")
        where = slice(None) if one["channel"] == "both" else one["channel"]
        inside[one["start"] : one["start"] + one["length"], where] = True
    assert len(report["repairs"]) > 20
    assert np.array_equal(before[~inside], after[~inside])
    assert not np.array_equal(before, after)
    assert report["harm"]["altered_samples"] == (before != after).sum()
    assert report["proposal"]["amount"] == report["amount"]
    assert groove_inside("verify", out).returncode == 0


@pytest.mark.slow
def test_cautious_mends_less_and_the_same_plan_gives_the_same_file(take: Path, tmp_path: Path) -> None:
    counts = {}
    for name, more in (("cautious", ["--cautious"]), ("most", ["--amount", "70"])):
        done = groove_inside("repair", take, tmp_path / f"{name}.wav", "--clicks-only", "--json", *more)
        report = json.loads(done.stdout)
        counts[name] = len(report["repairs"])
        (tmp_path / f"{name}.json").write_text(json.dumps({"restoration": report["steps"]}))
    assert counts["cautious"] <= counts["most"]
    done = groove_inside("repair", take, tmp_path / "again.wav", "--plan", tmp_path / "most.json")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "again.wav").read_bytes() == (tmp_path / "most.wav").read_bytes()


@pytest.mark.slow
def test_a_preset_does_more_than_mend(take: Path, tmp_path: Path) -> None:
    done = groove_inside("repair", take, tmp_path / "out.wav", "--preset", "LP-worn", "--json")
    assert done.returncode == 0, done.stderr
    steps = json.loads(done.stdout)["steps"]
    assert steps["rumble"]["below_hz"] == 30.0
    assert 15 <= steps["clicks"]["amount"] <= 55


@pytest.mark.slow
@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["{take}", "{take}"], "never written over"),
        (["{take}", "{out}.mp3"], "no format written here"),
        (["{take}", "{out}.wav", "--preset", "vinyl"], "there is no preset 'vinyl'"),
        (["{take}", "{out}.wav", "--plan", "{take}"], "no text"),
        (["{take}", "{out}.wav", "--plan", "{bad}"], "Extra inputs are not permitted"),
        (["{take}", "{out}.wav", "--plan", "{broken}"], "not JSON"),
        (["{bad}", "{out}.wav"], "not audio"),
        (["{float}", "{out}.flac"], "FLAC does not hold"),
        (["{take}", "{missing}/out.wav"], "missing"),
    ],
)
def test_what_cannot_be_done_is_refused_in_words(take: Path, tmp_path: Path, arguments: list[str], words: str) -> None:
    (tmp_path / "bad.json").write_text('{"clicks": {"amount": 20, "strength": 3}}')
    (tmp_path / "broken.json").write_text('{"clicks": ')
    soundfile.write(str(tmp_path / "float.wav"), np.zeros((4_000, 2)), RATE_HZ, subtype="FLOAT")
    places = {
        "take": take,
        "out": tmp_path / "out",
        "bad": tmp_path / "bad.json",
        "broken": tmp_path / "broken.json",
        "float": tmp_path / "float.wav",
        "missing": tmp_path / "missing",
    }
    before = take.read_bytes()
    done = groove_inside("repair", *(one.format(**places) for one in arguments))
    assert done.returncode == 1
    assert words in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert take.read_bytes() == before
    assert not list(tmp_path.glob("*.part"))
    assert not list(tmp_path.glob("out*"))


@pytest.mark.parametrize("subtype", ["PCM_U8", "PCM_24", "PCM_32", "FLOAT"])
def test_every_word_comes_back_as_itself(tmp_path: Path, subtype: str) -> None:
    sound = clicked().take.data[: 3 * RATE_HZ, :1] / 32768.0
    soundfile.write(str(tmp_path / "in.wav"), sound, RATE_HZ, subtype=subtype)
    done = groove_inside("repair", tmp_path / "in.wav", tmp_path / "out.wav", "--clicks-only", "--json")
    assert done.returncode == 0, done.stderr
    assert soundfile.info(str(tmp_path / "out.wav")).subtype == subtype
    before, after = (soundfile.read(str(tmp_path / name))[0] for name in ("in.wav", "out.wav"))
    inside = np.zeros(len(before), bool)
    for one in json.loads(done.stdout)["repairs"]:
        inside[one["start"] : one["start"] + one["length"]] = True
    assert np.array_equal(before[~inside], after[~inside])
    assert not np.array_equal(before, after)
