"""Writes the demo archive to a folder: recordings, sleeves, and the truth beside them."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import soundfile

from inkwell_groove.demo.carriers import CARRIERS, CARRIERS_FOLDER, write_carrier
from inkwell_groove.demo.catalogue import write_sources
from inkwell_groove.demo.discs import DISCS, DISCS_FOLDER, REGISTER_FILE, write_disc
from inkwell_groove.demo.imports import write_imports, write_reels
from inkwell_groove.demo.presence import VERSION_FILE, is_made, version
from inkwell_groove.demo.sides import LANTERNS, SideScript, make_side
from inkwell_groove.demo.sleeve import lanterns_cover

FULL_LENGTH_STRETCH = 7.0  # sides of about 20 minutes

RELEASE = {
    "album_artist": "Marrowby Silver Band",
    "title": "Lanterns on the Weir",
    "label": "Quayhead",
    "catalogue_number": "QHL 1107",
    "year": "1974",
    "format": "LP, 33 1/3",
}


def side_name(script: SideScript) -> str:
    return f"{script.shelfmark} side {script.letter}"


def make_archive(folder: Path, *, full_length: bool = False, say: Callable[[str], None] = lambda _: None) -> None:
    """Makes the archive in `folder`, unless it is there already in this version. Appears whole or not at all."""
    if is_made(folder, full_length=full_length):
        return
    folder.parent.mkdir(parents=True, exist_ok=True)
    beside = Path(tempfile.mkdtemp(prefix="archive-", dir=folder.parent))
    try:
        with ProcessPoolExecutor(min(2, os.cpu_count() or 1)) as pool:
            stretch = FULL_LENGTH_STRETCH if full_length else 1.0
            imports = [pool.submit(make, beside) for make in (write_imports, write_reels)]
            for name in pool.map(write_side, LANTERNS, [beside] * 2, [stretch] * 2):
                say(f"{name} recorded")
            (beside / CARRIERS_FOLDER).mkdir()
            for name in pool.map(write_carrier, CARRIERS, [beside / CARRIERS_FOLDER] * len(CARRIERS)):
                say(f"{name} laid beside the decks")
            (beside / DISCS_FOLDER).mkdir()
            register: dict[str, object] = {}
            for name, known in pool.map(write_disc, DISCS, [beside / DISCS_FOLDER] * len(DISCS)):
                register |= known
                say(f"{name} laid beside the disc drives")
            write_sources(beside, pool)
            say("catalogues written")
            for one in imports:
                say(f"{one.result().name} thrown together")
            (beside / REGISTER_FILE).write_text(json.dumps(register))
        (beside / "WH-0012 front.jpg").write_bytes(lanterns_cover())
        (beside / VERSION_FILE).write_text(version(full_length=full_length))
        shutil.rmtree(folder, ignore_errors=True)
        beside.rename(folder)
    except BaseException:
        shutil.rmtree(beside, ignore_errors=True)
        raise


def write_side(script: SideScript, folder: Path, stretch: float = 1.0) -> str:
    """One side as 24-bit FLAC, and its truth as JSON."""
    audio, truth = make_side(script, stretch=stretch)
    name = side_name(script)
    whole = np.rint(audio * 8388608.0).astype(np.int32) << 8
    soundfile.write(str(folder / f"{name}.flac"), whole, truth.rate_hz, subtype="PCM_24")
    (folder / f"{name}.truth.json").write_text(json.dumps(truth.as_json(), indent=1))
    return name
