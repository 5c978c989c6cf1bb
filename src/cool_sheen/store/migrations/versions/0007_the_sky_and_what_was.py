"""wind, rain and cloud of a forecast; spaces as they were; lessons of mists, and by when they were taught

Revision ID: 0007
Revises: 0006
"""

import sqlalchemy as sa
from alembic import op

from cool_sheen.store.types import UtcDateTime

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_SKY = ("wind_m_per_s", "gust_m_per_s", "rain_mm_per_h", "cloud_pct")


def upgrade() -> None:
    for name in _SKY:
        op.add_column("climate_point", sa.Column(name, sa.Float(), nullable=True))
    for name in ("shade", "wind_break"):
        op.add_column("space", sa.Column(name, sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "space_as_it_was",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("space_uuid", sa.Uuid(), sa.ForeignKey("space.uuid"), nullable=False, index=True),
        sa.Column("since", UtcDateTime(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("heater_min_c", sa.Float(), nullable=True),
        sa.Column("dehumidifier_max_rh_pct", sa.Float(), nullable=True),
        sa.Column("air_movement", sa.String(), nullable=False),
        sa.Column("lag_h", sa.Float(), nullable=True),
        sa.Column("shade", sa.Boolean(), nullable=False),
        sa.Column("wind_break", sa.Boolean(), nullable=False),
    )
    op.execute(
        "INSERT INTO space_as_it_was (space_uuid, since, kind, heater_min_c, dehumidifier_max_rh_pct, air_movement,"
        " lag_h, shade, wind_break) SELECT uuid, '1970-01-01 00:00:00.000000', kind, heater_min_c,"
        " dehumidifier_max_rh_pct, air_movement, lag_h, shade, wind_break FROM space"
    )
    op.add_column("lesson", sa.Column("mist", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("lesson", sa.Column("coated_at", UtcDateTime(), nullable=True))
    op.create_index("ix_lesson_at", "lesson", ["at"])
    op.execute("DELETE FROM lesson")  # made again from the log when the program starts
    op.execute("DELETE FROM part_status")


def downgrade() -> None:
    op.drop_index("ix_lesson_at", "lesson")
    grown = {"lesson": ("coated_at", "mist"), "space": ("wind_break", "shade"), "climate_point": _SKY}
    for table, names in grown.items():
        for name in names:
            op.drop_column(table, name)
    op.drop_table("space_as_it_was")
