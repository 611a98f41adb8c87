"""Steps on files, killed at every point: begun again they end as without the kill, and are undone to the byte."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import ClassVar

import pytest

from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.files.moving import FileIdentity, Renaming, rename_all
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.journal import Journal
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import FILING, FilingOrder, Order, Result, read_lines, write_lines
from inkwell_groove.workroom.jobs.arguments import OfStep, UndoStep
from inkwell_groove.workroom.jobs.files import write_files
from inkwell_groove.workroom.jobs.files_undo import take_back_files
from inkwell_groove.workroom.jobs.filing_back import file_back, put_back
from tests.core.files.samples import write_sample
from tests.crashing import every_kill, killed_at
from tests.tasks import OwnTask
from tests.workroom.test_file_steps import below

SWAPPED = {"in/01 a.flac": "in/02 b.flac", "in/02 b.flac": "in/01 a.flac", "in/03 c.mp3": "out/03 c.mp3"}


class Place:
    """A folder whose first two files change names, with tags written too, and a playlist and a cue sheet of them."""

    moves: ClassVar[dict[str, str]] = SWAPPED
    along: ClassVar[dict[str, str]] = {}
    arrives = "out/03 c.mp3"

    def __init__(self, place: Path) -> None:
        self.place, self.originals = place, place / "originals"
        (self.originals / "in").mkdir(parents=True)
        write_sample(self.originals / "in" / "01 a.flac", "a.flac", seconds=0.1, seed=1)
        write_sample(self.originals / "in" / "02 b.flac", "a.flac", seconds=0.1, seed=2)
        write_sample(self.originals / "in" / "03 c.mp3", "a.mp3", seconds=0.2, seed=3)
        (self.originals / "in" / "list.m3u").write_text("01 a.flac\n02 b.flac\n03 c.mp3\n")
        (self.originals / "in" / "side.cue").write_text(
            'FILE "01 a.flac" WAVE\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n'
        )
        self.lie_at(place)
        self.before = below(self.originals)

    def lie_at(self, place: Path) -> None:
        """Have the store and the files lie elsewhere."""
        self.folder = place / "files"
        self.media = MediaStore(place / "media", others={"files": self.folder})

    def anew(self) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)
        shutil.rmtree(self.media.root / "steps")
        shutil.copytree(self.originals, self.folder)
        self.media.step(1).mkdir(parents=True)
        orders = [
            Order(
                file_id=number,
                root="files:",
                path=old,
                new_path=new,
                fields={} if old in self.along else {"title": f"Now {number}"},
                goes_along=old in self.along,
                sha256=sha256_of(self.folder / old),
            )
            for number, (old, new) in enumerate((self.moves | self.along).items(), start=1)
        ]
        write_lines(self.media.step(1) / "order", orders)

    def write(self) -> object:
        return write_files(OfStep(step_id=1), OwnTask(self.media))

    def undo(self) -> object:
        return take_back_files(OfStep(step_id=1), OwnTask(self.media))


class WholeFolder(Place):
    """The same folder, whose sound goes elsewhere as a whole, two files in each other's name: all else goes along."""

    moves: ClassVar = {
        "in/01 a.flac": "out/new/02 b.flac",
        "in/02 b.flac": "out/new/01 a.flac",
        "in/03 c.mp3": "out/new/c.mp3",
    }
    along: ClassVar = {
        f"in/{name}": f"out/new/{name}" for name in ("list.m3u", "side.cue", "cover.jpg", "scans/back.png")
    }
    arrives = "out/new/scans/back.png"

    def __init__(self, place: Path) -> None:
        super().__init__(place)
        (self.originals / "in" / "scans").mkdir()
        (self.originals / "in" / "cover.jpg").write_text("a cover")
        (self.originals / "in" / "scans" / "back.png").write_text("a back")
        (self.originals / "all.m3u").write_text("in/01 a.flac\nin/03 c.mp3\n")
        self.before = below(self.originals)


@pytest.fixture
def place(tmp_path: Path) -> Place:
    return WholeFolder(tmp_path)


@pytest.mark.parametrize("kind", [Place, WholeFolder])
def test_a_step_that_swaps_names_is_killed_at_every_point(kind: type[Place], tmp_path: Path) -> None:
    """It ended as "written" with all files under the wrong name, and undo left them so."""
    place = kind(tmp_path)
    place.anew()
    place.write()
    wanted = below(place.folder)
    assert wanted != place.before and place.arrives in wanted
    points = 0
    for point in every_kill(place.write, place.anew):
        place.write()
        assert below(place.folder) == wanted, f"killed at point {point} and begun again"
        place.undo()
        assert below(place.folder) == place.before, f"killed at point {point}, begun again and undone"
        points = point.number + 1
    assert points > 40


def test_a_step_that_was_killed_and_never_begun_again_is_undone(place: Place) -> None:
    for point in every_kill(place.write, place.anew):
        place.undo()
        assert below(place.folder) == place.before, f"killed at point {point} and undone"


def test_a_step_that_was_killed_goes_on_after_the_archive_was_copied_to_another_disk(place: Place) -> None:
    place.anew()
    place.write()
    wanted, home, other = below(place.folder), place.place, place.place / "another disk"
    for point in every_kill(place.write, place.anew):
        for name in ("media", "files"):
            shutil.copytree(home / name, other / name)
        shutil.rmtree(place.folder)
        place.lie_at(other)
        place.write()
        assert below(place.folder) == wanted, f"killed at point {point}, copied and begun again"
        place.undo()
        assert below(place.folder) == place.before, f"killed at point {point}, copied, begun again and undone"
        place.lie_at(home)
        shutil.rmtree(other)


def test_undoing_is_killed_at_every_point(place: Place) -> None:
    def written() -> None:
        place.anew()
        place.write()

    for point in every_kill(place.undo, written):
        place.undo()
        assert below(place.folder) == place.before, f"killed at point {point} and begun again"


def test_a_cover_that_is_gone_keeps_nothing_else_from_moving(tmp_path: Path) -> None:
    place = WholeFolder(tmp_path)
    place.anew()
    (place.folder / "in" / "cover.jpg").unlink()
    place.write()
    here = below(place.folder)
    assert {"out/new/02 b.flac", "out/new/list.m3u"} <= here.keys() and "out/new/cover.jpg" not in here
    results = [Result.model_validate_json(line) for line in read_lines(place.media.step(1) / "results")]
    assert [one.path for one in results if one.problem] == ["in/cover.jpg"]


def test_a_list_that_somebody_altered_since_is_told_of_when_the_step_is_undone(tmp_path: Path) -> None:
    place = WholeFolder(tmp_path)
    place.anew()
    place.write()
    with (place.folder / "all.m3u").open("a") as file:
        file.write("another.flac\n")
    assert place.undo() == {"files": 7, "left": 1}
    left = [Result.model_validate_json(line) for line in read_lines(place.media.step(1) / "taken back")]
    (told,) = [one for one in left if one.problem]
    assert told.path == "all.m3u" and told.problem is not None and "altered again" in told.problem["what"]
    assert "another.flac" in (place.folder / "all.m3u").read_text(), "it was left as somebody made it"
    # Somebody takes their line out again: now it can be undone.
    text = (place.folder / "all.m3u").read_text()
    (place.folder / "all.m3u").write_text(text.removesuffix("another.flac\n"))
    assert place.undo() == {"files": 7, "left": 0}
    assert below(place.folder) == place.before


class Filing:
    """Somebody's folder, and altered copies of it: two that change names, one that moves, one that keeps its name."""

    def __init__(self, place: Path) -> None:
        self.mine, self.copies = place / "mine", place / "copies"
        self.media = MediaStore(place / "media", others={"mine": self.mine, "copies": self.copies})
        self.moves = {"a/1.flac": "a/2.flac", "a/2.flac": "a/1.flac", "b/3.flac": "c/3.flac", "4.flac": "4.flac"}

    def anew(self) -> None:
        for folder in (self.mine, self.copies, self.media.step(1)):
            shutil.rmtree(folder, ignore_errors=True)
        orders = []
        for number, (old, new) in enumerate(self.moves.items(), start=1):
            for path, text in ((self.mine / old, f"old {number}"), (self.copies / new, f"new {number}")):
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_text(text)
            orders.append(
                FilingOrder(
                    file_id=number,
                    root="mine:",
                    source="copies:",
                    old=old,
                    new=new,
                    old_sha256=sha256_of(self.mine / old),
                    new_sha256=sha256_of(self.copies / new),
                )
            )
        (self.mine / "b" / "cover.jpg").write_text("not ours")
        (self.copies / "front.jpg").write_text("made in the copy")
        orders.append(
            FilingOrder(
                file_id=5,
                root="mine:",
                source="copies:",
                old="",
                old_sha256="",
                new="front.jpg",
                new_sha256=sha256_of(self.copies / "front.jpg"),
            )
        )
        write_lines(self.media.step(1) / FILING, orders)

    def out(self) -> object:
        return file_back(OfStep(step_id=1), OwnTask(self.media))

    def back(self) -> object:
        return put_back(UndoStep(step_id=1, who="me"), OwnTask(self.media))

    def filed(self) -> None:
        self.anew()
        self.out()


def test_filing_back_is_killed_at_every_point(tmp_path: Path) -> None:
    """It left the owner's folder in pieces, with hidden files, and no way on."""
    filing = Filing(tmp_path)
    filing.anew()
    before = below(filing.mine)
    filing.out()
    wanted = below(filing.mine)
    assert (filing.mine / "a/1.flac").read_text() == "new 2" and (filing.mine / "c/3.flac").read_text() == "new 3"
    assert set(wanted) == {"a/1.flac", "a/2.flac", "b/cover.jpg", "c/3.flac", "4.flac", "front.jpg"}
    points = 0
    for point in every_kill(filing.out, filing.anew):
        filing.out()
        assert below(filing.mine) == wanted, f"killed at point {point} and begun again"
        filing.back()
        assert below(filing.mine) == before, f"killed at point {point}, begun again and undone"
        points = point.number + 1
    assert points > 30
    for point in every_kill(filing.out, filing.anew):
        filing.back()
        assert below(filing.mine) == before, f"killed at point {point} and undone"
    for point in every_kill(filing.back, filing.filed):
        filing.back()
        assert below(filing.mine) == before, f"undoing was killed at point {point} and begun again"


@pytest.mark.parametrize("stranger", ["c/3.flac", "a/1.flac"])
def test_filing_back_into_a_folder_that_has_changed_changes_nothing(tmp_path: Path, stranger: str) -> None:
    filing = Filing(tmp_path)
    filing.anew()
    (filing.mine / stranger).parent.mkdir(exist_ok=True)
    (filing.mine / stranger).write_text("somebody else's")
    before = below(filing.mine)
    with pytest.raises(Refused, match="nothing was changed"):
        filing.out()
    assert below(filing.mine) == before


def test_filing_back_that_cannot_go_on_puts_everything_back(tmp_path: Path) -> None:
    filing = Filing(tmp_path)
    filing.anew()
    before = below(filing.mine)
    (filing.copies / "4.flac").write_text("altered since it was asked for")
    with pytest.raises(ProofFailed):
        filing.out()
    assert below(filing.mine) == before


def renamings(folder: Path, moves: dict[str, str]) -> list[Renaming]:
    return [
        Renaming(folder, old, new, FileIdentity.of(folder / old, sha256_of(folder / old)), f"1-{number}")
        for number, (old, new) in enumerate(moves.items())
    ]


@pytest.mark.parametrize("late", [False, True], ids=["before", "while it runs"])
def test_a_stranger_in_the_way_leaves_every_file_where_it_was(tmp_path: Path, late: bool) -> None:
    for name in ("a", "b", "c"):
        (tmp_path / name).write_text(name)
    moves = renamings(tmp_path, {"a": "b", "b": "a", "c": "d"})
    if late:
        assert killed_at(lambda: rename_all(moves), 6)  # all aside
    (tmp_path / "d").write_text("a stranger")
    with pytest.raises(Refused, match="d is there already"):
        rename_all(moves)
    assert {path.name: path.read_text() for path in tmp_path.iterdir()} == {
        "a": "a",
        "b": "b",
        "c": "c",
        "d": "a stranger",
    }


def test_a_stranger_that_comes_while_files_are_aside_leaves_every_file_where_it_was(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("a", "b"):
        (tmp_path / name).write_text(name)
    rename = Path.rename

    def renamed(path: Path, target: Path) -> Path:
        if path.name == "b" and not (tmp_path / "d").exists():
            (tmp_path / "d").write_text("a stranger")
        return rename(path, target)

    monkeypatch.setattr(Path, "rename", renamed)
    with pytest.raises(Refused, match="d is there already"):
        rename_all(renamings(tmp_path, {"a": "c", "b": "d"}))
    left = {path.name: path.read_text() for path in tmp_path.iterdir()}
    assert left == {"a": "a", "b": "b", "d": "a stranger"}


def test_another_file_under_the_name_is_not_taken_for_the_one_that_was_meant(tmp_path: Path) -> None:
    (tmp_path / "a").write_text("the one")
    moves = renamings(tmp_path, {"a": "b"})
    (tmp_path / "a").unlink()
    (tmp_path / "a").write_text("another")
    with pytest.raises(Refused, match="another lies there"):
        rename_all(moves)
    assert (tmp_path / "a").read_text() == "another" and not (tmp_path / "b").exists()


def test_only_folders_inside_the_root_are_settled_and_removed(tmp_path: Path) -> None:
    root = tmp_path / "above" / "root"
    (root / "old" / "deep").mkdir(parents=True)
    (root / "old" / "deep" / "a").write_text("a")
    settled: list[Path] = []
    rename_all(renamings(root, {"old/deep/a": "new/a"}), settle=settled.append)
    assert set(settled) == {root / "new", root / "old", root / "old" / "deep"}
    assert [path.name for path in root.iterdir()] == ["new"]


def test_a_copy_that_was_put_back_is_the_same_file(tmp_path: Path) -> None:
    """A restored backup has other numbers on the disk, and the same content."""
    (tmp_path / "a").write_text("the one")
    moves = renamings(tmp_path, {"a": "b"})
    (tmp_path / "a").rename(tmp_path / "elsewhere")
    shutil.copy(tmp_path / "elsewhere", tmp_path / "a")
    rename_all(moves)
    assert (tmp_path / "b").read_text() == "the one"


def test_a_line_that_was_never_finished_does_not_spoil_the_next(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.add([{"kind": "will", "file": 1}])
    with (tmp_path / "journal.jsonl").open("ab") as file:
        file.write(b'{"kind": "did", "fi')
    journal.add([{"kind": "did", "file": 1}])
    assert [line["kind"] for line in journal.lines()] == ["will", "did"]
