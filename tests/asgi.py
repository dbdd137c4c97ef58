"""Thousands of requests asked of an application in one event loop, without a thread or a client for each."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from starlette.types import ASGIApp, Message, Receive


class Asked(NamedTuple):
    """One request as it arrives."""

    method: str
    path: str
    headers: Mapping[str, str]


class Answered(NamedTuple):
    """What came back."""

    status: int
    text: str


async def _answer(app: ASGIApp, asked: Asked, client: tuple[str, int], server: tuple[str, int]) -> Answered:
    scope = {
        "type": "http",
        "asgi": {"version": "3.0"},
        "http_version": "1.1",
        "method": asked.method,
        "scheme": "https",
        "path": asked.path,
        "raw_path": asked.path.encode(),
        "root_path": "",
        "query_string": b"",
        "headers": [(name.encode(), value.encode()) for name, value in asked.headers.items()],
        "client": client,
        "server": server,
        "state": {},
    }
    told = iter([{"type": "http.request", "body": b"", "more_body": False}])
    said: list[Message] = []

    async def send(message: Message) -> None:
        said.append(message)

    receive: Receive = lambda: asyncio.sleep(0, next(told, {"type": "http.disconnect"}))  # noqa: E731
    await app(scope, receive, send)
    body = b"".join(message.get("body", b"") for message in said[1:])
    return Answered(said[0]["status"], body.decode())


def answers(
    app: ASGIApp, asked: Iterable[Asked], *, client: tuple[str, int], server: tuple[str, int]
) -> list[Answered]:
    """Each request's answer, in the order asked; one after the other."""

    async def all_of_them() -> list[Answered]:
        return [await _answer(app, one, client, server) for one in asked]

    return asyncio.run(all_of_them())
