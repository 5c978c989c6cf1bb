"""first tables

Revision ID: 0001
Revises: None
"""

import sqlalchemy as sa
from alembic import op

import cool_sheen.store.types

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

# Written out: a migration must not change when the models do.
_TRIGGERS = [
    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
    f"BEGIN SELECT RAISE(ABORT, '{table} is append-only'); END"
    for table in ("log_entry", "log_target", "product_revision")
    for verb in ("UPDATE", "DELETE")
]


def upgrade() -> None:
    op.create_table(
        "log_entry",
        sa.Column("seq", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("schema_version", sa.Integer(), nullable=False),
        sa.Column("payload", sa.JSON(), nullable=False),
        sa.Column("content_hash", sa.String(length=64), nullable=False),
        sa.Column("occurred_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.Column("recorded_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("device", sa.String(), nullable=False),
        sa.Column("planned_step", sa.String(), nullable=True),
        sa.Column("reason", sa.String(), nullable=True),
        sa.Column("voids", sa.Uuid(), nullable=True),
        sa.PrimaryKeyConstraint("seq"),
        sa.UniqueConstraint("uuid"),
        sqlite_autoincrement=True,
    )
    with op.batch_alter_table("log_entry", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_log_entry_kind"), ["kind"], unique=False)

    op.create_table(
        "product_revision",
        sa.Column("content_hash", sa.String(length=64), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("data", sa.JSON(), nullable=False),
        sa.Column("recorded_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.PrimaryKeyConstraint("content_hash"),
    )
    with op.batch_alter_table("product_revision", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_product_revision_key"), ["key"], unique=False)

    op.create_table(
        "project",
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("created_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.PrimaryKeyConstraint("uuid"),
    )
    op.create_table(
        "shop",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("time_zone", sa.String(), nullable=False),
        sa.Column("units", sa.String(), nullable=False),
        sa.Column("weather_seed", sa.Integer(), nullable=False),
        sa.Column("opens", sa.String(), nullable=False),
        sa.Column("closes", sa.String(), nullable=False),
        sa.Column("is_demo", sa.Boolean(), nullable=False),
        sa.CheckConstraint("id = 1", name="one_shop"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "space",
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("heater_min_c", sa.Double(), nullable=True),
        sa.Column("dehumidifier_max_rh_pct", sa.Double(), nullable=True),
        sa.Column("air_movement", sa.String(), nullable=False),
        sa.Column("has_sensor", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("uuid"),
    )
    op.create_table(
        "climate_import",
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("space_uuid", sa.Uuid(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("options", sa.JSON(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=True),
        sa.Column("content_hash", sa.String(length=64), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("points", sa.Integer(), nullable=False),
        sa.Column("first_at", cool_sheen.store.types.UtcDateTime(), nullable=True),
        sa.Column("last_at", cool_sheen.store.types.UtcDateTime(), nullable=True),
        sa.Column("recorded_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["space_uuid"],
            ["space.uuid"],
        ),
        sa.PrimaryKeyConstraint("uuid"),
    )
    with op.batch_alter_table("climate_import", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_climate_import_space_uuid"), ["space_uuid"], unique=False)

    op.create_table(
        "part",
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("project_uuid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("substrate", sa.String(), nullable=False),
        sa.Column("area_m2", sa.Double(), nullable=False),
        sa.Column("created_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.Column("system", sa.JSON(), nullable=False),
        sa.Column("revisions", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["project_uuid"],
            ["project.uuid"],
        ),
        sa.PrimaryKeyConstraint("uuid"),
    )
    with op.batch_alter_table("part", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_part_project_uuid"), ["project_uuid"], unique=False)

    op.create_table(
        "climate_point",
        sa.Column("import_uuid", sa.Uuid(), nullable=False),
        sa.Column("at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.Column("air_temp_c", sa.Double(), nullable=False),
        sa.Column("rh_pct", sa.Double(), nullable=False),
        sa.Column("surface_temp_c", sa.Double(), nullable=True),
        sa.ForeignKeyConstraint(
            ["import_uuid"],
            ["climate_import.uuid"],
        ),
        sa.PrimaryKeyConstraint("import_uuid", "at"),
    )
    op.create_table(
        "face",
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("part_uuid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(
            ["part_uuid"],
            ["part.uuid"],
        ),
        sa.PrimaryKeyConstraint("uuid"),
    )
    with op.batch_alter_table("face", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_face_part_uuid"), ["part_uuid"], unique=False)

    op.create_table(
        "zone",
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("part_uuid", sa.Uuid(), nullable=False),
        sa.Column("face_uuid", sa.Uuid(), nullable=False),
        sa.Column("split_from", sa.Uuid(), nullable=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("area_m2", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(
            ["face_uuid"],
            ["face.uuid"],
        ),
        sa.ForeignKeyConstraint(
            ["part_uuid"],
            ["part.uuid"],
        ),
        sa.ForeignKeyConstraint(
            ["split_from"],
            ["zone.uuid"],
        ),
        sa.PrimaryKeyConstraint("uuid"),
    )
    with op.batch_alter_table("zone", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_zone_part_uuid"), ["part_uuid"], unique=False)

    op.create_table(
        "log_target",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("project_uuid", sa.Uuid(), nullable=True),
        sa.Column("part_uuid", sa.Uuid(), nullable=True),
        sa.Column("zone_uuid", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(
            ["part_uuid"],
            ["part.uuid"],
        ),
        sa.ForeignKeyConstraint(
            ["project_uuid"],
            ["project.uuid"],
        ),
        sa.ForeignKeyConstraint(
            ["seq"],
            ["log_entry.seq"],
        ),
        sa.ForeignKeyConstraint(
            ["zone_uuid"],
            ["zone.uuid"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("log_target", schema=None) as batch_op:
        batch_op.create_index("ix_log_target_part", ["part_uuid", "seq"], unique=False)
        batch_op.create_index(batch_op.f("ix_log_target_seq"), ["seq"], unique=False)

    for statement in _TRIGGERS:
        op.execute(statement)
