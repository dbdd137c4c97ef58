"""Crafts, packs and sheets."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def _kept(
    *columns: sa.Column[Any], checks: tuple[sa.CheckConstraint, ...] = ()
) -> list[sa.Column[Any] | sa.CheckConstraint]:
    return [
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        *columns,
        *checks,
    ]


def upgrade() -> None:
    op.create_table(
        "craft",
        *_kept(
            sa.Column("kind", sa.String(20), nullable=False, index=True),
            sa.Column("dry_mass_kg", sa.Double(), nullable=False),
            sa.Column("document", sa.JSON(), nullable=False),
            checks=(sa.CheckConstraint("dry_mass_kg > 0", name="craft_mass_positive"),),
        ),
    )
    op.create_table(
        "pack",
        *_kept(
            sa.Column("chemistry", sa.String(20), nullable=False, index=True),
            sa.Column("series", sa.Integer(), nullable=False, index=True),
            sa.Column("parallel", sa.Integer(), nullable=False),
            sa.Column("capacity_ah", sa.Double(), nullable=False, index=True),
            sa.Column("document", sa.JSON(), nullable=False),
            checks=(
                sa.CheckConstraint("series >= 1 AND parallel >= 1", name="pack_has_cells"),
                sa.CheckConstraint("capacity_ah > 0", name="pack_capacity_positive"),
            ),
        ),
    )
    op.create_table(
        "sheet",
        *_kept(
            sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=False, index=True),
            sa.Column("pack_id", sa.Integer(), sa.ForeignKey("pack.id"), nullable=False, index=True),
            sa.Column("flying", sa.JSON(), nullable=False),
            sa.Column("conditions", sa.JSON(), nullable=False),
            sa.Column("landing", sa.JSON(), nullable=False),
        ),
    )


def downgrade() -> None:
    for table in ("sheet", "pack", "craft"):
        op.drop_table(table)
