"""a project comes from another shop: whose spaces, weather and lessons came with it

Revision ID: 0021
Revises: 0020
"""

from uuid import uuid4

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

_LESSONS = "id, coat_uuid, mode, part_uuid, product, drying, space_uuid, at, tests, touches, mist, coated_at"


def upgrade() -> None:
    nobody = "0" * 32
    op.add_column("shop", sa.Column("uuid", sa.Uuid(), nullable=False, server_default=nobody))
    op.get_bind().execute(sa.text("UPDATE shop SET uuid = :uuid"), {"uuid": uuid4().hex})
    op.create_table(
        "shop_elsewhere",
        sa.Column("uuid", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("latitude", sa.Float(), nullable=True),
        sa.Column("longitude", sa.Float(), nullable=True),
    )
    op.create_table(
        "weather_elsewhere",
        sa.Column("shop_uuid", sa.Uuid(), sa.ForeignKey("shop_elsewhere.uuid"), primary_key=True),
        sa.Column("at", sa.DateTime(), primary_key=True),
        *(
            sa.Column(name, sa.Float(), nullable=False)
            for name in ("air_temp_c", "rh_pct", "wind_m_per_s", "gust_m_per_s", "rain_mm_per_h", "cloud_pct")
        ),
    )
    op.execute("ALTER TABLE space ADD COLUMN elsewhere_uuid CHAR(32) REFERENCES shop_elsewhere (uuid)")
    op.add_column("space", sa.Column("name_there", sa.String(), nullable=False, server_default=""))
    op.add_column("project", sa.Column("brought", sa.JSON(), nullable=True))
    _lessons_of(nullable=True)


def downgrade() -> None:
    op.execute("DELETE FROM lesson WHERE part_uuid IS NULL")
    _lessons_of(nullable=False)
    op.drop_column("project", "brought")
    with op.batch_alter_table("space") as space:
        space.drop_column("name_there")
        space.drop_column("elsewhere_uuid")
    op.drop_table("weather_elsewhere")
    op.drop_table("shop_elsewhere")
    op.drop_column("shop", "uuid")


def _lessons_of(*, nullable: bool) -> None:
    """Make the table of lessons anew, with or without those of no part; their ids stay, and are never used again."""
    for index in ("ix_lesson_drying", "ix_lesson_part_uuid", "ix_lesson_product", "ix_lesson_at"):
        op.drop_index(index, "lesson")
    op.rename_table("lesson", "lesson_before")
    op.create_table(
        "lesson",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("coat_uuid", sa.Uuid(), nullable=False),
        sa.Column("mode", sa.String(), nullable=False),
        sa.Column("part_uuid", sa.Uuid(), sa.ForeignKey("part.uuid"), nullable=nullable),
        sa.Column("product", sa.String(), nullable=False),
        sa.Column("drying", sa.String(64), nullable=False),
        sa.Column("space_uuid", sa.Uuid(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("tests", sa.JSON(), nullable=False),
        sa.Column("touches", sa.JSON(), nullable=False),
        sa.Column("mist", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("coated_at", sa.DateTime(), nullable=True),
        sqlite_autoincrement=True,
    )
    op.execute(f"INSERT INTO lesson ({_LESSONS}) SELECT {_LESSONS} FROM lesson_before")  # noqa: S608 - our own
    op.drop_table("lesson_before")
    op.create_index("ix_lesson_drying", "lesson", ["drying", "space_uuid"])
    op.create_index("ix_lesson_part_uuid", "lesson", ["part_uuid"])
    op.create_index("ix_lesson_product", "lesson", ["product"])
    op.create_index("ix_lesson_at", "lesson", ["at"])
