"""Devices that may ask from beyond this machine, and the one-time codes they are paired with.

They are kept in a file of their own beside the database, so that no backup carries them, and an old backup that is
brought back lets nobody in who was cut off since.  Of codes and tokens only hashes are kept.
"""

from __future__ import annotations

import hashlib
import secrets
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final, Literal, get_args

from sqlalchemy import (
    Column,
    Float,
    Integer,
    MetaData,
    Row,
    Select,
    String,
    Table,
    create_engine,
    delete,
    event,
    func,
    insert,
    select,
    update,
)
from sqlalchemy.engine import Connection

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, fact

Right = Literal["field", "everything"]
RIGHTS: Final[tuple[Right, ...]] = get_args(Right)

#: Digits and letters that are not taken for one another when read aloud or in the sun: 32 of them.
ALPHABET: Final = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
_MISREAD: Final = str.maketrans("OIL", "011")
CODE_LENGTH: Final = 8
#: A code is good for so long [s], and for so many tries, whoever makes them.
CODE_S: Final = 300.0
CODE_TRIES: Final = 5
#: So many codes are given within so long [s]: who guesses all year has 525 600 tries at one in 32⁸, one chance in
#: two million.
MOST_CODES: Final = 12
CODES_WITHIN_S: Final = 3600.0
#: A device is forgotten so long after its last use [s]: half a year.
FORGOTTEN_S: Final = 183 * 86_400.0
#: Its last use is written down again after so long [s]: not with every picture it asks for.
_USED_AGAIN_S: Final = 60.0
NAME_LENGTH: Final = 40
MOST_DEVICES: Final = 50

_META = MetaData()
_DEVICES = Table(
    "device", _META,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False),
    Column("token_hash", String, nullable=False, unique=True),
    Column("right", String, nullable=False),
    Column("paired_at", Float, nullable=False),
    Column("used_at", Float, nullable=False),
)  # fmt: skip
_CODES = Table(
    "code", _META,
    Column("id", Integer, primary_key=True),
    Column("code_hash", String, nullable=False),
    Column("right", String, nullable=False),
    Column("made_at", Float, nullable=False),
    Column("tries", Integer, nullable=False, default=0),
    Column("used_at", Float),
)  # fmt: skip


_NO_CODE = fact("pairing.no_code")


class PairingError(ZestyCellError, ValueError):
    """A device is not paired, with the reason."""


@dataclass(frozen=True)
class Device:
    """A device that is paired; times in seconds since 1970."""

    id: int
    name: str
    right: Right
    paired_at: float
    used_at: float


@dataclass(frozen=True)
class Code:
    """A code as it is shown once, its right, and when it is over [s since 1970]."""

    code: str
    right: Right
    until: float

    @property
    def shown(self) -> str:
        """In two halves, to be read and typed."""
        return f"{self.code[:4]}-{self.code[4:]}"


def typed_code(text: str) -> str:
    """A code as it was meant: without spaces and dashes, in capitals, what is misread put right."""
    return "".join(c for c in text[:60].upper() if c.isalnum()).translate(_MISREAD)


def clean_name(text: str) -> str:
    """A device's name as it is kept.

    Raises
    ------
    PairingError
        When it is empty, too long, or not one line of print.
    """
    name = " ".join(text.split())
    if not name:
        raise PairingError(fact("pairing.no_name"))
    if len(name) > NAME_LENGTH or not name.isprintable():
        raise PairingError(fact("pairing.long_name", most=NAME_LENGTH))
    return name


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def _device(row: Row[Any]) -> Device:
    return Device(row.id, row.name, row.right if row.right in RIGHTS else "field", row.paired_at, row.used_at)


class Devices:
    """The devices of one file, made where it is missing."""

    def __init__(self, path: Path, *, clock: Callable[[], float] = time.time) -> None:
        self._clock = clock
        self._lock = threading.Lock()
        path.touch(mode=0o600)
        path.chmod(0o600)
        self._engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 5.0})

        @event.listens_for(self._engine, "connect")
        def _on_connect(connection: Any, _record: Any) -> None:
            connection.isolation_level = None  # we begin ourselves, and for writing at once

        _META.create_all(self._engine)

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        """One that writes at a time, here and in another process: what is counted is counted once."""
        with self._lock, self._engine.connect() as connection:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            try:
                yield connection
            except BaseException:
                connection.exec_driver_sql("ROLLBACK")
                raise
            connection.exec_driver_sql("COMMIT")

    def new_code(self, right: Right) -> Code:
        """Give a code, in place of any that is open.

        Raises
        ------
        PairingError
            When too many were given within the hour.
        """
        now = self._clock()
        code = "".join(secrets.choice(ALPHABET) for _ in range(CODE_LENGTH))
        with self._writing() as connection:
            connection.execute(delete(_CODES).where(_CODES.c.made_at < now - CODES_WITHIN_S))
            given = connection.execute(select(func.count()).select_from(_CODES)).scalar_one()
            if given >= MOST_CODES:
                oldest = connection.execute(select(func.min(_CODES.c.made_at))).scalar_one()
                minutes = max(1, round((oldest + CODES_WITHIN_S - now) / 60.0))
                raise PairingError(fact("pairing.many_codes", codes=MOST_CODES, minutes=minutes))
            connection.execute(update(_CODES).values(tries=CODE_TRIES))
            connection.execute(insert(_CODES).values(code_hash=_hash(code), right=right, made_at=now, tries=0))
        return Code(code, right, now + CODE_S)

    def pair(self, text: str, name: str) -> tuple[str, Device]:
        """Take a code, once, and give the token that its device shows from now on.

        Raises
        ------
        PairingError
            When no code is open, or it is another; or the name will not do, which costs no try.
        """
        name, now = clean_name(name), self._clock()
        tried = _hash(typed_code(text))
        with self._engine.connect() as connection:
            if connection.execute(self._open_codes(now)).first() is None:  # guessing in vain holds up nobody
                raise PairingError(_NO_CODE)
        with self._writing() as connection:
            row = connection.execute(self._open_codes(now)).first()
            if row is None:
                wrong: Fact | None = _NO_CODE
            elif not secrets.compare_digest(row.code_hash, tried):
                connection.execute(update(_CODES).where(_CODES.c.id == row.id).values(tries=row.tries + 1))
                left = CODE_TRIES - row.tries - 1
                key = "pairing.wrong.last" if left == 1 else "pairing.wrong.left"
                wrong = fact(key, left=left) if left else fact("pairing.wrong.over")
            else:
                wrong = self._room(connection, now)
            if wrong is None and row is not None:
                connection.execute(update(_CODES).where(_CODES.c.id == row.id).values(used_at=now))
                token = secrets.token_urlsafe(32)
                values = {"name": name, "token_hash": _hash(token), "right": row.right}
                connection.execute(insert(_DEVICES).values(**values, paired_at=now, used_at=now))
                made = connection.execute(select(_DEVICES).where(_DEVICES.c.token_hash == _hash(token))).one()
        if wrong is not None:  # what was counted stays counted
            raise PairingError(wrong)
        return token, _device(made)

    def _open_codes(self, now: float) -> Select[Any]:
        """The code that can be typed now; none where a clock was turned back."""
        codes = _CODES.c
        fresh = codes.made_at.between(now - CODE_S, now + 1.0) & (codes.made_at > now - CODE_S)
        return select(_CODES).where(codes.used_at.is_(None), codes.tries < CODE_TRIES, fresh).limit(1)

    def still_open(self, code: Code) -> bool:
        """Whether a code can still be typed: not used, not guessed at too often, followed by no other, not over."""
        with self._engine.connect() as connection:
            row = connection.execute(self._open_codes(self._clock())).first()
        return row is not None and secrets.compare_digest(row.code_hash, _hash(code.code))

    def _room(self, connection: Connection, now: float) -> Fact | None:
        connection.execute(delete(_DEVICES).where(_DEVICES.c.used_at < now - FORGOTTEN_S))
        paired = connection.execute(select(func.count()).select_from(_DEVICES)).scalar_one()
        return None if paired < MOST_DEVICES else fact("pairing.no_room", devices=MOST_DEVICES)

    def of_token(self, token: str) -> Device | None:
        """The device that shows a token; None where it is not paired, was cut off, or was long away."""
        if not token or len(token) > 100:
            return None
        now = self._clock()
        with self._engine.connect() as connection:
            row = connection.execute(select(_DEVICES).where(_DEVICES.c.token_hash == _hash(token))).first()
        if row is None or row.used_at < now - FORGOTTEN_S:
            return None
        if abs(now - row.used_at) > _USED_AGAIN_S:
            with self._writing() as connection:
                connection.execute(update(_DEVICES).where(_DEVICES.c.id == row.id).values(used_at=now))
        return _device(row)

    def all(self) -> list[Device]:
        """Every device, the one used last first."""
        least = self._clock() - FORGOTTEN_S
        with self._engine.connect() as connection:
            query = select(_DEVICES).where(_DEVICES.c.used_at >= least).order_by(_DEVICES.c.used_at.desc())
            return [_device(row) for row in connection.execute(query)]

    def rename(self, device_id: int, name: str) -> None:
        """Call a device something else.

        Raises
        ------
        PairingError
            When there is none, or the name will not do.
        """
        name = clean_name(name)
        with self._writing() as connection:
            done = connection.execute(update(_DEVICES).where(_DEVICES.c.id == device_id).values(name=name))
        if done.rowcount == 0:
            raise PairingError(fact("pairing.gone"))

    def cut_off(self, device_id: int) -> None:
        """Let a device in no more, from its next request on; one that is gone already is no trouble."""
        with self._writing() as connection:
            connection.execute(delete(_DEVICES).where(_DEVICES.c.id == device_id))

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()
