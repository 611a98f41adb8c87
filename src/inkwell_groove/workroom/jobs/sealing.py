"""The job that seals a docket."""

from __future__ import annotations

import shutil

from inkwell_groove.core.sealing.keeping import Earlier
from inkwell_groove.core.sealing.order import SealedAlbum, SealOrder
from inkwell_groove.core.sealing.package import seal_package
from inkwell_groove.store.media import move_into_place
from inkwell_groove.workroom.jobs.arguments import Seal
from inkwell_groove.workroom.jobs.kind import Result, Task


def seal(arguments: Seal, task: Task) -> Result:
    """Seal a docket into a folder of its own."""
    media = task.media
    order = SealOrder.model_validate(arguments.order).with_paths(lambda name: str(media.path_of(name)))
    earlier = None
    if told := arguments.earlier:
        earlier = Earlier(
            folder=media.package(told["folder"]),
            album=SealedAlbum.model_validate(told["album"]),
            sealed_at=told["sealed_at"],
        )
    with task.media.workspace() as work:
        album = seal_package(order, work, earlier=earlier, progress=task.progress)
        target = media.package(arguments.package).joinpath(*album.folders)
        if target.exists():
            # The same job, begun again after it had finished but before that was written down.
            shutil.rmtree(target)
        work.chmod(0o755)
        move_into_place(work, target)
    return {"album": album.model_dump(mode="json"), "folder": str(target.relative_to(media.root / "sealed"))}
