"""Documents: surfaces, materials, deliveries and settings in one store of revisions.

Bodies are kept as they were, with the version of their form; they are upgraded when they are read.
"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def _text(name: str, index: bool = False) -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=False, index=index)


def _number(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), nullable=False)


def _created() -> sa.Column[object]:
    return sa.Column("created", sa.DateTime(), nullable=False)


def _counted() -> sa.Column[int]:
    return sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True)


def _link(name: str, to: str, index: bool = True) -> sa.Column[str]:
    return sa.Column(name, sa.String(), sa.ForeignKey(to), nullable=False, index=index)


def upgrade() -> None:
    """Move everything over; ids stay."""
    run = op.get_bind()
    op.create_table(
        "document",
        sa.Column("id", sa.String(), primary_key=True),
        _link("project_id", "project.id"),
        _text("kind"),
        _text("owner", index=True),
        *(_number(n) for n in ("head", "tip", "moves")),
        *(_text(n) for n in ("summary", "summary_of")),
        _created(),
        sa.Index("ix_document_list", "project_id", "kind", "created"),
    )
    op.create_table(
        "action",
        _counted(),
        _link("project_id", "project.id"),
        _text("words"),
        _created(),
        sqlite_autoincrement=True,
    )
    op.rename_table("revision", "old_revision")
    for index in sa.inspect(run).get_indexes("old_revision"):
        if index["name"] and not index["name"].startswith("sqlite_"):
            op.drop_index(index["name"])
    op.create_table(
        "revision",
        _counted(),
        _link("document_id", "document.id"),
        sa.Column("parent", sa.Integer(), nullable=True),
        sa.Column(
            "action_id", sa.Integer(), sa.ForeignKey("action.id"), nullable=False, index=True
        ),
        _text("words"),
        _number("schema_version"),
        _text("body"),
        _created(),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "snapshot",
        sa.Column("id", sa.String(), primary_key=True),
        _link("document_id", "document.id"),
        sa.Column("revision_id", sa.Integer(), sa.ForeignKey("revision.id"), nullable=False),
        _text("title"),
        _created(),
        sa.UniqueConstraint("document_id", "title"),
    )
    op.create_table(
        "built",
        sa.Column("build_id", sa.String(), sa.ForeignKey("build.id"), primary_key=True),
        sa.Column("surface_id", sa.String(), primary_key=True),
        _text("target"),
        _text("key"),
        sa.Index("ix_built_surface", "surface_id", "build_id"),
    )
    _move(run)
    _rebuilt_tables()
    for table in ("old_revision", "material", "delivery", "surface"):
        op.drop_table(table)


def _move(run: sa.Connection) -> None:
    for row in _rows(run, "SELECT * FROM project ORDER BY created"):
        settings = {
            "title": row["title"],
            "targets": [row["target"]],
            "game_folder": row["game_folder"],
            "texels_per_metre": row["texels_per_metre"],
        }
        _document(run, row["id"], row["id"], "project", "", row["created"])
        _revisions(run, row["id"], row["id"], [("Started", settings, row["created"])], 1)
    for row in _rows(run, "SELECT * FROM surface ORDER BY created"):
        _document(run, row["id"], row["project_id"], "surface", "", row["created"])
        states = _rows(
            run,
            "SELECT * FROM old_revision WHERE surface_id = :id ORDER BY number",
            id=row["id"],
        )
        current = [s["number"] for s in states].index(row["current"])
        _revisions(
            run,
            row["id"],
            row["project_id"],
            [(s["words"], json.loads(s["document"]), s["created"]) for s in states],
            1,
            current,
        )
    for row in _rows(run, "SELECT * FROM material ORDER BY created"):
        body = {**json.loads(row["document"]), "surface": row["surface_id"]}
        _document(run, row["id"], row["project_id"], "material", row["surface_id"], row["created"])
        _revisions(run, row["id"], row["project_id"], [("Started", body, row["created"])], 1)
    for row in _rows(run, "SELECT * FROM delivery ORDER BY created"):
        body = json.loads(row["document"])
        _document(run, row["id"], row["project_id"], "delivery", "", row["created"])
        _revisions(run, row["id"], row["project_id"], [("Started", body, row["created"])], 1)


def _rows(run: sa.Connection, query: str, **values: str) -> list[dict[str, Any]]:
    return [dict(row) for row in run.execute(sa.text(query), values).mappings()]


def _document(
    run: sa.Connection, id_: str, project: str, kind: str, owner: str, created: object
) -> None:
    run.execute(
        sa.text(
            "INSERT INTO document (id, project_id, kind, owner, head, tip, moves, summary,"
            " summary_of, created) VALUES (:id, :project, :kind, :owner, 0, 0, 0, '', '', :created)"
        ),
        {"id": id_, "project": project, "kind": kind, "owner": owner, "created": created},
    )


def _revisions(
    run: sa.Connection,
    document: str,
    project: str,
    states: list[tuple[str, dict[str, Any], object]],
    schema: int,
    current: int | None = None,
) -> None:
    """Put in the states of a document, each with an action of its own; one is its head."""
    made: list[int] = []
    for words, body, created in states:
        action = run.execute(
            sa.text(
                "INSERT INTO action (project_id, words, created)"
                " VALUES (:project, :words, :created)"
            ),
            {"project": project, "words": words, "created": created},
        ).lastrowid
        made.append(
            run.execute(
                sa.text(
                    "INSERT INTO revision (document_id, parent, action_id, words, schema_version,"
                    " body, created) VALUES (:document, :parent, :action, :words, :schema, :body,"
                    " :created)"
                ),
                {
                    "document": document,
                    "parent": made[-1] if made else None,
                    "action": action,
                    "words": words,
                    "schema": schema,
                    "body": json.dumps(body, ensure_ascii=False, separators=(",", ":")),
                    "created": created,
                },
            ).lastrowid
        )
    head = made[-1 if current is None else current]
    run.execute(
        sa.text("UPDATE document SET head = :head, tip = :tip WHERE id = :id"),
        {"head": head, "tip": made[-1], "id": document},
    )


def _rebuilt_tables() -> None:
    """Point at documents what pointed at surfaces and deliveries; drop what settings hold now."""
    build = ("id", "delivery_id", "number", "manifest", "folder", "created", "installed")
    op.create_table(
        "new_build",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("delivery_id", sa.String(), sa.ForeignKey("document.id"), nullable=False),
        _number("number"),
        *(_text(n) for n in ("manifest", "folder")),
        sa.Column("files", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("bytes", sa.Integer(), nullable=False, server_default="0"),
        _created(),
        sa.Column("installed", sa.DateTime(), nullable=True),
        sa.UniqueConstraint("delivery_id", "number"),
    )
    _replaced("build", build, build)
    op.create_index("ix_build_delivery_id", "build", ["delivery_id"])
    files = "json_extract(manifest, '$.manifest.files')"
    op.execute(
        f"UPDATE build SET files = json_array_length({files}),"
        " bytes = (SELECT coalesce(sum(json_extract(value, '$.bytes')), 0)"
        f" FROM json_each({files}))"
    )
    work = (
        *("id", "surface_id", "stage", "path", "kind", "sent", "seen", "state", "findings"),
        *("width", "height", "alpha", "created"),
    )
    op.create_table(
        "new_workfile",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("surface_id", sa.String(), sa.ForeignKey("document.id"), nullable=False),
        *(_text(n) for n in ("map", "stage", "path", "kind", "sent", "seen", "state", "findings")),
        _number("width"),
        _number("height"),
        sa.Column("alpha", sa.Boolean(), nullable=False),
        _created(),
    )
    _replaced("workfile", (*work, "role"), (*work, "map"))
    op.create_index("ix_workfile_surface_id", "workfile", ["surface_id"])
    op.create_table("new_project", sa.Column("id", sa.String(), primary_key=True), _created())
    _replaced("project", ("id", "created"), ("id", "created"))


def _replaced(table: str, old: tuple[str, ...], new: tuple[str, ...]) -> None:
    op.execute(f"INSERT INTO new_{table} ({', '.join(new)}) SELECT {', '.join(old)} FROM {table}")
    op.drop_table(table)
    op.rename_table(f"new_{table}", table)


def downgrade() -> None:
    """Histories with branches do not fit the former tables."""
    raise NotImplementedError("Keep a copy of the data folder to go back to an earlier version.")
