"""Opening dockets, finding them on the shelf, and saying what is in them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from inkwell_groove.core import filing
from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS, clean_text, field
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.sealing.album import FOLDER_FIELDS, TRACK_FIELDS_FOR_FILES
from inkwell_groove.core.seen import check_seen
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Carrier, DescribedValue, Docket, Side, now
from inkwell_groove.workroom import docket_ways, ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.kept import Kept
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import WHOLE, WholeDocket, docket_row, newer_versions, recording_states, uploads_of
from inkwell_groove.workroom.views import DocketLine, DocketView

TYPED = "typed in"
CARRIER_FORMATS = {
    "LP": ("A", "B"),
    "7-inch single": ("A", "B"),
    "10-inch shellac": ("A", "B"),
    "Cassette": ("A", "B"),
    "CD": ("A",),
}
# As such a carrier is mostly played (common practice).
CARRIER_SPEEDS = {
    "LP": "33 1/3 rpm",
    "7-inch single": "45 rpm",
    "10-inch shellac": "78.26 rpm",
    "Cassette": "4.76 cm/s",
    "CD": "",
}
MAX_PAGE = 200
_LINES_KEPT, _SHOWN_KEPT = 20_000, 500
_SHELFMARK = re.compile(r"[^\x00-\x1f\x7f]{1,100}")


class Dockets(Part):
    """Opening, finding and describing dockets; the ledger."""

    def __init__(self, database: Database, media: MediaStore, events: Events) -> None:
        super().__init__(database, media, events)
        self._lines: Kept[int, str] = Kept(_LINES_KEPT)
        self._shown: Kept[int, str] = Kept(_SHOWN_KEPT)
        events.watch(self._hear, early=True)

    def open(
        self, *, shelfmark: str, carrier_format: str, carriers: int, who: str, catalogue_number: str = ""
    ) -> DocketView:
        """A new docket with its carriers and their sides.

        A catalogue number alone will do: it then is the shelfmark too, until there is a better one. Raises Refused for
        an empty shelfmark or an unknown format, Conflict where the shelfmark is taken.
        """
        catalogue_number = field(RELEASE_FIELDS, "catalogue_number").accept(catalogue_number)
        shelfmark = clean_text(shelfmark) or catalogue_number
        if not _SHELFMARK.fullmatch(shelfmark):
            raise Refused("a shelfmark has 1 to 100 characters", where="shelfmark", remedy="Write it as on the carrier")
        if carrier_format not in CARRIER_FORMATS:
            raise Refused(
                f"'{carrier_format}' is not a carrier known here",
                where="format",
                remedy=f"Choose {', '.join(CARRIER_FORMATS)}",
            )
        with self._database.begin() as session:
            if session.scalars(select(Docket).where(Docket.shelfmark == shelfmark)).first():
                raise Conflict(
                    f"{shelfmark} is on the shelf already",
                    where="shelfmark",
                    remedy="Open that docket, or write another",
                )
            docket = Docket(
                shelfmark=shelfmark,
                folder_pattern=filing.DEFAULT_FOLDER,
                file_pattern=filing.DEFAULT_FILE,
                created_at=now(),
                changed_at=now(),
            )
            for number in range(1, carriers + 1):
                carrier = Carrier(number=number, format=carrier_format)
                # Sides of a second record go on in the alphabet, as sleeves print them.
                sides = len(CARRIER_FORMATS[carrier_format])
                letters = [chr(65 + sides * (number - 1) + side) for side in range(sides)]
                carrier.sides = [Side(letter=letter) for letter in letters]
                carrier.speed, carrier.equalisation = CARRIER_SPEEDS[carrier_format], ""
                carrier.condition = carrier.playing_order = carrier.tape_type = carrier.noise_reduction = ""
                docket.carriers.append(carrier)
            if catalogue_number:
                docket.fields.append(
                    DescribedValue(
                        track_key="",
                        field="catalogue_number",
                        value=catalogue_number,
                        origin=TYPED,
                        changed_at=now(),
                    )
                )
            session.add(docket)
            session.flush()
            after = {"shelfmark": shelfmark, "format": carrier_format, "carriers": carriers}
            ledger.record(session, who=who, action="docket opened", docket_id=docket.id, after=after)
            docket_id = docket.id
        self._events.docket_changed(docket_id)
        return self.view(docket_id)

    def view(self, docket_id: int) -> DocketView:
        """Raises Missing."""
        with self._database.begin() as session:
            docket = docket_row(session, docket_id)
            newer = newer_versions(session, docket)
            uploads = uploads_of(session, self._media, docket_id)
            return WholeDocket(docket, newer).view(uploads, recording_states(session, docket_id))

    def shown(self, docket_id: int) -> str:
        """Return a docket's `view` as JSON: everybody who opens it looks at the same one. Raises Missing."""
        return self._shown.get([docket_id], self._read_shown)[docket_id]

    def _read_shown(self, docket_ids: Sequence[int]) -> dict[int, str]:
        views = {docket_id: self.view(docket_id) for docket_id in docket_ids}
        for docket_id, view in views.items():
            if view.uploads:
                self._shown.forget(docket_id)  # how much has come is told of by nobody
        return {docket_id: view.model_dump_json() for docket_id, view in views.items()}

    def shelf(self, *, search: str = "", after: str = "", limit: int = MAX_PAGE) -> tuple[str, str | None]:
        """Return dockets by shelfmark, a list of `DocketLine` as JSON, and the last one's shelfmark if there are more.

        Everybody looks at the same lines. `search` looks in the shelfmark and in every field of the description;
        `after` is a shelfmark behind which the list begins.
        """
        most = min(limit, MAX_PAGE)
        query = select(Docket.id, Docket.shelfmark).order_by(Docket.shelfmark).limit(most + 1)
        if after:
            query = query.where(Docket.shelfmark > after)
        if words := clean_text(search):
            like = "%" + re.sub(r"([%_\\])", r"\\\1", words) + "%"
            described = select(DescribedValue.docket_id).where(DescribedValue.value.like(like))
            # The shelfmark's own collation tells case; a search must not.
            mark = Docket.shelfmark.collate("utf8mb4_uca1400_ai_ci")
            query = query.where(or_(mark.like(like), Docket.id.in_(described)))
        with self._database.begin() as session:
            found = session.execute(query).all()
        numbers = [row.id for row in found[:most]]
        lines = self._lines.get(numbers, self._read_lines)
        more_after = found[most - 1].shelfmark if len(found) > most else None
        return f"[{','.join(lines[number] for number in numbers if number in lines)}]", more_after

    def lines(self) -> list[DocketLine]:
        """Return the lines of all dockets, as they are on the shelf."""
        with self._database.begin() as session:
            numbers = session.scalars(select(Docket.id)).all()
        return [DocketLine.model_validate_json(line) for line in self._lines.get(numbers, self._read_lines).values()]

    def _read_lines(self, docket_ids: Sequence[int]) -> dict[int, str]:
        with self._database.begin() as session:
            rows = session.scalars(select(Docket).options(*WHOLE).where(Docket.id.in_(docket_ids)))
            return {docket.id: WholeDocket(docket).line().model_dump_json() for docket in rows}

    def _hear(self, news: Mapping[str, Any]) -> None:
        """Read a docket anew of which anything is told."""
        if news.get("docket_id") and news["kind"] != "presence":  # a window changes nothing of a docket
            self._lines.forget(news["docket_id"])
            self._shown.forget(news["docket_id"])

    def describe(
        self,
        docket_id: int,
        *,
        release: dict[str, str],
        tracks: dict[str, dict[str, str]],
        who: str,
        seen: Mapping[tuple[str, str], str] | None = None,
    ) -> DocketView:
        """Set fields of the release and of tracks (by key); an empty value deletes the field.

        `seen` are the values on which the change was made, by track key ("" for the release) and field. All or nothing.
        Raises Refused, naming the field, for a value it does not accept, ChangedMeanwhile for one that is not as seen.
        """
        changes = {("", name): field(RELEASE_FIELDS, name).accept(value) for name, value in release.items()}
        for key, fields in tracks.items():
            changes |= {(key, name): field(TRACK_FIELDS, name).accept(value) for name, value in fields.items()}
        with self._database.begin() as session:
            docket = docket_row(session, docket_id, lock=True)
            numbers = {line.key: line.number for line in WholeDocket(docket).lines}
            if unknown := {key for key, _ in changes if key} - set(numbers):
                raise Refused(
                    f"there is no track {', '.join(sorted(unknown))}", remedy="Reload; the joins were changed elsewhere"
                )
            present = {(one.track_key, one.field): one.value for one in docket.fields}
            check_seen(
                (_label(*place, numbers), value, present.get(place, ""), changes[place])
                for place, value in (seen or {}).items()
                if place in changes
            )
            before, after, noted = self._set_fields(session, docket, changes, numbers)
            if after or before:
                docket.changed_at = now()
                named = list(after)
                more = f" and {len(named) - 4} more" if len(named) > 4 else ""
                action = f"described: {', '.join(named[:4])}{more}"
                ledger.record(
                    session,
                    who=who,
                    action=action,
                    docket_id=docket_id,
                    before=before,
                    after=after,
                    way_back=docket_ways.described(docket_id, noted),
                )
        self._events.docket_changed(docket_id)
        return self.view(docket_id)

    def _set_fields(
        self, session: Session, docket: Docket, changes: dict[tuple[str, str], str], numbers: dict[str, int]
    ) -> tuple[dict[str, Any], dict[str, Any], list[docket_ways.Described]]:
        noted: list[docket_ways.Described] = []
        present = {(one.track_key, one.field): one for one in docket.fields}
        before: dict[str, Any] = {}
        after: dict[str, Any] = {}
        for (key, name), value in changes.items():
            row = present.get((key, name))
            label = _label(key, name, numbers)
            old = row.value if row else ""
            if old == value:
                continue
            before[label], after[label] = old, value
            noted.append((key, name, label, old, row.origin if row else TYPED, value))
            if row is None:
                docket.fields.append(
                    DescribedValue(track_key=key, field=name, value=value, origin=TYPED, changed_at=now())
                )
            elif value:
                row.value, row.origin, row.changed_at = value, TYPED, now()
            else:
                docket.fields.remove(row)
                session.delete(row)
        return before, after, noted

    def say_of_carrier(
        self,
        carrier_id: int,
        *,
        said: dict[str, str],
        expected_s: dict[int, float | None],
        who: str,
        seen: Mapping[Any, str] | None = None,  # a mapping of literals is none of texts
        seen_s: Mapping[int, float | None] | None = None,
    ) -> DocketView:
        """Set what is said of a carrier (speed, condition ...) and the expected length of its sides, in seconds.

        `seen` and `seen_s` are the values on which the change was made. Raises Missing, Refused for an impossible
        length, ChangedMeanwhile for a value that is not as seen.
        """
        with self._database.begin() as session:
            carrier = session.get(Carrier, carrier_id, with_for_update=True)
            if carrier is None:
                raise Missing(f"there is no carrier {carrier_id}", remedy="Reload the docket")
            before: dict[str, Any] = {}
            after: dict[str, Any] = {}
            noted: list[docket_ways.Said] = []
            check_seen(
                (name.replace("_", " "), value, getattr(carrier, name), clean_text(said[name]))
                for name, value in (seen or {}).items()
                if name in said
            )
            for name, given in said.items():
                value = clean_text(given)
                old = getattr(carrier, name)
                if value != old:
                    setattr(carrier, name, value)
                    label = name.replace("_", " ")
                    before[label], after[label] = old, value
                    noted.append(("carrier", carrier.id, name, label, old, value))
            by_id = {side.id: side for side in carrier.sides}
            check_seen(
                (f"expected length of side {by_id[key].letter}", value, by_id[key].expected_s, expected_s[key])
                for key, value in (seen_s or {}).items()
                if key in by_id and key in expected_s
            )
            for side_id, length_s in expected_s.items():
                if side_id not in by_id:
                    raise Missing(f"this carrier has no side {side_id}", remedy="Reload the docket")
                side = by_id[side_id]
                if length_s is not None and not 1.0 <= length_s <= 14_400.0:
                    raise Refused(
                        f"a side of {length_s:g} s cannot be",
                        where=f"length of side {side.letter}",
                        remedy="Write minutes and seconds, as 21:30",
                    )
                if length_s != side.expected_s:
                    label = f"expected length of side {side.letter}"
                    before[label], after[label] = side.expected_s, length_s
                    noted.append(("side", side.id, "expected_s", label, side.expected_s, length_s))
                    side.expected_s = length_s
            if after:
                carrier.docket.changed_at = now()
                ledger.record(
                    session,
                    who=who,
                    action=f"carrier {carrier.number}: {', '.join(after)} said",
                    docket_id=carrier.docket_id,
                    before=before,
                    after=after,
                    way_back=docket_ways.said(carrier.docket_id, noted),
                )
            docket_id = carrier.docket_id
        self._events.docket_changed(docket_id)
        return self.view(docket_id)

    def set_patterns(
        self, docket_id: int, *, folder: str, file: str, who: str, seen: tuple[str, str] | None = None
    ) -> DocketView:
        """Set how folders and files are named; `seen` are the folder and file pattern on which the change was made.

        Raises Refused, naming pattern and field, for one that cannot be, ChangedMeanwhile for one that is not as seen.
        """
        filing.fill(folder, dict.fromkeys(FOLDER_FIELDS, "x"))
        filing.fill(file, dict.fromkeys(TRACK_FIELDS_FOR_FILES, "x"))
        if "/" in file:
            raise Refused(
                "a file's name holds no /", where="file pattern", remedy="Put folders into the folder pattern"
            )
        if "{number}" not in file.replace(" ", "") and "{tracktitle}" not in file.replace(" ", ""):
            raise Refused(
                "every file would have the same name",
                where="file pattern",
                remedy="Use {number} or {track title} in it",
            )
        with self._database.begin() as session:
            docket = docket_row(session, docket_id, lock=True)
            if seen is not None:
                # A pattern that was left as it was seen is not changed, whatever somebody else has made of it.
                folder = docket.folder_pattern if folder == seen[0] else folder
                file = docket.file_pattern if file == seen[1] else file
                check_seen(
                    [
                        ("folder pattern", seen[0], docket.folder_pattern, folder),
                        ("file pattern", seen[1], docket.file_pattern, file),
                    ]
                )
            before = {"folder": docket.folder_pattern, "file": docket.file_pattern}
            noted = [
                ("docket", docket_id, "folder_pattern", "folder", docket.folder_pattern, folder),
                ("docket", docket_id, "file_pattern", "file", docket.file_pattern, file),
            ]
            docket.folder_pattern, docket.file_pattern, docket.changed_at = folder, file, now()
            ledger.record(
                session,
                who=who,
                action="filing pattern changed",
                docket_id=docket_id,
                before=before,
                after={"folder": folder, "file": file},
                way_back=docket_ways.said(docket_id, noted),
            )
        self._events.docket_changed(docket_id)
        return self.view(docket_id)


def _label(track_key: str, name: str, numbers: Mapping[str, int]) -> str:
    """Return a field's name as people read it: "title of track 3"."""
    return name.replace("_", " ") + (f" of track {numbers[track_key]}" if track_key else "")
