"""Patience, and its end: timeouts, tries, Retry-After, kept answers, and stopping."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta

import pytest

from inkwell_groove.catalogues.patient import Kept, Patient, SourceTrouble
from inkwell_groove.core.errors import Cancelled
from tests.sources import RunningSources


class Memory:
    """A cache that lasts as long as a test."""

    def __init__(self) -> None:
        self.kept: dict[tuple[str, str], Kept] = {}

    def get(self, source: str, key: str) -> Kept | None:
        return self.kept.get((source, key))

    def put(self, source: str, key: str, body: bytes) -> None:
        self.kept[source, key] = Kept(body, datetime.now(UTC))

    def age(self, by: timedelta) -> None:
        self.kept = {key: Kept(one.body, one.fetched_at - by) for key, one in self.kept.items()}


OPENED: list[Patient] = []


@pytest.fixture(autouse=True)
def well(sources: RunningSources) -> Iterator[None]:
    """Every source well before, and every line hung up after."""
    sources.well()
    yield
    while OPENED:
        OPENED.pop().close()


def opened(patient: Patient) -> Patient:
    OPENED.append(patient)
    return patient


def line(
    sources: RunningSources,
    cache: Memory | None = None,
    *,
    anew: bool = False,
    cancelled: threading.Event | None = None,
    timeout_s: float = 5.0,
) -> Patient:
    return opened(
        Patient(
            "Meridian Discography",
            sources.address("meridian"),
            cache=cache or Memory(),
            timeout_s=timeout_s,
            cancelled=cancelled or threading.Event(),
            anew=anew,
        )
    )


QUESTION = ("/releases", {"number": "QHL 1107"})


def test_an_answer_is_kept_and_not_asked_for_twice_unless_it_is_wanted_anew(sources: RunningSources) -> None:
    cache = Memory()
    first = line(sources, cache).get(*QUESTION)
    asked = sources.asked("meridian")
    again = line(sources, cache)
    assert again.get(*QUESTION) == first
    assert again.oldest is not None
    assert sources.asked("meridian") == asked
    line(sources, cache, anew=True).get(*QUESTION)
    assert sources.asked("meridian") == asked + 1


def test_an_old_answer_is_asked_for_again_but_better_than_none(sources: RunningSources) -> None:
    cache = Memory()
    first = line(sources, cache).get(*QUESTION)
    cache.age(timedelta(days=31))
    asked = sources.asked("meridian")
    line(sources, cache).get(*QUESTION)
    assert sources.asked("meridian") == asked + 1
    cache.age(timedelta(days=31))
    sources.trouble("meridian", "down")
    patient = line(sources, cache)
    assert patient.get(*QUESTION) == first
    assert patient.notes == ["it is out of order (status 503)"]


def test_a_source_that_is_down_for_a_moment_is_tried_again(sources: RunningSources) -> None:
    sources.trouble("meridian", "down", for_requests=2)
    assert line(sources).get(*QUESTION)


def test_one_that_stays_down_is_given_up_after_three_tries(sources: RunningSources) -> None:
    sources.trouble("meridian", "down")
    asked = sources.asked("meridian")
    with pytest.raises(SourceTrouble, match="out of order"):
        line(sources).get(*QUESTION)
    assert sources.asked("meridian") == asked + 3


def test_a_busy_one_is_asked_again_when_it_says(sources: RunningSources) -> None:
    sources.trouble("meridian", "busy", seconds=0.4, for_requests=1)
    began = time.monotonic()
    assert line(sources).get(*QUESTION)
    assert time.monotonic() - began >= 0.4, "it was asked before it wanted to be"


def test_one_that_is_always_busy_is_given_up(sources: RunningSources) -> None:
    sources.trouble("meridian", "busy", seconds=0.05)
    with pytest.raises(SourceTrouble, match="too busy"):
        line(sources).get(*QUESTION)


def test_one_that_does_not_answer_in_time_is_given_up(sources: RunningSources) -> None:
    sources.trouble("meridian", "slow", seconds=5)
    with pytest.raises(SourceTrouble, match=r"did not answer within 0\.3 s"):
        line(sources, timeout_s=0.3).get(*QUESTION)


def test_a_question_that_is_refused_is_not_asked_again(sources: RunningSources) -> None:
    asked = sources.asked("meridian")
    with pytest.raises(SourceTrouble, match="nothing there"):
        line(sources).get("/releases/nothing")
    assert sources.asked("meridian") == asked + 1


def test_whoever_stops_waiting_is_let_go_at_once(sources: RunningSources) -> None:
    sources.trouble("meridian", "busy", seconds=20)
    cancelled = threading.Event()
    threading.Timer(0.2, cancelled.set).start()
    began = time.monotonic()
    with pytest.raises(Cancelled):
        line(sources, cancelled=cancelled).get(*QUESTION)
    assert time.monotonic() - began < 5


def test_nobody_at_the_address_is_said(sources: RunningSources) -> None:
    patient = opened(
        Patient("Nobody", "http://127.0.0.1:9", cache=Memory(), timeout_s=0.3, cancelled=threading.Event())
    )
    with pytest.raises(SourceTrouble, match="cannot be reached"):
        patient.get("/releases")
