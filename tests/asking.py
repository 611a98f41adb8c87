"""Houses that are asked for whatever schemathesis makes up: one where nobody signs in, one where everybody must."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from launcher.database import Database
from tests.live import Server, new_schema
from tests.people import make_people, signed_in
from tests.sounds import record_side

FREE = "where nobody signs in"
WHO = (FREE, "keeper", "archivist", "reader", "nobody")


class Asking:
    """Who may ask: anybody where nobody signs in; elsewhere a script with a token of some role, or without one."""

    def __init__(self, free: Server, guarded: Server) -> None:
        self._free, self._guarded = free, guarded
        self._tokens = {role: _token(guarded, role) for role in ("reader", "archivist", "keeper")}

    def address_for(self, who: str) -> str:
        return (self._free if who == FREE else self._guarded).address

    def headers_for(self, who: str) -> dict[str, str]:
        return {"Authorization": f"Bearer {self._tokens[who]}"} if who in self._tokens else {}


@contextmanager
def two_houses(mariadb: Database, folder: Path) -> Iterator[Asking]:
    """Run both, each with a docket that has a take, and a folder of files; no carriers or discs are to be found."""
    nothing, heap = folder / "nothing", folder / "heap"
    nothing.mkdir()
    (heap / "files").mkdir(parents=True)
    record_side(folder / "side.wav")
    record_side(heap / "files" / "one.wav", tracks_s=(3.0,))
    roots = {name: str(nothing) for name in ("INKWELL_CARRIERS_ROOT", "INKWELL_DISCS_ROOT", "INKWELL_TARGETS_ROOT")}
    roots |= {"INKWELL_FILES_ROOT": str(heap), "INKWELL_FIXITY_DAYS": "0"}
    for name in ("free", "guarded"):
        (folder / name).mkdir()
    free = Server(new_schema(mariadb), folder / "free" / "media", **roots)
    guarded = Server(new_schema(mariadb), folder / "guarded" / "media", **roots, INKWELL_SIGN_IN="always")
    with free, guarded:
        make_people(guarded)
        guarded.api.headers["Authorization"] = f"Bearer {_token(guarded, 'keeper')}"
        for house in (free, guarded):
            docket = house.open_docket("WH-0990")
            house.upload(docket["id"], folder / "side.wav")
            house.post("/bundles", {"folder": "files", "in_place": False})
        for house in (free, guarded):
            house.wait_for_jobs()
        yield Asking(free, guarded)


def _token(house: Server, role: str) -> str:
    wanted = {"purpose": "any input", "role": role, "days": 1}
    answer = signed_in(house, role).post("/session/tokens", json=wanted)
    assert answer.status_code == 201, answer.text
    return str(answer.json()["token"])
