"""The job that seals a docket."""

from __future__ import annotations

import shutil
from pathlib import Path

from inkwell_groove.core.sealing.keeping import Earlier
from inkwell_groove.core.sealing.order import SealedAlbum, SealOrder
from inkwell_groove.core.sealing.package import seal_package
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.workroom.jobs.arguments import Seal
from inkwell_groove.workroom.jobs.kind import Result, Task


def seal(arguments: Seal, task: Task) -> Result:
    """Seal a docket into a folder of its own."""
    media = task.media
    order = SealOrder.model_validate(arguments.order).with_paths(lambda name: str(media.here(media.path_of(name))))
    earlier = None
    if told := arguments.earlier:
        earlier = Earlier(
            folder=media.package(told["folder"]),
            album=SealedAlbum.model_validate(told["album"]),
            sealed_at=told["sealed_at"],
        )
    takes = (Path(side.take_path) for side in order.sides)
    package, root = media.new_package(arguments.package, sum(path.stat().st_size for path in takes if path.exists()))
    with media.workspace(root.parent) as work:
        album = seal_package(order, work, earlier=earlier, progress=task.progress)
        target = package.joinpath(*album.folders)
        if target.exists():
            # The same job, begun again after it had finished but before that was written down.
            shutil.rmtree(target)
        work.chmod(0o755)
        move_into_place(work, target)
    return {"album": album.model_dump(mode="json"), "folder": target.relative_to(root).as_posix()}
