"""From a folder of sides to a sealed package: `python example.py ADDRESS TOKEN FOLDER`.

FOLDER has a recording of each side, in the order of their names, and titles.txt: artist, title of the record, then the
title of each track, a line each.
"""

import sys
import time
from pathlib import Path

from inkwell_client import AuthenticatedClient
from inkwell_client.api.dockets import describe, docket, open_docket
from inkwell_client.api.intake import begin_upload, send_upload
from inkwell_client.api.jobs import jobs
from inkwell_client.api.sealing import package_zip, seal
from inkwell_client.models import DescriptionChange, NewDocket, NewUpload, Problem
from inkwell_client.types import File

address, token, folder = sys.argv[1], sys.argv[2], Path(sys.argv[3])
api = AuthenticatedClient(address, token, timeout=300)


def done(answer):
    return answer if not isinstance(answer, Problem) else sys.exit(f"{answer.where}: {answer.detail}. {answer.remedy}")


def wait(docket_id):
    while any(job.state in ("waiting", "running") for job in done(jobs.sync(client=api, docket_id=docket_id))):
        time.sleep(0.5)


paths = sorted([*folder.glob("*.wav"), *folder.glob("*.flac")])
new = NewDocket(shelfmark=folder.name, carrier_format="LP", carriers=(len(paths) + 1) // 2 or 1)
record = done(open_docket.sync(client=api, body=new))
sides = [side for carrier in record.carriers for side in carrier.sides]
for side, path in zip(sides, paths, strict=False):  # a last side may be silent
    new = NewUpload(name=path.name, size_bytes=path.stat().st_size, side_id=side.id)
    upload = done(begin_upload.sync(record.id, client=api, body=new))
    with path.open("rb") as sound:
        done(send_upload.sync(upload.id, client=api, body=File(payload=sound), upload_offset=0))
wait(record.id)
record = done(docket.sync(record.id, client=api))
keys = [line.key for carrier in record.carriers for side in carrier.sides for line in side.tracks]
artist, title, *titles = (folder / "titles.txt").read_text().splitlines()
if len(titles) != len(keys):
    sys.exit(f"titles.txt names {len(titles)} tracks, and {len(keys)} were found: look at the docket's joins.")
tracks = {key: {"title": name} for key, name in zip(keys, titles, strict=True)}
said = {"release": {"album_artist": artist, "title": title}, "tracks": tracks}
done(describe.sync(record.id, client=api, body=DescriptionChange.from_dict(said)))
done(seal.sync(record.id, client=api))
wait(record.id)
package = done(docket.sync(record.id, client=api)).packages[-1]
(folder / "package.zip").write_bytes(package_zip.sync_detailed(package.id, client=api).content)
print(f"{folder.name}: {len(keys)} tracks sealed in {package.folder}")
