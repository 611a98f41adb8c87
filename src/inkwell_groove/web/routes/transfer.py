"""Transfer: sources, chains, the transfer of a docket, and its three streams.

Commands are ordinary requests. What changes all the time goes over WebSockets: `watch` tells levels ten times a second,
`sound` takes the browser's own input, `monitor` lets one hear what is recorded.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import Depends, Path, Query, WebSocket, WebSocketDisconnect
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.core.peaks import PeakIndex
from inkwell_groove.core.transfer.chain import Chain
from inkwell_groove.devices.source import SourceFacts
from inkwell_groove.web.dependencies import Place, Room, Who
from inkwell_groove.web.routes.takes import BINARY
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.transfer.session import Session
from inkwell_groove.workroom.transfer.views import ChainView, LiveNews, RecordingView, TransferSettings, TransferView

router = Router("transfer")
_WATCH_EVERY_S = 0.1
_TELL_EVERY_S = 0.25
_POLICY = 1008  # WebSocket close code: the message is against the rules (RFC 6455)


def _check_here(room: Room, key: str) -> None:
    """Send a socket on to the server that has the transfer."""
    room.transfers.check_here(key)


_AT_ITS_SERVER = [Depends(_check_here)]
Command = Literal["arm", "disarm", "record", "pause", "go-on", "stop", "let-go", "listen-for-loudest", "use-loudest"]
_COMMANDS: dict[Command, Callable[[Session], None]] = {
    "arm": Session.arm,
    "disarm": Session.disarm,
    "record": Session.record,
    "pause": Session.pause,
    "go-on": Session.go_on,
    "stop": Session.stop,
    "let-go": Session.let_go,
    "listen-for-loudest": Session.listen_for_loudest,
    "use-loudest": Session.use_loudest,
}


class NewTransfer(BaseModel):
    model_config = ConfigDict(extra="forbid")

    source_id: str
    rate_hz: int = 96_000
    bits: int = 24
    channels: int = 2
    settings: TransferSettings


class Gain(BaseModel):
    model_config = ConfigDict(extra="forbid")

    gain_db: float = Field(ge=-100, le=100)


class NextSide(BaseModel):
    model_config = ConfigDict(extra="forbid")

    side_id: int
    new_take: bool = True


class Operation(BaseModel):
    model_config = ConfigDict(extra="forbid")

    control: str
    value: str = ""


@router.get("/decks", operation_id="decks")
def sources(room: Room) -> list[SourceFacts]:
    return room.transfers.offered()


@router.get("/chains", operation_id="chains")
def chains(room: Room) -> list[ChainView]:
    return room.chains.all()


@router.post("/chains", operation_id="makeChain", status_code=201)
def make_chain(room: Room, who: Who, chain: Chain) -> ChainView:
    return room.chains.make(chain, who=who)


@router.post("/chains/{chain_id}/retire", operation_id="retireChain")
def retire_chain(room: Room, who: Who, chain_id: int) -> ChainView:
    return room.chains.retire(chain_id, who=who)


@router.get("/dockets/{docket_id}/transfer", operation_id="transferOfDocket")
def of_docket(room: Room, docket_id: int) -> TransferView | None:
    session = room.transfers.of_docket(docket_id)
    return None if session is None else room.transfers.view(session)


@router.get("/dockets/{docket_id}/recordings", operation_id="recordings")
def recordings(room: Room, docket_id: int) -> list[RecordingView]:
    return room.books.recordings(docket_id)


@router.post("/dockets/{docket_id}/transfer", operation_id="connectSource", status_code=201)
def connect(room: Room, who: Who, docket_id: int, new: NewTransfer) -> TransferView:
    return room.transfers.connect(
        docket_id,
        source_id=new.source_id,
        rate_hz=new.rate_hz,
        bits=new.bits,
        channels=new.channels,
        settings=new.settings,
        who=who,
    )


@router.delete("/transfers/{key}", operation_id="disconnectSource", status_code=204)
def disconnect(room: Room, key: str) -> None:
    room.transfers.disconnect(key)


@router.put("/transfers/{key}/settings", operation_id="setTransfer")
def settings(room: Room, key: str, settings: TransferSettings) -> TransferView:
    return room.transfers.use(key, settings)


@router.post("/transfers/{key}/turn-over", operation_id="turnOver")
def turn_over(room: Room, key: str, following: NextSide) -> TransferView:
    return room.transfers.turn_over(key, following.side_id, new_take=following.new_take)


@router.put("/transfers/{key}/gain", operation_id="setGain")
def gain(room: Room, key: str, wanted: Gain) -> TransferView:
    return _done(room, key, Session.set_gain, wanted.gain_db)


@router.post("/transfers/{key}/controls", operation_id="operateDeck")
def operate(room: Room, key: str, operation: Operation) -> TransferView:
    return _done(room, key, Session.operate, operation.control, operation.value)


@router.post("/transfers/{key}/{command}", operation_id="commandTransfer")
def command(room: Room, key: str, command: Command) -> TransferView:
    """What is done with one press."""
    return _done(room, key, _COMMANDS[command])


@router.get("/transfers/{key}/live", operation_id="liveTransfer")
def live(room: Room, key: str, after_sample: Place = 0) -> LiveNews:
    """What `watch` sends, once."""
    return room.transfers.session(key).live(after_sample)


@router.post("/recordings/{recording_id}/keep", operation_id="keepRecording", status_code=204)
def keep(room: Room, recording_id: int) -> None:
    room.books.keep_again(recording_id)


@router.get("/recordings/{recording_id}/peaks", operation_id="recordingPeakIndex")
def peak_index(room: Room, recording_id: int) -> PeakIndex:
    return room.transfers.peak_index(recording_id)


@router.get(
    "/recordings/{recording_id}/peaks/{level}",
    operation_id="recordingPeaks",
    response_class=Response,
    responses={200: BINARY},
)
def peaks(
    room: Room,
    recording_id: int,
    level: Annotated[int, Path(ge=0, le=11)],
    first_block: Place = 0,
    blocks: Annotated[int, Query(ge=1, le=1 << 20)] = 1 << 20,
) -> Response:
    """Blocks of a level as [block][channel][min, max, rms], those that are whole."""
    data = room.transfers.peaks(recording_id, level, first_block, blocks)
    return Response(data, media_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@router.websocket("/transfers/{key}/watch", dependencies=_AT_ITS_SERVER)
async def watch(socket: WebSocket, room: Room, key: str) -> None:
    """Sends `LiveNews` as JSON ten times a second, the first time with three minutes of history."""
    await socket.accept()
    seen = -1
    with _closing(socket):
        while True:
            session = room.transfers.session(key)
            news = await run_in_threadpool(session.live, seen)
            seen = news.windows[-1].end_sample if news.windows else seen
            await socket.send_text(news.model_dump_json())
            if await _gone(socket, _WATCH_EVERY_S):
                return
    await _close(socket, "this transfer is no longer connected")


@router.websocket("/transfers/{key}/monitor", dependencies=_AT_ITS_SERVER)
async def monitor(socket: WebSocket, room: Room, key: str) -> None:
    """Sends what comes in: first its rate and channels as JSON, then interleaved float32."""
    await socket.accept()
    with _closing(socket):
        session = room.transfers.session(key)
        await socket.send_json({"rate_hz": session.source.rate_hz, "channels": session.source.channels})
        async for block in session.sound.subscribe():
            floats = np.frombuffer(block, dtype=np.int32).astype(np.float32) / np.float32(2.0**31)
            await socket.send_bytes(floats.astype("<f4").tobytes())


@router.websocket("/transfers/{key}/sound", dependencies=_AT_ITS_SERVER)
async def sound(socket: WebSocket, room: Room, key: str) -> None:
    """Takes the browser's input. Tells `next_sample`, where to go on, at once, and then what is safe to forget."""
    await socket.accept()
    try:
        session, next_sample = await run_in_threadpool(room.transfers.attach_browser, key)
    except InkwellError as refusal:
        await _close(socket, refusal.what)
        return
    await socket.send_json({"next_sample": next_sample})
    telling = asyncio.create_task(_tell_safe(socket, session))
    try:
        while True:
            message = await socket.receive_bytes()
            await run_in_threadpool(session.source.push, message)  # type: ignore[attr-defined]
    except WebSocketDisconnect:
        pass
    except InkwellError as refusal:
        await _close(socket, refusal.what)
    finally:
        telling.cancel()


async def _tell_safe(socket: WebSocket, session: Session) -> None:
    told = None
    with _closing(socket):
        while True:
            await asyncio.sleep(_TELL_EVERY_S)
            safe = await run_in_threadpool(lambda: session.safe_sample)
            if safe != told:
                await socket.send_json({"safe_sample": safe})
                told = safe


async def _gone(socket: WebSocket, wait_s: float) -> bool:
    """Waits; whether the other side left meanwhile. What it says is not for us."""
    with contextlib.suppress(TimeoutError):
        while True:
            message = await asyncio.wait_for(socket.receive(), wait_s)
            if message["type"] == "websocket.disconnect":
                return True
    return False


@contextlib.contextmanager
def _closing(socket: WebSocket) -> Any:
    """A browser that goes away in the middle of a sentence is no fault, nor is a transfer that has ended."""
    with contextlib.suppress(WebSocketDisconnect, RuntimeError, InkwellError):
        yield


async def _close(socket: WebSocket, reason: str) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await socket.close(_POLICY, reason.encode()[:120].decode("utf-8", "ignore"))


def _done(room: Room, key: str, command: Callable[..., None], *arguments: Any) -> TransferView:
    """Has a session do something, and shows it then."""
    session = room.transfers.session(key)
    command(session, *arguments)
    return room.transfers.view(session)
