"""Game folders: what lies in them, what is kept of them, and what was put into them."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_TABLES = ("workfile", "placed", "kept", "note", "entry", "content", "gamefile", "game")


def _text(name: str, unique: bool = False, index: bool = False) -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=False, unique=unique, index=index)


def _number(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), nullable=False)


def _game() -> sa.Column[str]:
    return sa.Column("game_id", sa.String(), sa.ForeignKey("game.id"), nullable=False, index=True)


def _created() -> sa.Column[object]:
    return sa.Column("created", sa.DateTime(), nullable=False)


def _counted() -> sa.Column[int]:
    return sa.Column("id", sa.Integer(), primary_key=True)


def upgrade() -> None:
    op.create_table(
        "game",
        sa.Column("id", sa.String(), primary_key=True),
        _text("root", unique=True),
        _text("title"),
        _text("version"),
        _text("report"),
        _number("revision"),
        sa.Column("read", sa.DateTime(), nullable=True),
        _created(),
    )
    op.create_table(
        "gamefile",
        _counted(),
        _game(),
        _text("path"),
        _number("size"),
        _number("mtime_ns"),
        _text("sha256"),
        _text("form"),
        _text("problem"),
        sa.UniqueConstraint("game_id", "path"),
    )
    op.create_table(
        "content",
        sa.Column("sha256", sa.String(), primary_key=True),
        *(_text(n) for n in ("kind", "format", "alpha", "problem", "family", "seen", "icon_seen")),
        *(_number(n) for n in ("version", "width", "height", "levels")),
        sa.Column("sure", sa.Float(), nullable=False),
        sa.Column("icon", sa.Float(), nullable=False),
        sa.Column("flat", sa.Boolean(), nullable=False),
        sa.Column("hash", sa.LargeBinary(), nullable=False),
        sa.Column("tones", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "entry",
        _counted(),
        _game(),
        sa.Column(
            "file_id", sa.Integer(), sa.ForeignKey("gamefile.id"), nullable=False, index=True
        ),
        *(_text(n) for n in ("path", "chain", "name", "place", "haystack", "kind", "format")),
        _text("sha256", index=True),
        *(_number(n) for n in ("size", "width", "height", "levels")),
        *(_text(n) for n in ("alpha", "role", "role_reason", "use", "use_reason")),
        sa.Column("sure", sa.Float(), nullable=False),
        _text("thing"),
        *(_text(n) for n in ("relation", "reason", "tier", "variant", "human", "problem")),
        sa.Column("of_id", sa.Integer(), nullable=True),
        sa.Column("backup", sa.Boolean(), nullable=False),
    )
    op.create_index("ix_entry_thing", "entry", ["game_id", "thing"])
    op.create_table(
        "note",
        _counted(),
        _game(),
        *(_text(n) for n in ("code", "human", "note", "shown")),
        sa.Column("own", sa.Boolean(), nullable=False),
    )
    op.create_table(
        "kept",
        _counted(),
        _game(),
        *(_text(n) for n in ("path", "sha256", "version")),
        *(_number(n) for n in ("size", "mtime_ns")),
        _created(),
        sa.UniqueConstraint("game_id", "path", "sha256"),
    )
    op.create_table(
        "placed",
        _counted(),
        _game(),
        *(_text(n) for n in ("path", "file", "chain", "original", "ours", "kept", "version")),
        sa.Column("shown", sa.Boolean(), nullable=False),
        _created(),
        sa.UniqueConstraint("game_id", "file", "chain"),
    )
    op.create_table(
        "workfile",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column(
            "surface_id", sa.String(), sa.ForeignKey("surface.id"), nullable=False, index=True
        ),
        *(_text(n) for n in ("role", "stage", "path", "kind", "sent", "seen", "state", "findings")),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("alpha", sa.Boolean(), nullable=False),
        _created(),
    )


def downgrade() -> None:
    for table in _TABLES:
        op.drop_table(table)
