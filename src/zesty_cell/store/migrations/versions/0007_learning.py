"""Calibrations; whether a sheet flies with its log; a log's flight; the air of a flight, to be searched by."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "calibration",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=True, index=True),
        sa.Column("pack_id", sa.Integer(), sa.ForeignKey("pack.id"), nullable=True, index=True),
        sa.Column("kind", sa.String(20), nullable=False, index=True),
        sa.Column("made_at", sa.DateTime(), nullable=False, index=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.CheckConstraint("craft_id IS NOT NULL OR pack_id IS NOT NULL", name="calibration_of_something"),
    )
    op.add_column("sheet", sa.Column("from_log", sa.Boolean(), nullable=False, server_default="1"))
    op.add_column("log", sa.Column("flight_id", sa.Integer(), nullable=True))
    op.create_index("ix_log_flight_id", "log", ["flight_id"])
    op.add_column("flight", sa.Column("air_c", sa.Double(), nullable=True))
    op.add_column("flight", sa.Column("previous", sa.JSON(), nullable=True))
    op.create_index("ix_flight_air_c", "flight", ["air_c"])
    op.create_index("ix_flight_newest", "flight", ["deleted_at", "landed_at", "id"])
    op.create_index("ix_flight_pack_landed", "flight", ["pack_id", "deleted_at", "landed_at", "id"])
    op.create_index("ix_flight_craft_landed", "flight", ["craft_id", "deleted_at", "landed_at", "id"])
    op.create_index("ix_flight_patterns", "flight", ["deleted_at", "pattern"])
    op.execute("UPDATE flight SET air_c = json_extract(document, '$.air_c')")


def downgrade() -> None:
    op.drop_index("ix_flight_patterns", "flight")
    op.drop_index("ix_flight_newest", "flight")
    op.drop_index("ix_flight_craft_landed", "flight")
    op.drop_index("ix_flight_pack_landed", "flight")
    op.drop_index("ix_flight_air_c", "flight")
    op.drop_column("flight", "previous")
    op.drop_column("flight", "air_c")
    op.drop_index("ix_log_flight_id", "log")
    op.drop_column("log", "flight_id")
    op.drop_column("sheet", "from_log")
    op.drop_table("calibration")
