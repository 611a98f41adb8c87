"""The reading log: what it says, that any change shows, and what it proves."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.disc import log
from inkwell_groove.core.disc.drive import DriveFacts
from inkwell_groove.core.disc.record import DiscRecord, TrackRead, grade
from inkwell_groove.core.disc.toc import Toc, TocTrack
from inkwell_groove.core.disc.witnesses import CountedSum, Known, Pressing, Register, Witness, compare
from inkwell_groove.core.errors import Refused

TOC = Toc(tracks=(TocTrack(number=1, start=0), TocTrack(number=2, start=100, pregap_start=90)), lead_out=200)
AGREES = Witness(answer="agrees", reads=4, of=5, whole=True)


def track(number: int, *, disputed: tuple[int, ...] = (), witness: Witness = AGREES, once: bool = False) -> TrackRead:
    return TrackRead(
        number=number,
        first_frame=100 * (number - 1),
        end_frame=100 * number,
        first_crc32="0" * 8,
        second_crc32=None if once else "0" * 8,
        crc32="0" * 8,
        sha256="0" * 64,
        peak=30_000,
        settled=(7,),
        disputed=disputed,
        rereads=3,
        silent_share=0.25,
        gap_after_silent_share=0.5 if number == 1 else None,
        witness_sum="0" * 16,
        whole_sum="0" * 16,
        witness=witness,
    )


def record(*tracks: TrackRead, register: Register | None = None, offset: str = "the register") -> DiscRecord:
    return DiscRecord(
        application="1.0",
        read_at="2026-11-25T12:00:00+00:00",
        read_by="A. Archivist",
        offset_samples=47,
        drive=DriveFacts(id="good", name="Good drive", over_reads=True),
        offset_from=offset,
        twice=True,
        toc=TOC,
        asked=register or Register(name="register", known=Known()),
        tracks=tracks,
    )


PROVEN = [record(track(1), track(2))]
WIPED = [record(track(1), track(2, disputed=(150, 151))), record(track(2))]


@pytest.mark.parametrize("render", [log.render, log.render_json])
def test_an_unaltered_log_says_what_it_proves(render: object) -> None:
    assert callable(render)
    found = log.check(render(PROVEN).encode())
    assert found.unaltered and found.sections == 1 and found.verdict == "full proof"
    found = log.check(render(WIPED).encode())
    assert found.unaltered and found.sections == 2 and found.verdict == "full proof"
    assert log.check(render(WIPED[:1]).encode()).verdict == "damaged"


def test_a_later_section_leaves_what_was_there_as_it_was() -> None:
    before, after = log.render(WIPED[:1]), log.render(WIPED)
    assert after.startswith(before)
    first = json.loads(log.render_json(WIPED[:1]))["sections"]
    assert json.loads(log.render_json(WIPED))["sections"][:1] == first
    assert "Section 2: read again, track 02" in after


@given(st.data())
def test_any_byte_that_is_changed_shows(data: st.DataObject) -> None:
    written = bytearray(log.render(WIPED).encode())
    at = data.draw(st.integers(30, len(written) - 1))
    value = data.draw(st.integers(0, 255).filter(lambda one: one != written[at]))
    written[at] = value
    found = log.check(bytes(written))
    # A changed line end at the very end is no change of what is said.
    assert not found.unaltered or (at == len(written) - 1 and chr(value).isspace())


@given(st.data())
def test_any_value_that_is_changed_in_json_shows(data: st.DataObject) -> None:
    document = json.loads(log.render_json(WIPED))
    section = document["sections"][data.draw(st.integers(0, 1))]
    name = data.draw(st.sampled_from(["read_by", "read_at", "application", "offset_samples"]))
    section[name] = 48 if name == "offset_samples" else section[name] + " "
    assert not log.check(json.dumps(document).encode()).unaltered


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        (lambda text: text[: text.rindex("closed")], "changed|no closing line"),
        (lambda text: text + "and all is well\n", "below the last closing line"),
        (lambda text: text.replace("Grade      damaged", "Grade      full proof"), "changed"),
    ],
)
def test_a_log_that_was_cut_or_added_to_proves_nothing(change: object, reason: str) -> None:
    import re

    assert callable(change)
    found = log.check(change(log.render(WIPED[:1])).encode())
    assert not found.unaltered and re.search(reason, found.reasons[0])


@pytest.mark.parametrize("data", [b"", b"Dear Sir", b"{}", b'{"sections": 3}', b'{"sections": []}', b"{\xff", b"[1]"])
def test_what_is_no_log_is_refused(data: bytes) -> None:
    with pytest.raises(Refused, match=r"not a reading log|no section"):
        log.check(data)


def test_the_log_lists_what_a_person_asks_for() -> None:
    text = log.render([record(track(1, disputed=tuple(range(10, 80))), track(2, witness=Witness(answer="unknown")))])
    for part in (
        "offset +47 samples (the register)",
        "00:02:00",
        "gap before",
        "sound in it, 50.0% of 10 frames silent",
        "peak 91.55 %",
        "70 frames could not be read, from 00:02:10",
        "and 30 more",
        "not in the register",
        TOC.digest,
    ):
        assert part in text, part


@pytest.mark.parametrize(
    ("records", "name", "reason"),
    [
        (PROVEN, "full proof", "as others have read it"),
        ([record(track(1))], "not complete", "track 2 not read yet"),
        ([record(track(1), track(2, witness=Witness(answer="unknown")))], "good evidence", "without a witness"),
        ([record(track(1), track(2, once=True))], "gaps in the evidence", "read only once"),
        ([record(track(1), track(2, witness=Witness(answer="disagrees", of=9)))], "gaps in the evidence", "everybody"),
        ([record(track(1), track(2, disputed=(1,)))], "damaged", "could not be read"),
        (
            [record(track(1, witness=Witness()), track(2, witness=Witness()), register=Register(trouble="it is down"))],
            "gaps in the evidence",
            "gave no answer: it is down",
        ),
        (
            [record(track(1, witness=Witness()), track(2, witness=Witness()), offset="assumed")],
            "gaps in the evidence",
            "offset is not known",
        ),
    ],
)
def test_a_grade_says_what_would_have_to_be_different(records: list[DiscRecord], name: str, reason: str) -> None:
    found = grade(records)
    assert found.name == name
    assert any(reason in one for one in found.reasons), found.reasons


def counted(value: str, reads: int) -> CountedSum:
    return CountedSum(sum=value * 16, reads=reads, wholes={value * 16: reads})


def test_witnesses_are_counted_by_pressing() -> None:
    known = Known(
        pressings=(
            Pressing(reads=9, tracks={1: (counted("a", 8), counted("b", 1)), 2: (counted("c", 9),)}),
            Pressing(reads=3, tracks={1: (counted("d", 3),), 2: (counted("e", 3),)}),
        )
    )

    def asked(**sums: str) -> dict[int, str]:
        found = compare(
            known, {int(k[1:]): v * 16 for k, v in sums.items()}, {int(k[1:]): v * 16 for k, v in sums.items()}
        )
        return {number: one.words() for number, one in found.items()}

    assert asked(t1="a", t2="c") == {1: "agrees with 8 of 9 earlier reads", 2: "agrees with 9 of 9 earlier reads"}
    assert asked(t1="d", t2="e")[1] == "agrees with 3 of 3 earlier reads"
    assert asked(t1="a", t2="e")[2] == "agrees with 3 of 3 reads of another pressing"
    assert asked(t1="f", t2="c", t3="a") == {
        1: "disagrees with all 12 earlier reads",
        2: "agrees with 9 of 9 earlier reads",
        3: "not in the register",
    }


@pytest.mark.parametrize(
    "lie",
    [
        {"reads": 3, "tracks": {"1": [{"sum": "a" * 16, "reads": 4}]}},
        {"reads": 3, "tracks": {"1": [{"sum": "a" * 16, "reads": 1}, {"sum": "a" * 16, "reads": 1}]}},
        {"reads": 3, "tracks": {"100": [{"sum": "a" * 16, "reads": 1}]}},
        {"reads": 3, "tracks": {"1": [{"sum": "A" * 16, "reads": 1}]}},
        {"reads": 0, "tracks": {}},
        {"reads": 60, "tracks": {"1": [{"sum": f"{n:016x}", "reads": 1} for n in range(51)]}},
    ],
)
def test_an_answer_that_cannot_be_true_is_not_believed(lie: dict[str, object]) -> None:
    with pytest.raises(ValueError, match="validation error"):
        Known.model_validate({"pressings": [lie]})
