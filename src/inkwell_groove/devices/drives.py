"""The optical drives of this machine, all simulated, and the discs that lie beside them.

A disc is an image in a folder: its cue sheet, the files of that, and where it is scratched, `NAME.damage.json`. Which
disc is in which drive is kept in memory: after a restart all drives are empty. A disc can be wiped while it is out.
"""

from __future__ import annotations

import threading
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

from pydantic import BaseModel, ConfigDict, TypeAdapter

from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.core.errors import Conflict, Missing
from inkwell_groove.devices.optical import Bad, DriveProfile, SimulatedDrive

_DAMAGE = TypeAdapter(tuple[Bad, ...])
_WHOLE_DISC = 400_000  # more frames than any disc has


@dataclass(frozen=True)
class DriveKind:
    """A drive as it was bought. `slips` is the share of frames it gets wrong at any reading of any disc."""

    id: str
    name: str
    profile: DriveProfile
    slips: float = 0.0
    has_offset: bool = True


KINDS = (
    DriveKind(
        "drive-1",
        "Disc drive 1",
        DriveProfile(name="Disc drive 1", read_offset=47, cache_frames=600, speed=24, seed=1),
    ),
    DriveKind(
        "drive-2",
        "Disc drive 2",
        DriveProfile(
            name="Disc drive 2",
            read_offset=-613,
            hidden_opening="silent",
            over_reads=False,
            cache_frames=850,
            jitter=0.1,
            sub_channel_errors=0.05,
            speed=16,
            seed=2,
        ),
        slips=0.002,
    ),
    DriveKind("image", "Disc images", DriveProfile(name="Disc image"), has_offset=False),
)


class DiscBeside(BaseModel):
    """A disc that can be put in."""

    model_config = ConfigDict(frozen=True)

    name: str
    scratched: bool
    wiped: bool
    in_drive: str | None


class DriveOrder(BaseModel):
    """All that another process needs to use a drive as it is now."""

    model_config = ConfigDict(frozen=True)

    drive_id: str
    image: str
    profile: DriveProfile

    def open(self) -> SimulatedDrive:
        """Raises Refused where the image cannot be understood."""
        return SimulatedDrive(DiscImage(Path(self.image)), self.profile, drive_id=self.drive_id)


@dataclass
class _Slot:
    kind: DriveKind
    disc: str | None = None
    toc: Toc | None = field(default=None, repr=False)


class OpticalDrives:
    """`speed` is how much faster than real the simulated drives run. Not every machine has drives of its own."""

    def __init__(self, discs: Path, *, speed: float = 1.0, has_own: bool = True) -> None:
        self._folder, self._speed = discs, speed
        self._slots = {kind.id: _Slot(kind) for kind in KINDS if has_own}
        self._wiped: set[str] = set()
        self._lock = threading.Lock()

    def drives(self) -> list[tuple[DriveKind, str | None, Toc | None]]:
        """Each drive, the disc in it, and that disc's table of contents."""
        with self._lock:
            return [(slot.kind, slot.disc, slot.toc) for slot in self._slots.values()]

    def kind(self, drive_id: str) -> DriveKind:
        """Raises Missing."""
        return self._slot(drive_id).kind

    def discs(self) -> list[DiscBeside]:
        where = {slot.disc: slot.kind.id for slot in self._slots.values() if slot.disc}
        sheets = sorted(self._folder.glob("*.cue")) if self._slots and self._folder.is_dir() else []
        return [
            DiscBeside(
                name=sheet.stem,
                scratched=self._damage(sheet.stem) != (),
                wiped=sheet.stem in self._wiped,
                in_drive=where.get(sheet.stem),
            )
            for sheet in sheets
        ]

    def put_in(self, drive_id: str, disc: str) -> Toc:
        """Raises Missing, Conflict where the drive is not empty or the disc is elsewhere, Refused for a bad image."""
        slot = self._slot(drive_id)
        beside = self._disc(disc)
        with self._lock:
            if slot.disc is not None:
                raise Conflict(f"{slot.disc} is in it", where=slot.kind.name, remedy="Take that out first")
            if beside.in_drive is not None:
                where = self._slots[beside.in_drive].kind.name
                raise Conflict(f"{disc} is in {where}", where=slot.kind.name, remedy="Take it out there first")
            slot.disc = disc
        try:
            with closing(self.order(drive_id).open()) as drive:
                toc = drive.toc()
        except BaseException:
            slot.disc = None
            raise
        slot.toc = toc
        return toc

    def take_out(self, drive_id: str) -> None:
        """Raises Missing. Of an empty drive nothing is taken."""
        slot = self._slot(drive_id)
        with self._lock:
            slot.disc = slot.toc = None

    def wipe(self, disc: str) -> None:
        """Raises Missing, or Conflict while it is in a drive."""
        beside = self._disc(disc)
        if beside.in_drive is not None:
            raise Conflict(f"{disc} is in a drive", where=disc, remedy="Take it out first")
        self._wiped.add(disc)

    def order(self, drive_id: str) -> DriveOrder:
        """Raises Missing, or Conflict where no disc is in it."""
        slot = self._slot(drive_id)
        if slot.disc is None:
            raise Conflict("there is no disc in it", where=slot.kind.name, remedy="Put the disc in")
        damage = () if slot.disc in self._wiped or not slot.kind.has_offset else self._damage(slot.disc)
        slips = (Bad(first=0, last=_WHOLE_DISC, rate=slot.kind.slips),) if slot.kind.slips else ()
        profile = slot.kind.profile
        changed = {"bad": (*damage, *slips), "speed": profile.speed * self._speed}
        return DriveOrder(
            drive_id=drive_id,
            image=str(self._folder / f"{slot.disc}.cue"),
            profile=profile.model_copy(update=changed),
        )

    def _damage(self, disc: str) -> tuple[Bad, ...]:
        path = self._folder / f"{disc}.damage.json"
        return _DAMAGE.validate_json(path.read_bytes()) if path.is_file() else ()

    def _disc(self, name: str) -> DiscBeside:
        """By its name among those that are there: no path comes from outside."""
        found = next((one for one in self.discs() if one.name == name), None)
        if found is None:
            raise Missing(
                f"there is no disc '{name}'", where=str(self._folder), remedy="Put its image into that folder"
            )
        return found

    def _slot(self, drive_id: str) -> _Slot:
        slot = self._slots.get(drive_id)
        if slot is None:
            raise Missing(f"there is no drive '{drive_id}'", remedy="Choose one of those offered")
        return slot
