"""The three simulated sources in threads of this process, with the demo's catalogue and more."""

from __future__ import annotations

import json
import threading
import time
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import uvicorn
from fastapi import FastAPI

from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.demo.catalogue import PICTURES_FOLDER, Elsewhere, drawn, printed_elsewhere, starts_of
from inkwell_groove.demo.discs import DiscScript
from inkwell_groove.demo.holdings import MERIDIAN, holdings
from inkwell_groove.standins.sources import make_apps
from launcher.processes import free_port
from tests.patience import PATIENCE_S
from tests.plain import PLAIN

NAMES = ("meridian", "union", "tern")


def write_catalogue(folder: Path, carriers: Path, disc: DiscScript) -> None:
    """Write the demo's catalogue with a single's sound, a disc's contents and a single full of conflicts."""
    (folder / PICTURES_FOLDER).mkdir(parents=True)
    held: dict[str, list[SourceRelease]] = holdings()
    held["meridian"] = [
        drawn(one, folder / PICTURES_FOLDER) if "lanterns" in one.id else one for one in held["meridian"]
    ]
    held["union"] = [_in_conflict(one) if one.id == "US-slack-water" else one for one in held["union"]]
    held["meridian"].append(_of_disc(disc, "MD-disc", f"MD{disc.name}"))
    held["tern"].append(
        _of_disc(disc, "TS-disc", disc.title).model_copy(update={"links": (f"{MERIDIAN}/releases/MD-disc",)})
    )
    sounds = [
        Elsewhere(carriers / f"WH-0031 {letter}.flac", 2 * 48_000, 40 * 48_000, 1.0, (("TS-slack-water", place),))
        for place, letter in enumerate("AB")
    ]
    np.savez(folder / "sounds.npz", **{str(place): printed_elsewhere(one) for place, one in enumerate(sounds)})
    told = {
        **{name: [one.model_dump(mode="json", exclude_defaults=True) for one in held[name]] for name in NAMES},
        "discs": {"TS-disc/1": starts_of(disc)},
        "recordings": [{"on": one.on} for one in sounds],
    }
    (folder / "holdings.json").write_text(json.dumps(told))


def _of_disc(script: DiscScript, name: str, title: str) -> SourceRelease:
    tracks = tuple(
        ReleaseTrack(position=str(place), title=f"{tune.title} ({title})", duration_s=tune.duration_s)
        for place, tune in enumerate(script.tunes, 1)
    )
    return SourceRelease(
        source="",
        id=name,
        address=name,
        title=script.title,
        credits=(Credit(name=script.performer),),
        labels=("Test Label",),
        catalogue_numbers=("TST 1",),
        country="GB",
        date="2026",
        media=(Medium(format="CD", tracks=tracks),),
    )


def _in_conflict(one: SourceRelease) -> SourceRelease:
    """Return the library's record of the single, which differs from the discography's in every field."""
    (first, second) = one.media
    track = first.tracks[0].model_copy(
        update={
            "title": "Släck Water",  # other accents
            "credits": (
                Credit(name="The Tollgate Sisters"),
                Credit(name="Maren Pellow", role="performer", instrument="guitar"),
                Credit(name="Ada Ferriby", role="composer", sort_name="Ferriby, Ada"),
            ),
        }
    )
    return one.model_copy(
        update={
            "title": "Slack Water / Paper oars",  # other capitals
            "date": "1969",  # another year
            "genres": ("song", "close harmony"),  # a longer list
            "country": "IE",  # a plain contradiction
            "labels": ("Quayhead Records",),  # more of the same
            "media": (first.model_copy(update={"tracks": (track,)}), second),
        }
    )


class RunningSources:
    """The three sources, each on its own port."""

    def __init__(self, folder: Path) -> None:
        self._http = httpx.Client(verify=PLAIN)
        self.ports = dict(zip(NAMES, (free_port(), free_port(), free_port()), strict=True))
        apps = make_apps(folder, meridian_at=self.address("meridian"))
        self._servers = [_serve(app, port) for app, port in zip(apps, self.ports.values(), strict=True)]

    def address(self, name: str) -> str:
        return f"http://127.0.0.1:{self.ports[name]}"

    @property
    def settings(self) -> dict[str, str]:
        return {
            "INKWELL_MERIDIAN": self.address("meridian"),
            "INKWELL_UNION_SHELF": self.address("union"),
            "INKWELL_TERN": self.address("tern"),
            "INKWELL_SOURCE_TIMEOUT_S": "5",
        }

    def trouble(self, name: str, kind: str, seconds: float = 30.0, for_requests: int = 0) -> None:
        body = {"kind": kind, "seconds": seconds, "for_requests": for_requests}
        self._http.put(f"{self.address(name)}/trouble", json=body).raise_for_status()

    def asked(self, name: str) -> int:
        return int(self._http.get(f"{self.address(name)}/asked").json())

    def well(self) -> None:
        for name in NAMES:
            self.trouble(name, "none")

    def stop(self) -> None:
        self._http.close()
        for server, thread in self._servers:
            server.should_exit = True
            thread.join(PATIENCE_S)


def _serve(app: FastAPI, port: int) -> tuple[Any, threading.Thread]:
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    return server, thread
