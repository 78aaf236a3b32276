"""Names that people know things by: from a table, from definition files, and the artist's own."""

from __future__ import annotations

import csv
import io
import json
import re
from itertools import islice
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from sqlmodel import Session, col, select

from stonestack.core.catalogue.filenames import folded, parts
from stonestack.core.runtime.errors import BadFile, NotFound
from stonestack.core.runtime.readers import reader
from stonestack.services.workspace import Workspace, must
from stonestack.store.tables import EntryRow, GameRow, NoteRow

MOST_NAMES = 200_000
_MOST_BYTES = 16 << 20
_LONGEST = 200
_SHOWN = {"", "world", "menu"}
_SPLIT = re.compile(r"\s*(?:--|—|=|\+|~|\[|\(|__| - )\s*")


class NamesView(BaseModel):
    """How many names are attached."""

    from_tables: int
    own: int


def attach(ws: Workspace, game_id: str, place: Path) -> NamesView:
    """Attach a table of names, or a folder of definition files whose names carry both.

    Raises
    ------
    BadFile
        If it is neither, or holds no names.
    """
    if place.is_dir():
        found = list(islice((p for p in place.rglob("*") if p.is_file()), MOST_NAMES + 1))
        if len(found) > MOST_NAMES:
            raise _too_large(place.name)
        pairs = from_folder([p.name for p in sorted(found)])
    elif place.is_file():
        if place.stat().st_size > _MOST_BYTES:
            raise _too_large(place.name)
        pairs = from_table(place.name, place.read_bytes())
    else:
        raise NotFound("no-file", f"{place} is not there.", "Choose a CSV or JSON file.")
    return keep(ws, game_id, pairs)


def keep(ws: Workspace, game_id: str, pairs: list[tuple[str, str, str]]) -> NamesView:
    """Put a table's names in the place of those of an earlier table."""
    if not pairs:
        raise BadFile(
            "no-names",
            "No names were found there.",
            "A table has two columns: the code name and the name that people know.",
        )
    with ws.session() as session:
        must(session, GameRow, game_id, "game folder")
        session.connection().exec_driver_sql(
            "DELETE FROM note WHERE game_id = ? AND own = 0", (game_id,)
        )
        for code, human, shown in pairs:
            session.add(
                NoteRow(game_id=game_id, code=folded(code), human=human[:_LONGEST], shown=shown)
            )
        session.flush()
        apply(session, game_id)
    return view(ws, game_id)


def view(ws: Workspace, game_id: str) -> NamesView:
    """Count the names."""
    with ws.session() as session:
        own = [n.own for n in session.exec(select(NoteRow).where(NoteRow.game_id == game_id))]
    return NamesView(from_tables=own.count(False), own=own.count(True))


def own(ws: Workspace, game_id: str, path: str, human: str, note: str, shown: str) -> None:
    """Keep the artist's own name, note and where it is seen, for one file."""
    code = folded(path)
    with ws.session() as session:
        must(session, GameRow, game_id, "game folder")
        row = session.exec(
            select(NoteRow).where(
                NoteRow.game_id == game_id, NoteRow.code == code, col(NoteRow.own).is_(True)
            )
        ).first() or NoteRow(game_id=game_id, code=code, human="", own=True)
        row.human, row.note = human.strip()[:_LONGEST], note.strip()[:2000]
        row.shown = shown if shown in _SHOWN else ""
        session.add(row)
        session.flush()
        apply(session, game_id)


def table(ws: Workspace, game_id: str) -> str:
    """Return the artist's own names and notes as a CSV table."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["code", "name", "where", "note"])
    with ws.session() as session:
        rows = session.exec(
            select(NoteRow)
            .where(NoteRow.game_id == game_id, col(NoteRow.own).is_(True))
            .order_by(NoteRow.code)
        )
        for row in rows:
            writer.writerow([row.code, row.human, row.shown, row.note])
    return out.getvalue()


@reader("names", name="names.csv")
def from_table(name: str, data: bytes) -> list[tuple[str, str, str]]:
    """Read code name, human name and, where given, where it is seen, from CSV or JSON.

    Raises
    ------
    BadFile
        If it is no such table, or a larger one than is read.
    """
    if len(data) > _MOST_BYTES:
        raise _too_large(name)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadFile(
            "not-text", f"{name} is not a text in UTF-8.", "Save the table as UTF-8."
        ) from error
    if text.lstrip()[:1] in ("{", "["):
        return _from_json(name, text)
    try:
        dialect = csv.Sniffer().sniff(text[:4096], delimiters=",;\t")
    except csv.Error:
        dialect = csv.excel
    rows = _rows(name, text, dialect)
    heads = [c.strip().casefold() for c in rows[0]] if rows else []
    where = next((i for i, h in enumerate(heads) if h in ("where", "shown", "seen")), None)
    if heads and heads[0] in ("code", "file", "id", "name", "texture", "code name"):
        rows = rows[1:]
    else:
        where = None
    return [
        (
            r[0].strip(),
            r[1].strip(),
            _where(r[where]) if where is not None and where < len(r) else "",
        )
        for r in rows
    ]


def _rows(name: str, text: str, dialect: type[csv.Dialect]) -> list[list[str]]:
    rows: list[list[str]] = []
    try:
        for row in csv.reader(io.StringIO(text), dialect):
            if len(row) >= 2 and row[0].strip():
                rows.append(row)
            if len(rows) > MOST_NAMES:
                raise _too_large(name)
    except csv.Error as error:
        raise BadFile(
            "csv-damaged", f"{name} is not a table that can be read.", "Save it as plain CSV."
        ) from error
    return rows


def _too_large(name: str) -> BadFile:
    return BadFile(
        "too-many-names",
        f"{name} holds more than {MOST_NAMES:,} names, or more than {_MOST_BYTES >> 20} MB.",
        "Take out the names of things that the game folder does not hold.",
    )


def _from_json(name: str, text: str) -> list[tuple[str, str, str]]:
    try:
        return _pairs(name, json.loads(text))
    except (ValueError, RecursionError) as error:
        raise BadFile(
            "json-damaged", f"{name} is not valid JSON.", "Mend it, or save it as CSV."
        ) from error


def _pairs(name: str, found: Any) -> list[tuple[str, str, str]]:
    if len(found) > MOST_NAMES:
        raise _too_large(name)
    if isinstance(found, dict):
        return [
            (
                str(k),
                str(v["name"] if isinstance(v, dict) and "name" in v else v),
                _where(str(v.get("where", ""))) if isinstance(v, dict) else "",
            )
            for k, v in found.items()
        ]
    out = []
    for row in found:
        if isinstance(row, dict) and "name" in row and "code" in row:
            out.append((str(row["code"]), str(row["name"]), _where(str(row.get("where", "")))))
        elif isinstance(row, list) and len(row) >= 2:
            out.append((str(row[0]), str(row[1]), ""))
    return out


def _where(word: str) -> str:
    word = word.strip().casefold()
    return word if word in _SHOWN else ""


def from_folder(names: list[str]) -> list[tuple[str, str, str]]:
    """Read pairs from file names such as ``rib_cu_02 - Verdigris rib.def``."""
    out = []
    for name in names:
        bare = name.rsplit(".", 1)[0].rstrip(")]")
        halves = [h for h in _SPLIT.split(bare, maxsplit=1) if h]
        if len(halves) == 2:
            # The code name is the half that has no spaces and no capitals.
            first, second = halves
            swap = " " in first or (first.lower() != first and second.lower() == second)
            code, human = (second, first) if swap else (first, second)
            out.append((code.strip(), human.strip(), ""))
    return out


def apply(session: Session, game_id: str) -> None:
    """Write names into the catalogue, so that the search finds by either."""
    notes = session.exec(select(NoteRow).where(NoteRow.game_id == game_id)).all()
    by_code: dict[str, list[NoteRow]] = {}
    for row in notes:
        by_code.setdefault(row.code, []).append(row)
    changes = []
    for entry_id, path, thing in session.exec(
        select(col(EntryRow.id), EntryRow.path, EntryRow.thing).where(EntryRow.game_id == game_id)
    ):
        whole = folded(path)
        name = whole.rpartition("/")[2]
        base = name.rpartition(".")[0] or name
        hits = [
            n
            for code in dict.fromkeys((whole, name, base, parts(path).stem))
            for n in by_code.get(code, [])
        ]
        hits.sort(key=lambda n: not n.own)
        human = next((n.human for n in hits if n.human), "")
        words = "\n".join(f"{n.human}\n{n.note}" for n in hits)
        changes.append((human, f"{whole}\n{folded(thing)}\n{folded(words)}", entry_id))
    session.connection().exec_driver_sql(
        "UPDATE game SET revision = revision + 1 WHERE id = ?", (game_id,)
    )
    if changes:
        session.connection().exec_driver_sql(
            "UPDATE entry SET human = ?, haystack = ? WHERE id = ?", changes
        )
