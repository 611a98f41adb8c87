"""Cells of the sheet that two people change at once."""

from __future__ import annotations

from typing import Any

import httpx

from tests.live import Server
from tests.web.test_changed_meanwhile import differences


def test_a_cell_that_somebody_else_has_changed_is_answered_with_both_and_nothing_of_the_rest_is_kept(
    messy_house: Server,
) -> None:
    bundle = messy_house.get("/bundles")[0]["id"]

    def row(number: int) -> Any:
        rows = [one for one in messy_house.get("/sheet", bundle=[bundle])["rows"] if one["kind"] == "audio"]
        return rows[number]

    def change(*cells: tuple[int, str, str, str]) -> httpx.Response:
        changes = [
            {"file_id": row(number)["id"], "field": field, "value": value, "seen": seen}
            for number, field, value, seen in cells
        ]
        return messy_house.api.patch("/sheet", json={"changes": changes})

    title, comment = row(0)["fields"].get("title", ""), row(1)["fields"].get("comment", "")
    assert change((0, "title", "  Mine ", title)).is_success
    assert change((0, "title", "Mine again", "  Mine ")).is_success, "seen as it was typed, kept as it is tidied"
    late = change((1, "comment", "a note", comment), (0, "title", "Theirs", title))
    assert [(one["yours"], one["now"]) for one in differences(late)] == [("Theirs", "Mine again")]
    assert differences(late)[0]["name"] == f"title of {row(0)['path']}"
    assert row(0)["pending"]["title"] == "Mine again" and "comment" not in row(1)["pending"]
    assert change((1, "comment", "a note", comment), (0, "title", "Theirs", "Mine again")).is_success
    assert (row(0)["pending"]["title"], row(1)["pending"]["comment"]) == ("Theirs", "a note")
