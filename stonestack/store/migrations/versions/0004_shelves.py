"""Shelves: what was brought into a project, catalogued like a game's files."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Let a catalogue belong to a project instead of a game folder."""
    op.add_column("game", sa.Column("shelf_of", sa.String(), nullable=True))


def downgrade() -> None:
    """Forget the shelves; sources stay."""
    shelves = "(SELECT id FROM game WHERE shelf_of IS NOT NULL)"
    for table in ("entry", "gamefile", "note"):
        op.execute(f"DELETE FROM {table} WHERE game_id IN {shelves}")
    op.execute("DELETE FROM game WHERE shelf_of IS NOT NULL")
    op.drop_column("game", "shelf_of")
