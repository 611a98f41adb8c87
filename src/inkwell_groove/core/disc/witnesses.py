"""What a witness register's answer says of a read: who else read the same, and on which pressing.

A register keeps, for each disc digest, the reads it was told of, sorted into pressings: copies whose audio differs,
though their tables of contents do not. It answers with sums and counts; the comparing is done here, before anything is
submitted, so that a register cannot say back what it was told.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

Answer = Literal[
    "agrees", "agrees with another pressing", "agrees beside its place", "disagrees", "unknown", "not asked"
]
_MOST_SUMS = 50
HexSum = Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]


class CountedSum(BaseModel):
    """A sum of a track's window, how many reads gave it, and those of the whole track with it, each with its reads.

    The two differ only for tracks at the disc's ends, whose outermost samples not every drive can read.
    """

    model_config = ConfigDict(frozen=True)

    sum: HexSum
    reads: int = Field(ge=1, le=1_000_000)
    wholes: dict[HexSum, int] = Field(default={}, max_length=_MOST_SUMS)


class Pressing(BaseModel):
    """The reads of one pressing; `tracks` has the different sums of each track, 0 being the hidden opening."""

    model_config = ConfigDict(frozen=True)

    reads: int = Field(ge=1, le=1_000_000)
    tracks: dict[int, tuple[CountedSum, ...]]

    @model_validator(mode="after")
    def _adds_up(self) -> Pressing:
        """Raises ValueError for an answer that cannot be true: it is not believed as a whole."""
        for number, sums in self.tracks.items():
            if not 0 <= number <= 99:
                raise ValueError(f"there is no track {number}")
            if len(sums) > _MOST_SUMS or len({one.sum for one in sums}) != len(sums):
                raise ValueError(f"track {number} has {len(sums)} sums, some twice or too many")
            if sum(one.reads for one in sums) > self.reads:
                raise ValueError(f"track {number} has more reads than the pressing's {self.reads}")
        return self


class Known(BaseModel):
    """What a register knows of a disc; no pressing where it knows nothing."""

    model_config = ConfigDict(frozen=True)

    pressings: tuple[Pressing, ...] = Field(default=(), max_length=100)


class Register(BaseModel):
    """How asking the register went: without an answer `trouble` says why."""

    model_config = ConfigDict(frozen=True)

    name: str = ""
    known: Known | None = None
    trouble: str = ""


class Witness(BaseModel):
    """What others' reads say of one track."""

    model_config = ConfigDict(frozen=True)

    answer: Answer = "not asked"
    reads: int = Field(default=0, description="How many earlier reads gave the same.")
    of: int = Field(default=0, description="How many there are of that pressing's track.")
    whole: bool = Field(default=False, description="Whether that goes for every sample, those at a disc's ends too.")
    beside_samples: int = Field(default=0, description="By how many samples the same audio lies later there.")

    @property
    def confirms(self) -> bool:
        return self.answer in ("agrees", "agrees with another pressing")

    def words(self) -> str:
        match self.answer:
            case "agrees":
                return f"agrees with {self.reads} of {self.of} earlier reads"
            case "agrees with another pressing":
                return f"agrees with {self.reads} of {self.of} reads of another pressing"
            case "agrees beside its place":
                way = "later" if self.beside_samples > 0 else "earlier"
                return f"{self.reads} of {self.of} reads have the same {abs(self.beside_samples)} samples {way}"
            case "disagrees":
                return f"disagrees with all {self.of} earlier reads"
            case "unknown":
                return "not in the register"
            case "not asked":
                return "the register was not asked"


def sum_text(value: int) -> str:
    """A witness sum as it is written: 16 hexadecimal digits."""
    return f"{value:016x}"


def compare(known: Known, sums: dict[int, str], wholes: dict[int, str]) -> dict[int, Witness]:
    """What a register's answer says of each of these tracks, by the sums of their windows and of all their samples.

    The disc's own pressing is the one with which most tracks agree, the one more often read where several do.
    """
    ranked = sorted(known.pressings, key=lambda one: (_matches(one, sums), one.reads), reverse=True)
    found = {}
    for number, value in sums.items():
        with_track = [one for one in ranked if one.tracks.get(number)]
        if not with_track:
            found[number] = Witness(answer="unknown")
            continue
        found[number] = Witness(answer="disagrees", of=sum(_reads(one, number) for one in with_track))
        for pressing in with_track:
            same = next((one for one in pressing.tracks[number] if one.sum == value), None)
            if same is not None:
                answer: Answer = "agrees" if pressing is ranked[0] else "agrees with another pressing"
                whole = same.wholes.get(wholes.get(number, ""), 0) > 0
                found[number] = Witness(answer=answer, reads=same.reads, of=_reads(pressing, number), whole=whole)
                break
    return found


def wanted_sums(known: Known, number: int) -> dict[int, tuple[int, int]]:
    """Every sum a register has of a track: (reads that gave it, reads of that pressing's track)."""
    found: dict[int, tuple[int, int]] = {}
    for pressing in known.pressings:
        for one in pressing.tracks.get(number, ()):
            reads = one.reads, _reads(pressing, number)
            found[int(one.sum, 16)] = max(found.get(int(one.sum, 16), (0, 0)), reads)
    return found


def _matches(pressing: Pressing, sums: dict[int, str]) -> int:
    return sum(any(one.sum == value for one in pressing.tracks.get(number, ())) for number, value in sums.items())


def _reads(pressing: Pressing, number: int) -> int:
    return sum(one.reads for one in pressing.tracks.get(number, ()))
