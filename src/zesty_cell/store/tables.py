"""Tables.  What is searched or must hold has its own column; the rest of an entity is its document."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any, ClassVar, cast

from sqlalchemy import (
    JSON,
    CheckConstraint,
    DateTime,
    Dialect,
    ForeignKey,
    FromClause,
    Index,
    Integer,
    LargeBinary,
    String,
    TypeDecorator,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column, relationship

from zesty_cell.core.fact import fact
from zesty_cell.store.errors import NoSuchNumberError, UnreadableError


def now() -> datetime:
    """The present moment, in UTC, without a time zone as SQLite keeps it."""
    return datetime.now(UTC).replace(tzinfo=None, microsecond=0)


#: What an INTEGER of SQLite holds.
_LARGEST = 2**63 - 1


class Whole(TypeDecorator[int]):
    """A whole number as SQLite holds it; a larger one, as any address may ask for, is nobody's.

    Raises
    ------
    NoSuchNumberError
    """

    impl = Integer
    cache_ok = True

    def process_bind_param(self, value: int | None, dialect: Dialect) -> int | None:
        """A number on its way into a statement."""
        if value is not None and not -_LARGEST <= value <= _LARGEST:
            raise NoSuchNumberError
        return value


class Moment(TypeDecorator[datetime]):
    """A moment as SQLite keeps it, in UTC; what is none is not read.

    Raises
    ------
    UnreadableError
    """

    impl = DateTime
    cache_ok = True

    def result_processor(self, dialect: Dialect, coltype: object) -> Callable[[Any], datetime | None]:
        """How what is stored is read."""
        read = super().result_processor(dialect, coltype)
        assert read is not None  # noqa: S101 - SQLite keeps moments as texts

        def process(stored: Any) -> datetime | None:
            try:
                return read(stored)
            except (ValueError, TypeError) as error:
                raise UnreadableError(fact("stored.no_moment", error=str(error))) from error

        return process


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map: ClassVar[dict[Any, Any]] = {int: Whole, datetime: Moment}


class KeptRow:
    """Columns of everything a pilot keeps: identity, edit version, soft delete."""

    id: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(nullable=False)
    name: Mapped[str] = mapped_column(String(80), index=True)
    created_at: Mapped[datetime] = mapped_column(default=now)
    updated_at: Mapped[datetime] = mapped_column(default=now, onupdate=now)
    deleted_at: Mapped[datetime | None] = mapped_column(default=None, index=True)

    @declared_attr.directive
    def __mapper_args__(cls) -> dict[str, Any]:  # noqa: N805
        # SQLAlchemy adds "WHERE version = …" to every UPDATE: a lost edit raises instead.
        return {"version_id_col": cast(FromClause, cls.__dict__["__table__"]).c.version}


class _Owned(KeptRow):
    """Whose a thing is; the core's Ownership."""

    standing: Mapped[str] = mapped_column(String(12), default="own", server_default="own")
    lent_to: Mapped[str | None] = mapped_column(String(80), default=None)


class CraftRow(_Owned, Base):
    """A craft; ``document`` is the core's Craft as JSON."""

    __tablename__ = "craft"
    __table_args__ = (CheckConstraint("dry_mass_kg > 0", name="craft_mass_positive"),)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    dry_mass_kg: Mapped[float]
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class CellRow(KeptRow, Base):
    """A cell on the shelf; ``document`` is the core's CellModel as JSON."""

    __tablename__ = "cell"
    chemistry: Mapped[str] = mapped_column(String(20), index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class PackRow(_Owned, Base):
    """A pack, an individual of its type; ``document`` is the core's Pack as JSON."""

    __tablename__ = "pack"
    __table_args__ = (
        CheckConstraint("series >= 1 AND parallel >= 1", name="pack_has_cells"),
        CheckConstraint("capacity_ah > 0", name="pack_capacity_positive"),
    )
    chemistry: Mapped[str] = mapped_column(String(20), index=True)
    series: Mapped[int] = mapped_column(index=True)
    parallel: Mapped[int]
    capacity_ah: Mapped[float] = mapped_column(index=True)
    standing: Mapped[str] = mapped_column(String(12), default="own", server_default="own", index=True)
    type_name: Mapped[str] = mapped_column(String(80), default="", server_default="", index=True)
    flights: Mapped[int] = mapped_column(default=0, server_default="0")
    rest_v_per_cell: Mapped[float | None] = mapped_column(default=None)
    cell_id: Mapped[int | None] = mapped_column(ForeignKey("cell.id", name="pack_cell"), default=None, index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class SheetRow(KeptRow, Base):
    """A sheet: which craft and pack, and the rest as documents of the core's models."""

    __tablename__ = "sheet"
    craft_id: Mapped[int] = mapped_column(ForeignKey("craft.id"), index=True)
    pack_id: Mapped[int] = mapped_column(ForeignKey("pack.id"), index=True)
    flying: Mapped[dict[str, Any]] = mapped_column(JSON)
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON)
    landing: Mapped[dict[str, Any]] = mapped_column(JSON)
    trying: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    from_log: Mapped[bool] = mapped_column(default=True, server_default="1")
    craft: Mapped[CraftRow] = relationship(lazy="joined")
    pack: Mapped[PackRow] = relationship(lazy="joined")


class CalloutsRow(KeptRow, Base):
    """A callout plan of a sheet, or of a craft with several packs; ``document`` is the core's CalloutPlan as JSON.

    ``printed`` and ``loaded`` are the plan as it was last printed, and last loaded to a transmitter.
    """

    __tablename__ = "callouts"
    __table_args__ = (CheckConstraint("(sheet_id IS NULL) <> (craft_id IS NULL)", name="callouts_of_one"),)
    sheet_id: Mapped[int | None] = mapped_column(ForeignKey("sheet.id"), default=None, index=True)
    craft_id: Mapped[int | None] = mapped_column(ForeignKey("craft.id"), default=None, index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    printed: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    loaded: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)


class LogRow(KeptRow, Base):
    """A telemetry log of a craft's flight, as it came.

    ``source`` is the same for all logs with the same columns; ``mapping`` is what the pilot confirmed of them,
    ``packed`` the file, compressed; ``flight_id`` the flight of the log it was attached to.
    """

    __tablename__ = "log"
    craft_id: Mapped[int] = mapped_column(ForeignKey("craft.id"), index=True)
    flight_id: Mapped[int | None] = mapped_column(default=None, index=True)
    source: Mapped[str] = mapped_column(String(64), index=True)
    mapping: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    packed: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class LogFitRow(Base):
    """What a log's fit told of its pack; ``document`` is the core's LogTold as JSON, or null where it told nothing.

    ``rests_on`` changes with everything the fit rests on: one that differs is not used, and made anew.
    """

    __tablename__ = "log_fit"
    log_id: Mapped[int] = mapped_column(ForeignKey("log.id"), primary_key=True)
    rests_on: Mapped[str] = mapped_column(String(64))
    document: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)


class VoiceLineRow(KeptRow, Base):
    """How a line is spoken in every plan that has it: with other words, or by the pilot's own recording.

    ``own_wav`` is a checked and converted WAV file; it stays while ``own_on`` is off, so that this can be undone.
    """

    __tablename__ = "voice_line"
    words: Mapped[str] = mapped_column(String(120), unique=True)
    spoken_as: Mapped[str | None] = mapped_column(String(120), default=None)
    own_wav: Mapped[bytes | None] = mapped_column(LargeBinary, default=None)
    own_on: Mapped[bool] = mapped_column(default=False, server_default="0")


class PatternRow(KeptRow, Base):
    """A flying pattern of one's own; ``document`` is the core's FlyingPattern as JSON."""

    __tablename__ = "pattern"
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class TrialRow(KeptRow, Base):
    """A fair test of a craft; ``document`` is the core's Trial as JSON, ``open`` says that it waits for runs."""

    __tablename__ = "trial"
    craft_id: Mapped[int] = mapped_column(ForeignKey("craft.id"), index=True)
    open: Mapped[bool] = mapped_column(default=True, index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    craft: Mapped[CraftRow] = relationship(lazy="joined")


class DischargeRow(KeptRow, Base):
    """A discharge of a pack, as it was recorded.

    ``source`` is the same for all recordings with the same columns; ``mapping`` is what the pilot confirmed of
    them, ``packed`` the file, compressed; ``document`` is the core's RunNote and ``told`` its RunTold as JSON.
    """

    __tablename__ = "discharge"
    pack_id: Mapped[int] = mapped_column(ForeignKey("pack.id"), index=True)
    source: Mapped[str] = mapped_column(String(64), index=True)
    mapping: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    told: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    packed: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    pack: Mapped[PackRow] = relationship(lazy="joined")


class CaseRow(KeptRow, Base):
    """Something that is off with a craft, a pack or both; ``document`` is the core's Case as JSON.

    ``was`` is what it turned out to be; None while it is open.
    """

    __tablename__ = "fault"
    __table_args__ = (CheckConstraint("craft_id IS NOT NULL OR pack_id IS NOT NULL", name="fault_of_something"),)
    craft_id: Mapped[int | None] = mapped_column(ForeignKey("craft.id"), default=None, index=True)
    pack_id: Mapped[int | None] = mapped_column(ForeignKey("pack.id"), default=None, index=True)
    was: Mapped[str | None] = mapped_column(String(40), default=None, index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    craft: Mapped[CraftRow | None] = relationship(lazy="joined")
    pack: Mapped[PackRow | None] = relationship(lazy="joined")


class PracticeRow(KeptRow, Base):
    """A drill as it was flown once; ``name`` is the drill's key, ``document`` the core's Attempt as JSON."""

    __tablename__ = "practice"
    score: Mapped[int]
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class FlightRow(KeptRow, Base):
    """A flight of the log; ``document`` is the core's LoggedFlight as JSON, ``landed_at`` in UTC.

    ``entry`` is the name its sender gave it, so that the same flight sent twice is one; ``waiting`` says that its
    pack has not been charged since; ``previous`` is what it was before it was changed last.
    """

    __tablename__ = "flight"
    __table_args__ = (
        CheckConstraint("duration_s > 0", name="flight_lasts"),
        # As the log is read: the newest first, of all, of a pack, of a craft; and which patterns there are.
        Index("ix_flight_newest", "deleted_at", "landed_at", "id"),
        Index("ix_flight_pack_landed", "pack_id", "deleted_at", "landed_at", "id"),
        Index("ix_flight_craft_landed", "craft_id", "deleted_at", "landed_at", "id"),
        Index("ix_flight_patterns", "deleted_at", "pattern"),
    )
    craft_id: Mapped[int] = mapped_column(ForeignKey("craft.id"), index=True)
    pack_id: Mapped[int] = mapped_column(ForeignKey("pack.id"), index=True)
    landed_at: Mapped[datetime] = mapped_column(index=True)
    duration_s: Mapped[float]
    pattern: Mapped[str] = mapped_column(String(80), index=True)
    waiting: Mapped[bool] = mapped_column(index=True)
    air_c: Mapped[float | None] = mapped_column(default=None, index=True)
    set_aside: Mapped[bool] = mapped_column(default=False)
    propellers: Mapped[str] = mapped_column(String(80), default="")
    entry: Mapped[str] = mapped_column(String(40), unique=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    previous: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None, deferred=True)
    craft: Mapped[CraftRow] = relationship(lazy="joined")
    pack: Mapped[PackRow] = relationship(lazy="joined")


class CalibrationRow(KeptRow, Base):
    """A calibration that was kept: of a craft's sensor, of a craft with a pack, or of a pack's cells.

    ``document`` is the core's Calibration as JSON, ``made_at`` in UTC.
    """

    __tablename__ = "calibration"
    __table_args__ = (
        CheckConstraint("craft_id IS NOT NULL OR pack_id IS NOT NULL", name="calibration_of_something"),
    )
    craft_id: Mapped[int | None] = mapped_column(ForeignKey("craft.id"), default=None, index=True)
    pack_id: Mapped[int | None] = mapped_column(ForeignKey("pack.id"), default=None, index=True)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    made_at: Mapped[datetime] = mapped_column(index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    craft: Mapped[CraftRow | None] = relationship(lazy="joined")
    pack: Mapped[PackRow | None] = relationship(lazy="joined")


class FieldEntryRow(Base):
    """An entry of a phone that was taken, with what was answered: sent again, it is answered the same."""

    __tablename__ = "field_entry"
    entry: Mapped[str] = mapped_column(String(40), primary_key=True)
    taken_at: Mapped[datetime] = mapped_column(default=now)
    answer: Mapped[dict[str, Any]] = mapped_column(JSON)


class UnreadableRow(Base):
    """A row that was set aside because it cannot be read, or because what it needs cannot (``needs``)."""

    __tablename__ = "unreadable"
    id: Mapped[int] = mapped_column(primary_key=True)
    table_name: Mapped[str] = mapped_column(String(40))
    row_id: Mapped[int]
    name: Mapped[str] = mapped_column(String(300))
    reason: Mapped[str] = mapped_column(String(300))
    needs: Mapped[bool] = mapped_column(default=False)
    found_at: Mapped[datetime] = mapped_column(default=now)
