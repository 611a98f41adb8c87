"""One look-up while it runs: a thread for each source, answers as they come, and an end whenever somebody wants it."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Sequence
from datetime import UTC, datetime

import structlog

from inkwell_groove.catalogues.patient import Cache, NotThere, Patient, SourceTrouble
from inkwell_groove.catalogues.source import Met, Source
from inkwell_groove.core.errors import Cancelled, InkwellError
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.ways import Ask
from inkwell_groove.workroom.sources.views import SourceAnswerView

log = structlog.get_logger()

MOST_FETCHED = 24  # of one source: more pressings of one name than a person looks through


class Asking:
    """Asks every source at once.

    `changed` is called, in a source's thread, whenever something new is known, and with whether a source has ended.
    """

    def __init__(
        self,
        sources: Sequence[Source],
        *,
        cache: Cache,
        timeout_s: float,
        anew: bool,
        changed: Callable[[Asking, bool], None],
    ) -> None:
        self.releases: dict[str, SourceRelease] = {}
        self.heard: dict[str, float] = {}
        self.answers: dict[str, SourceAnswerView] = {
            one.name: SourceAnswerView(name=one.name, state="asking", words="being asked") for one in sources
        }
        self._sources, self._changed = sources, changed
        self._cancelled, self._lock = threading.Event(), threading.Lock()
        self._lines = {
            one.name: Patient(
                one.name, one.address, cache=cache, timeout_s=timeout_s, cancelled=self._cancelled, anew=anew
            )
            for one in sources
        }

    @property
    def is_cancelled(self) -> bool:
        return self._cancelled.is_set()

    def cancel(self) -> None:
        """Nobody waits any more: every source stops at its next breath."""
        self._cancelled.set()

    def run(self, asks: Sequence[Ask], by_sound: Callable[[], Sequence[Ask]] = tuple) -> None:
        """Until every source has answered or given up.

        `by_sound` may take a while, since it listens; only whoever can be asked by sound waits for it.
        What a source found leads on: the addresses that its entries name are looked up where they lead to, and a
        release that only a disc or a sound led to is asked for by name and barcode elsewhere.
        """
        self._all(lambda source: self._answer(source, asks, by_sound))
        followed = self._led_on({one.title for one in asks if one.way == "names"})
        if followed and not self.is_cancelled:
            self._all(lambda source: self._answer(source, followed, again=True))
        for line in self._lines.values():
            line.close()

    def _all(self, work: Callable[[Source], None]) -> None:
        threads = [
            threading.Thread(target=work, args=(one,), name=f"ask {one.name}", daemon=True) for one in self._sources
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()

    def _led_on(self, asked: set[str]) -> list[Ask]:
        known = list(self.releases.values())
        links = {link for one in known for link in one.links} - set(self.releases)
        found = [Ask(way="address", words="named by another source", address=link) for link in sorted(links)]
        # What only its sound or its disc led to has a name now, by which the others may know it too.
        named = {one.title: one for one in known if one.toc_digests or one.address in self.heard}
        for one in [one for title, one in named.items() if title not in asked][:3]:
            found.append(Ask(way="names", words=f"{one.artist}, {one.title}", artist=one.artist, title=one.title))
        return found

    def _answer(
        self,
        source: Source,
        questions: Sequence[Ask],
        by_sound: Callable[[], Sequence[Ask]] = tuple,
        *,
        again: bool = False,
    ) -> None:
        if again and self.answers[source.name].state == "no answer":
            return
        line, trouble = self._lines[source.name], ""
        try:
            told = [*questions, *(by_sound() if "sound" in source.ways else ())]
            mine = [
                ask for ask in told if ask.way in source.ways and (ask.way != "address" or source.id_in(ask.address))
            ]
            if not mine:
                if not again:
                    self._say(source, state="has no such question", words="nothing is known that it could be asked")
                return
            # All questions first: what several of them lead to is looked at before what only one does.
            known = {one.id for one in self._found(source)}
            for met in self._ranked(source, mine, line)[:MOST_FETCHED]:
                # What looked like an id may be none, and an entry may be gone since it was listed.
                with contextlib.suppress(NotThere):
                    if met.id not in known:
                        self._add(source, source.fetch(met.id, line), met)
        except Cancelled:
            self._say(source, state="cancelled", words="stopped")
            return
        except InkwellError as error:
            trouble = error.what if isinstance(error, SourceTrouble) else str(error)
        except Exception as fault:
            # One source's adapter that breaks must not leave the others' answers waiting for it.
            log.error("asking a source broke", source=source.name, exc_info=fault)
            trouble = f"a fault in the program ({type(fault).__name__}); the log has the details"
        found = len(self._found(source))
        words = f"{found} pressing{'s' if found != 1 else ''}" if found else "knows none"
        for note in line.notes:
            words += f"; kept answers used: {note}"
        if trouble and not found:
            self._say(source, state="no answer", words=trouble)
        else:
            self._say(source, state="answered", words=f"{words}; then {trouble}" if trouble else words)

    def _found(self, source: Source) -> list[SourceRelease]:
        # A copy: other sources' threads go on adding to it.
        return [one for one in list(self.releases.values()) if one.source == source.name]

    def _ranked(self, source: Source, asks: Sequence[Ask], line: Patient) -> list[Met]:
        ranks: dict[str, float] = {}
        heard: dict[str, float] = {}
        for ask in asks:
            for place, met in enumerate(source.find(ask, line)):
                ranks[met.id] = ranks.get(met.id, 0.0) + 1.0 / (3.0 + place)
                if met.heard is not None:
                    heard[met.id] = min(met.heard, heard.get(met.id, 1.0))
        return [Met(id=one, heard=heard.get(one)) for one in sorted(ranks, key=lambda name: -ranks[name])]

    def _add(self, source: Source, release: SourceRelease, met: Met) -> None:
        with self._lock:
            self.releases[release.address] = release
            if met.heard is not None:
                self.heard[release.address] = met.heard
        count = len(self._found(source))
        self._say(source, state="asking", words=f"{count} so far")

    def _say(self, source: Source, *, state: str, words: str) -> None:
        oldest = self._lines[source.name].oldest
        with self._lock:
            self.answers[source.name] = SourceAnswerView(
                name=source.name,
                state=state,
                words=words,
                found=len(self._found(source)),
                oldest=oldest.astimezone(UTC) if isinstance(oldest, datetime) else None,
            )
        self._changed(self, state != "asking")
