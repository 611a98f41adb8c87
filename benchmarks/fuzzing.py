"""Everything that parses what others made, under a fuzzer that follows coverage: `python -m benchmarks.fuzzing`.

    python -m benchmarks.fuzzing --seconds 600            every target, ten minutes each
    python -m benchmarks.fuzzing cue zip --seconds 60     some of them

Needs the package atheris (libFuzzer for Python), which is no dependency of the application. Each target runs in a
process of its own with 500 MB of memory and 5 s for each input. An input is taken in, or refused with an InkwellError;
anything else is a fault, and is left in the folder that is named. What was found is kept in `tests/hostile/`.
"""

from __future__ import annotations

import argparse
import io
import subprocess
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from inkwell_groove.core.errors import InkwellError

_FILES = {"wav": ".wav", "aiff": ".aiff", "flac": ".flac", "mp3": ".mp3", "mp4": ".m4a", "ogg": ".opus"}
TARGETS = (*_FILES, "cue", "cdtext", "xlsx", "csv", "playlist", "picture", "zip", "plan", "parcel")
_METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)
_INSTRUMENTED = ["inkwell_groove", "mutagen", "openpyxl"]
_MEMORY_MB, _INPUT_S, _LONGEST = 500, 5, 1 << 16
_PARCEL = """{"kind": "docket of Inkwell Groove", "version": 1, "shelfmark": "A-1", "folder_pattern": "",
"file_pattern": "", "profile": null, "created_at": "2026-01-01T00:00:00Z",
"carriers": [{"number": 1, "carrier_format": "LP", "sides": [{"letter": "A", "takes": [],
"versions": [{"id": 1, "parent_id": null}], "plan_version_id": 1, "chosen_take": null}]}],
"fields": [], "artwork": [], "ledger": []}"""
Reader = Callable[[bytes], object]


def reader_of(target: str, folder: Path) -> Reader:
    """Return the function that reads one input of a target, as the application does."""
    from inkwell_groove.core import archives, cuesheet
    from inkwell_groove.core.artwork import examine
    from inkwell_groove.core.audio.probe import probe
    from inkwell_groove.core.disc import cdtext
    from inkwell_groove.core.files.audio_bytes import digests
    from inkwell_groove.core.files.moving import corrected_cue, corrected_playlist
    from inkwell_groove.core.files.reading import read_file, read_pictures
    from inkwell_groove.core.files.spreadsheet import from_csv, from_xlsx
    from inkwell_groove.core.planning.plan import Plan
    from inkwell_groove.workroom.packages.parcel import DOCUMENT, read_parcel

    def as_file(suffix: str, *reads: Callable[[Path], object]) -> Reader:
        path = folder / f"input{suffix}"

        def read(data: bytes) -> None:
            path.write_bytes(data)
            for one in reads:
                try:
                    one(path)
                except InkwellError:
                    continue

        return read

    def unpack(data: bytes) -> None:
        with archives.opened(io.BytesIO(data), where="x", remedy="y") as archive:
            parts = archives.parts_of(archive, where="x", most_parts=99, most_bytes=1 << 24, packed_bytes=len(data))
            for part in parts:
                archives.read(archive, part)

    def plan(data: bytes) -> None:
        try:
            Plan.model_validate_json(data)
        except ValueError as refusal:
            if isinstance(refusal, InkwellError) or type(refusal).__name__ == "ValidationError":
                return
            raise

    def parcel(data: bytes) -> None:
        path = folder / "parcel.zip"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr(DOCUMENT, data)
        read_parcel(path, max_bytes=1 << 24)

    def playlist(data: bytes) -> None:
        for correct in (corrected_playlist, corrected_cue):
            correct(data.decode("utf-8", "surrogateescape"), {"A/one.flac": "B/two.flac"}, "A", "B")

    tags = (read_file, read_pictures, digests)
    if target in _FILES:
        return as_file(_FILES[target], probe, *tags)
    return {
        "cue": cuesheet.parse,
        "cdtext": cdtext.parse,
        "xlsx": from_xlsx,
        "csv": from_csv,
        "playlist": playlist,
        "picture": lambda data: examine(data, name="x"),
        "zip": unpack,
        "plan": plan,
        "parcel": parcel,
    }[target]


def seeds_of(target: str) -> list[bytes]:
    """Return inputs to begin with: small ones that are whole."""
    from tests.core.files.samples import picture, write_sample

    if target in _FILES:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"a{_FILES[target]}"
            seeds = [write_sample(path, "aac.m4a" if target == "mp4" else path.name, seconds=0.1).read_bytes()]
            if target == "wav":
                soundfile.write(path, np.zeros((99, 2)), 44_100, format="RF64")
                seeds.append(path.read_bytes())
            return seeds
    if target == "cue":
        return [b'TITLE "A"\r\nFILE "a.wav" WAVE\r\n  TRACK 01 AUDIO\r\n    INDEX 01 00:00:00\r\n']
    if target == "playlist":
        return [b"#EXTM3U\r\n#EXTINF:12,A\r\none.flac\r\n", b'FILE "one.flac" WAVE\r\n']
    if target == "csv":
        return [b"file,title\r\none.flac,A\r\n", "file;title\nzwei.flac;Ä\n".encode("utf-16")]
    if target == "xlsx":
        from inkwell_groove.core.files.spreadsheet import to_xlsx

        return [to_xlsx(["title"], [("one.flac", {"title": "A"})])]
    if target == "picture":
        return [picture(8, 8)]
    if target == "zip":
        return [_zipped(method) for method in _METHODS]
    if target == "cdtext":
        from inkwell_groove.core.disc.cdtext import DiscText, render

        return [render(DiscText(), 2), np.arange(18, dtype=np.uint8).tobytes()]
    if target == "parcel":
        return [_PARCEL.encode()]
    return [b'{"tracks": []}']


def _zipped(method: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        archive.writestr("a/one.txt", b"text " * 20)
    return out.getvalue()


def fuzz(target: str, folder: Path, seconds: int) -> None:
    """Run in a process of its own; libFuzzer ends it."""
    import atheris

    with atheris.instrument_imports(include=_INSTRUMENTED, enable_loader_override=False):
        read = reader_of(target, folder)

    def one_input(data: bytes) -> None:
        try:
            read(data)
        except InkwellError:
            return

    corpus = folder / "corpus"
    corpus.mkdir()
    for number, seed in enumerate(seeds_of(target)):
        (corpus / f"seed {number}").write_bytes(seed)
    options = [
        f"-max_total_time={seconds}",
        f"-timeout={_INPUT_S}",
        f"-rss_limit_mb={_MEMORY_MB + 400}",  # the interpreter and its libraries take the rest
        f"-max_len={_LONGEST}",
        f"-artifact_prefix={folder}/found-",
        "-print_final_stats=1",
    ]
    atheris.Setup([sys.argv[0], *options, str(corpus)], one_input)
    atheris.Fuzz()


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m benchmarks.fuzzing")
    parser.add_argument("targets", nargs="*", help=f"of {', '.join(TARGETS)}; without any, all")
    parser.add_argument("--seconds", type=int, default=600)
    parser.add_argument("--alone", type=Path, help=argparse.SUPPRESS)
    asked = parser.parse_args()
    if asked.alone is not None:
        fuzz(asked.targets[0], asked.alone, asked.seconds)
        return 0
    failed = []
    for target in asked.targets or TARGETS:
        folder = Path(tempfile.mkdtemp(prefix=f"fuzzing-{target}-"))
        began = time.monotonic()
        command = [sys.executable, "-m", "benchmarks.fuzzing", target]
        command += ["--seconds", str(asked.seconds), "--alone", str(folder)]
        done = subprocess.run(command, capture_output=True, text=True, errors="replace", check=False)
        lines = done.stderr.splitlines()
        inputs = next((line.split()[-1] for line in lines if "number_of_executed_units" in line), "?")
        print(f"{target:10} {inputs:>9} inputs in {time.monotonic() - began:4.0f} s: ", end="")
        if done.returncode:
            failed.append(target)
            print(f"FAULT, look into {folder}\n{(done.stdout + done.stderr)[-2500:]}", flush=True)
        else:
            print("none is a fault", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
