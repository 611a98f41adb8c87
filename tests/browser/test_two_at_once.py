"""Two people change one thing at once: the second sees both values beside each other, and chooses."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.core.files.samples import picture, write_sample
from tests.live import Server


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    root = tmp_path_factory.mktemp("files")
    (root / "box").mkdir()
    write_sample(root / "box" / "a.flac", "a.flac", seconds=0.2)
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        running.post("/bundles", {"folder": "box", "in_place": True})
        running.wait_for_jobs()
        yield running


@pytest.fixture
def late(page: Page) -> Page:
    """A window that hears no news: what others do meanwhile, it does not see by itself."""
    page.route("**/api/v1/events*", lambda route: route.abort())
    return page


def add_picture(house: Server, docket_id: int, name: str, size: int) -> int:
    answer = house.api.post(f"/dockets/{docket_id}/artwork", params={"name": name}, content=picture(size, size))
    assert answer.is_success, answer.text
    return int(answer.json()["id"])


def test_of_two_front_covers_one_is_chosen(late: Page, house: Server) -> None:
    docket_id = house.open_docket("T-1")["id"]
    first, _, third = (add_picture(house, docket_id, f"{size}.png", size) for size in (600, 640, 680))
    late.goto(f"{house.address}/dockets/{docket_id}/artwork")
    expect(late.get_by_alt_text("Front cover, 680.png")).to_be_visible()
    body = {"role": "front", "seen": {"front": third}}
    house.api.put(f"/dockets/{docket_id}/artwork/{first}/role", json=body).raise_for_status()

    late.get_by_role("listitem").filter(has_text="640.png").get_by_role("button", name="Make it the front").click()
    alert = late.get_by_role("alert")
    expect(alert).to_be_in_viewport()
    expect(alert).to_contain_text("600.png")
    expect(alert).to_contain_text("640.png")
    alert.get_by_role("button", name="Use mine").click()
    expect(late.get_by_alt_text("Front cover, 640.png")).to_be_visible()
    expect(alert).not_to_be_visible()


def test_of_two_patterns_of_one_name_one_is_chosen(late: Page, house: Server) -> None:
    late.goto(f"{house.address}/files/sheet?bundle=1")
    work = late.get_by_role("group", name="Work on the sheet")
    with late.expect_response("**/api/v1/filing-patterns"):
        work.get_by_role("button", name="Names", exact=True).click()
    expect(late.get_by_label("Name of the pattern")).to_be_visible()
    theirs = {"name": "Ours", "pattern": "{artist}/{title}"}
    house.api.put("/filing-patterns", json=theirs).raise_for_status()

    late.get_by_label("Filing pattern").fill("{album}/{title}")
    late.get_by_label("Name of the pattern").fill("Ours")
    late.get_by_role("button", name="Save", exact=True).click()
    alert = late.get_by_role("alert")
    expect(alert).to_be_in_viewport()
    expect(alert).to_contain_text("{artist}/{title}")
    expect(alert).to_contain_text("{album}/{title}")
    alert.get_by_role("button", name="Keep theirs").click()
    expect(alert).not_to_be_visible()
    assert [one["naming"]["pattern"] for one in house.get("/filing-patterns")] == [theirs["pattern"]]
    late.get_by_role("button", name="Save", exact=True).click()
    expect(late.get_by_label("Saved patterns")).to_have_value("Ours")
