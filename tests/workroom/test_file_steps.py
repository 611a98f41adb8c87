"""Any changes of any files, in any number of steps: taken back, every byte and every name is what it was."""

from __future__ import annotations

import contextlib
import hashlib
import shutil
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.fields import FIELDS, accept
from inkwell_groove.core.files.moving import plan_moves
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import Order, write_lines
from inkwell_groove.workroom.files.sheet import safe_path
from inkwell_groove.workroom.jobs.arguments import OfStep
from inkwell_groove.workroom.jobs.files import write_files
from inkwell_groove.workroom.jobs.files_undo import take_back_files
from tests.core.files.samples import KINDS, write_sample
from tests.tasks import OwnTask

NAMES = [f"in/{kind}" for kind in KINDS]
texts = st.text(st.characters(exclude_categories=("Cs",)), max_size=40)
steps = st.lists(
    st.dictionaries(
        st.integers(0, len(NAMES) - 1),
        st.tuples(st.dictionaries(st.sampled_from(FIELDS), texts, max_size=4), st.one_of(st.none(), texts)),
        min_size=1,
        max_size=4,
    ),
    min_size=1,
    max_size=3,
)


@pytest.fixture(scope="module")
def originals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("originals")
    (folder / "in").mkdir()
    for kind in KINDS:
        write_sample(folder / "in" / kind, kind, seconds=0.3)
    (folder / "in" / "list.m3u").write_text("\n".join(KINDS))
    return folder


def below(folder: Path) -> dict[str, str]:
    return {
        path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in folder.rglob("*")
        if path.is_file()
    }


@settings(max_examples=60)
@given(steps)
def test_any_steps_taken_back_leave_every_byte_and_name_as_it_was(
    originals: Path, tmp_path_factory: pytest.TempPathFactory, asked: list[dict[int, tuple[dict, str | None]]]
) -> None:
    place = tmp_path_factory.mktemp("steps")
    folder = Path(shutil.copytree(originals, place / "files"))
    media = MediaStore(place / "media", others={"files": folder})
    before = below(folder)
    at = dict(enumerate(NAMES, start=1))
    for number, step in enumerate(asked, start=1):
        orders, wanted = [], {}
        for index, (fields, name) in step.items():
            key = index + 1
            kept = {}
            for spec, text in fields.items():
                try:
                    kept[spec.name] = accept(spec, text)
                except Refused:
                    continue
            if name is not None:
                # A name of which nothing is left, like one of any kind of space, is refused as a field's text is.
                with contextlib.suppress(Refused):
                    wanted[key] = safe_path(name, at[key])
            orders.append(Order(file_id=key, root="files:", path=at[key], fields=kept))
        moves = {move.key: move.new for move in plan_moves(at, wanted, others=["in/list.m3u"])}
        for order in orders:
            order.new_path = moves.get(order.file_id, "")
        media.step(number).mkdir(parents=True)
        write_lines(media.step(number) / "order", orders)
        write_files(OfStep(step_id=number), OwnTask(media))
        at |= moves
        assert {path for path in below(folder) if not path.endswith(".m3u")} == set(at.values())
    for number in range(len(asked), 0, -1):
        left = take_back_files(OfStep(step_id=number), OwnTask(media))
        assert left["left"] == 0
    assert below(folder) == before
