"""First tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def _id() -> sa.Column[str]:
    return sa.Column("id", sa.String(), primary_key=True)


def _link(table: str) -> sa.Column[str]:
    return sa.Column(
        f"{table}_id", sa.String(), sa.ForeignKey(f"{table}.id"), nullable=False, index=True
    )


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=False)


def _created() -> sa.Column[object]:
    return sa.Column("created", sa.DateTime(), nullable=False)


def upgrade() -> None:
    op.create_table(
        "project",
        _id(),
        _text("title"),
        _text("target"),
        sa.Column("game_folder", sa.String(), nullable=True),
        _created(),
    )
    op.create_table(
        "source",
        _id(),
        _link("project"),
        sa.Column("sha256", sa.String(), nullable=False, index=True),
        _text("name"),
        _text("facts"),
        _created(),
        sa.UniqueConstraint("project_id", "sha256", "name"),
    )
    op.create_table(
        "surface",
        _id(),
        _link("project"),
        sa.Column("current", sa.Integer(), nullable=False),
        _created(),
    )
    op.create_table(
        "revision",
        _id(),
        _link("surface"),
        sa.Column("number", sa.Integer(), nullable=False),
        _text("words"),
        _text("document"),
        _created(),
        sa.UniqueConstraint("surface_id", "number"),
    )
    op.create_table(
        "material", _id(), _link("project"), _link("surface"), _text("document"), _created()
    )
    op.create_table("delivery", _id(), _link("project"), _text("document"), _created())
    op.create_table(
        "build",
        _id(),
        _link("delivery"),
        sa.Column("number", sa.Integer(), nullable=False),
        _text("manifest"),
        _text("folder"),
        _created(),
        sa.Column("installed", sa.DateTime(), nullable=True),
        sa.UniqueConstraint("delivery_id", "number"),
    )
    op.create_table("render", sa.Column("key", sa.String(), primary_key=True), _text("plan"))


def downgrade() -> None:
    for table in (
        "render",
        "build",
        "delivery",
        "material",
        "revision",
        "surface",
        "source",
        "project",
    ):
        op.drop_table(table)
