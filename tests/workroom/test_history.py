"""How a server was doing is noted four times a minute, and shown so that what was worst is seen."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.workroom.history import MOST_SHOWN, Moment, thinned
from tests.live import Server
from tests.people import signed_in

NOON = datetime(2026, 12, 2, 12, tzinfo=UTC)


@st.composite
def moments(draw: st.DrawFn) -> list[Moment]:
    count = draw(st.integers(0, 600))
    seed = draw(st.integers(0, 2**16))
    return [
        Moment(
            at=NOON + timedelta(seconds=15 * number),
            waiting=None if (number * seed) % 7 == 3 else (number * seed) % 13,
            waits_s=float((number * seed) % 101),
            requests_per_min=float(number % 5),
            failures=(number * seed) % 2,
            answer_ms=None if number % 2 else float(number % 11),
            left_bytes=10_000 - number,
        )
        for number in range(count)
    ]


@given(moments())
def test_of_many_moments_what_was_worst_stays_to_be_seen(taken: list[Moment]) -> None:
    shown = thinned(taken)
    assert len(shown) <= MOST_SHOWN and (len(shown) > 0) == (len(taken) > 0)
    assert [one.at for one in shown] == sorted({one.at for one in shown})
    if not taken:
        return
    assert shown[-1].at == taken[-1].at
    known = [one.waiting for one in taken if one.waiting is not None]
    assert max((one.waiting for one in shown if one.waiting is not None), default=None) == max(known, default=None)
    assert max(one.waits_s or 0 for one in shown) == max(one.waits_s or 0 for one in taken)
    assert sum(one.failures for one in shown) == sum(one.failures for one in taken)
    assert min(one.left_bytes for one in shown) == min(one.left_bytes for one in taken)


def test_a_keeper_sees_how_the_server_is_and_which_jobs_failed(guarded: Server) -> None:
    seen = signed_in(guarded, "keeper").get("/operations", params={"hours": 1}).json()
    assert {one["name"] for one in seen["parts"]} == {"database", "tables", "search index", "jobs", "disk"}
    (first, *_) = seen["moments"]
    assert first["waiting"] == 0 and first["waits_s"] == 0 and first["left_bytes"] > 0
    assert seen["failed"] == []
    assert signed_in(guarded, "archivist").get("/operations").status_code == 403
