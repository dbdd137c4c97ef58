"""Tables.  What is searched or must hold has its own column; the rest of an entity is its document."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, CheckConstraint, DateTime, ForeignKey, String
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column, relationship


def now() -> datetime:
    """The present moment, in UTC, without a time zone as SQLite keeps it."""
    return datetime.now(UTC).replace(tzinfo=None, microsecond=0)


class Base(DeclarativeBase):
    """Base of all tables."""


class _Kept:
    """Columns of everything a pilot keeps: identity, edit version, soft delete."""

    id: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(nullable=False)
    name: Mapped[str] = mapped_column(String(80), index=True)
    created_at: Mapped[datetime] = mapped_column(DateTime, default=now)
    updated_at: Mapped[datetime] = mapped_column(DateTime, default=now, onupdate=now)
    deleted_at: Mapped[datetime | None] = mapped_column(DateTime, default=None, index=True)

    @declared_attr.directive
    def __mapper_args__(cls) -> dict[str, Any]:  # noqa: N805
        # SQLAlchemy adds "WHERE version = …" to every UPDATE: a lost edit raises instead.
        return {"version_id_col": cls.__table__.c.version}


class CraftRow(_Kept, Base):
    """A craft; ``document`` is the core's Craft as JSON."""

    __tablename__ = "craft"
    __table_args__ = (CheckConstraint("dry_mass_kg > 0", name="craft_mass_positive"),)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    dry_mass_kg: Mapped[float]
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class PackRow(_Kept, Base):
    """A pack; ``document`` is the core's Pack as JSON."""

    __tablename__ = "pack"
    __table_args__ = (
        CheckConstraint("series >= 1 AND parallel >= 1", name="pack_has_cells"),
        CheckConstraint("capacity_ah > 0", name="pack_capacity_positive"),
    )
    chemistry: Mapped[str] = mapped_column(String(20), index=True)
    series: Mapped[int] = mapped_column(index=True)
    parallel: Mapped[int]
    capacity_ah: Mapped[float] = mapped_column(index=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class SheetRow(_Kept, Base):
    """A sheet: which craft and pack, and the rest as documents of the core's models."""

    __tablename__ = "sheet"
    craft_id: Mapped[int] = mapped_column(ForeignKey("craft.id"), index=True)
    pack_id: Mapped[int] = mapped_column(ForeignKey("pack.id"), index=True)
    flying: Mapped[dict[str, Any]] = mapped_column(JSON)
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON)
    landing: Mapped[dict[str, Any]] = mapped_column(JSON)
    craft: Mapped[CraftRow] = relationship(lazy="joined")
    pack: Mapped[PackRow] = relationship(lazy="joined")
