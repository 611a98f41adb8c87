"""After a leak everybody is signed out and no token lets anybody in."""

from __future__ import annotations

from contextlib import closing

from inkwell_groove.admin.end_sign_ins import end_sign_ins
from inkwell_groove.store.database import Database
from tests.live import Server
from tests.people import client, signed_in


def test_nobody_is_signed_in_and_no_token_is_valid_any_more(guarded: Server) -> None:
    archivist, reader = signed_in(guarded, "archivist"), signed_in(guarded, "reader")
    wanted = {"purpose": "a script", "role": "reader", "days": 9}
    token = archivist.post("/session/tokens", json=wanted).json()["token"]
    script = client(guarded)
    script.headers["Authorization"] = f"Bearer {token}"
    assert all(one.get("/dockets").status_code == 200 for one in (archivist, reader, script))

    with closing(Database(guarded.database_url)) as database:
        sign_ins, tokens = end_sign_ins(database)
        assert sign_ins >= 2 and tokens == 1
        assert end_sign_ins(database) == (0, 0)

    assert all(one.get("/dockets").status_code == 401 for one in (archivist, reader, script))
    lines = signed_in(guarded, "keeper").get("/access-log").json()
    ended = [one["what"] for one in lines if one["who"] == "inkwell admin"]
    assert ended == [f"everybody: {sign_ins} sign-ins ended", "token of Jon Maskell-Obi revoked: a script"]
