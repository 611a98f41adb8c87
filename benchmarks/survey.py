"""The survey of a hundred thousand files with planted faults: found and invented by check, and how long it takes."""

from __future__ import annotations

import json
import random
import time
from collections import defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pymysql
from sqlalchemy.engine import make_url

from inkwell_groove.demo.inventing import invent
from launcher.database import Database
from tests.live import Server, new_schema

_FILES, _CHANGED = 100_000, 100
_PLANTED_SHARE = 0.02
_FRONT = {"role": "front", "mime": "image/jpeg", "width_px": 1_000, "height_px": 1_000, "size_bytes": 200_000}
Row = dict[str, Any]


def run(folder: Path) -> Iterator[str]:
    database = Database(folder / "mariadb")
    database.ensure_running()
    try:
        with Server(new_schema(database), folder / "media") as server:
            rows, beside, planted = collection()
            insert(server.database_url, rows, beside)
            yield f"{len(rows)} files of {len(beside)} releases, {sum(map(len, planted.values()))} faults planted"
            yield f"surveyed in {_survey(server):.1f} s"
            for check in sorted(planted):
                found, wanted = _found(server.database_url, check), planted[check]
                hits = len(found & wanted)
                yield (
                    f"{check}: {len(wanted)} planted, found {hits / len(wanted):.1%}, "
                    f"{len(found - wanted)} of {len(found)} not planted"
                )
            others = _others(server.database_url, set(planted))
            yield f"by other checks: {others or 'nothing'}"
            yield from _searches(server, rows)
            _change(server.database_url)
            yield f"surveyed again after {_CHANGED} files were changed in {_survey(server):.1f} s"
    finally:
        database.stop()


def _searches(server: Server, rows: list[Row]) -> Iterator[str]:
    """How long the collection takes to answer, over HTTP, in the middle and at the worst of a hundred questions."""
    server.stop()
    server.start()
    began = time.perf_counter()
    total = server.get("/collection", most=1)["total"]  # answers once the index is there
    yield f"{total} files indexed in {time.perf_counter() - began:.1f} s after the server's start"
    rng = random.Random(3)
    titles = [rng.choice(rows)["fields"].get("title") or "song" for _ in range(25)]
    asked: dict[str, list[dict[str, Any]]] = {
        "a title": [{"text": one} for one in titles],
        "the same with a letter left out": [{"text": one[:2] + one[3:]} for one in titles],
        "its beginning, typed": [{"text": one[:3]} for one in titles],
        "a decade's, as covers": [{"text": one[:4], "decade": ["1970s"]} for one in titles],
    }
    for what, questions in asked.items():
        path = "/collection/wall" if "covers" in what else "/collection"
        times, hits = [], 0
        for question in questions:
            began = time.perf_counter()
            hits += server.get(path, **question)["total"]
            times.append(1_000 * (time.perf_counter() - began))
        times.sort()
        middle, worst = times[len(times) // 2], times[-1]
        yield f"searched for {what}: {middle:.0f} ms, at worst {worst:.0f} ms, {hits / len(times):.0f} found"


def _survey(server: Server) -> float:
    began = time.perf_counter()
    server.post("/survey")
    server.wait_for_jobs(patience_s=600)
    return time.perf_counter() - began


def collection(files_wanted: int = _FILES) -> tuple[list[Row], dict[str, str], dict[str, set[int]]]:
    """Rows, pictures beside, and the files (or the first of the release) that each check is to find."""
    rng = random.Random(8)
    rows: list[Row] = []
    beside: dict[str, str] = {}
    planted: dict[str, set[int]] = defaultdict(set)
    for number, (release, *_) in enumerate(invent(20_000, 303)):
        if len(rows) >= files_wanted:
            break
        # Whether a band has its article is not for the survey to invent: here none has.
        name = release.credits[0].name.removeprefix("The ")
        sha256 = f"{number:064x}"
        place = f"{number:05} {release.title}"
        beside[f"{place}/cover.jpg"] = sha256
        files: list[Row] = []
        titles = [track.title for medium in release.media for track in medium.tracks]
        for at, title in enumerate(titles, start=1):
            fields = {
                "title": title,
                "artist": name,
                "artist_sort": f"{name},",
                "album": release.title,
                "album_artist": name,
                "album_artist_sort": f"{name},",
                "track_number": str(at),
                "track_total": str(len(titles)),
                "date": release.date or "1970",
                "genre": "Song",
            }
            facts = {
                "format": "FLAC",
                "silent_tail_s": 0.4,
                "pictures": [{**_FRONT, "sha256": sha256}],
                "others": [["REPLAYGAIN_TRACK_GAIN", "-3.0 dB"]],
            }
            key = len(rows) + len(files) + 1
            files.append({"key": key, "path": f"{place}/{at:02} {title}.flac", "fields": fields, "facts": facts})
        if rng.random() < len(files) * _PLANTED_SHARE and len(files) > 3:
            check = rng.choice(list(_PLANTS))
            planted[check] |= _PLANTS[check](files, rng)
        rows += files
    return rows, beside, planted


def _one(change: Callable[[Row], None]) -> Callable[[list[Row], random.Random], set[int]]:
    def plant(files: list[Row], rng: random.Random) -> set[int]:
        one = rng.choice(files[1:-1])
        change(one)
        return {one["key"]}

    return plant


def _all(change: Callable[[Row], None]) -> Callable[[list[Row], random.Random], set[int]]:
    def plant(files: list[Row], rng: random.Random) -> set[int]:
        for one in files:
            change(one)
        return {one["key"] for one in files}

    return plant


def _set(name: str, value: Callable[[Row], str]) -> Callable[[Row], None]:
    def change(one: Row) -> None:
        one["fields"][name] = value(one["fields"])

    return change


def _doubled(files: list[Row], rng: random.Random) -> set[int]:
    files[-1]["fields"]["track_number"] = files[-2]["fields"]["track_number"]
    return {files[-1]["key"], files[-2]["key"]}


_PLANTS: dict[str, Callable[[list[Row], random.Random], set[int]]] = {
    "missing title": _one(_set("title", lambda _: "")),
    "missing date": _all(_set("date", lambda _: "")),
    "spellings": _one(_set("artist", lambda of: of["artist"].replace("e", "é").replace("a", "á").replace("o", "ó"))),
    "says nothing": _one(_set("title", lambda of: f"Track {of['track_number']}")),
    "titles hold more": _one(_set("title", lambda of: f"{int(of['track_number']):02} - {of['title']}")),
    "writing": _one(_set("title", lambda of: f"{of['title']} once more".upper())),
    "clash of date": _one(_set("date", lambda of: str(int(of["date"][:4]) + 1))),
    "clash of album": _one(_set("album", lambda of: f"{of['album']} live")),
    "numbers doubled": _doubled,
    "picture too small": _all(lambda one: one["facts"]["pictures"][0].update(width_px=120, height_px=120)),
    "pictures not square": _all(lambda one: one["facts"]["pictures"][0].update(height_px=700)),
    "picture not embedded": _one(lambda one: one["facts"].update(pictures=[])),
    "silence at the end": _one(lambda one: one["facts"].update(silent_tail_s=30.0)),
    "loudness not measured": _all(lambda one: one["facts"].update(others=[])),
}


def _connect(url: str) -> pymysql.Connection[Any]:
    told = make_url(url)
    return pymysql.connect(
        host=told.host,
        port=told.port or 3306,
        user=told.username,
        password=str(told.password or ""),
        database=told.database,
        charset="utf8mb4",
    )


def insert(url: str, rows: list[Row], beside: dict[str, str]) -> None:
    statement = (
        "INSERT INTO bundle_file (id, bundle_id, path, kind, size_bytes, sha256, audio_digest, origin_path, "
        "origin_sha256, facts, fields, pending) VALUES (%s, 1, %s, %s, 1, %s, '', %s, '', %s, %s, '{}')"
    )
    with _connect(url) as connection, connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO bundle (id, name, origin, in_place, state, told, made_at) "
            "VALUES (1, 'all', 'all', 0, 'ready', '{}', NOW(6))"
        )
        sound = [
            (one["key"], one["path"], "audio", "", one["path"], json.dumps(one["facts"]), json.dumps(one["fields"]))
            for one in rows
        ]
        pictures = [
            (len(rows) + at, path, "picture", sha256, path, "{}", "{}")
            for at, (path, sha256) in enumerate(beside.items(), start=1)
        ]
        for at in range(0, len(sound), 5_000):
            cursor.executemany(statement, sound[at : at + 5_000])
        cursor.executemany(statement, pictures)
        # As if it had come in long ago.
        cursor.execute("UPDATE bundle_file SET changed_at = NOW(6) - INTERVAL 1 DAY")
        cursor.execute("UPDATE bundle SET changed_at = NOW(6) - INTERVAL 1 DAY")
        connection.commit()


def _found(url: str, check: str) -> set[int]:
    with _connect(url) as connection, connection.cursor() as cursor:
        cursor.execute("SELECT document FROM survey_finding WHERE name = %s", (check,))
        return {key for (document,) in cursor.fetchall() for key in json.loads(document)["files"]}


def _others(url: str, planted: set[str]) -> str:
    with _connect(url) as connection, connection.cursor() as cursor:
        cursor.execute("SELECT name, COUNT(*) FROM survey_finding GROUP BY name")
        return ", ".join(f"{name} {count}" for name, count in cursor.fetchall() if name not in planted)


def _change(url: str) -> None:
    with _connect(url) as connection, connection.cursor() as cursor:
        cursor.execute(
            "UPDATE bundle_file SET fields = JSON_SET(fields, '$.genre', 'March', '$.artist', CONCAT('New ', id)) "
            f"WHERE kind = 'audio' AND id %% 997 = 3 LIMIT {_CHANGED}".replace("%%", "%")
        )
        connection.commit()
