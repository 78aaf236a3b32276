"""Small made-up game folders for tests."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import numpy as np

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import dds
from stonestack.core.picture.image import Picture, Space
from stonestack.services.game import cataloguing, games
from stonestack.services.jobs import silent
from stonestack.services.safe import planning
from stonestack.services.safe.planning import Replacement
from stonestack.services.workspace import Workspace
from stonestack.store.tables import EntryRow
from tests.core.files.test_archives import tarred, zipped
from tests.support import noise, png

THEN = 1_600_000_000_123_456_789


def colour_dds(seed: int, side: int = 64, format_: BlockFormat = BlockFormat.BC1) -> bytes:
    """Return a texture of tiling noise."""
    pixels = noise(side, side, seed, 9, wraps=True)
    return dds.write(codecs.compress(Picture(pixels, Space.LINEAR, wraps=True), format_))


def small_game(root: Path) -> Path:
    """Write a game folder: loose files, twins, a backup copy, a ZIP and a TAR with a ZIP in it."""
    wall, floor, other = colour_dds(1), colour_dds(2), colour_dds(3)
    inner = zipped([("deep/wall_c.dds", wall), ("deep/note.txt", b"words")], 8)
    files = {
        "tex/wall_c.dds": wall,
        "tex/floor_c.dds": floor,
        "tex/backup/floor_c.dds": floor,
        "menu/page_floor.dds": floor,
        "room.json": b'{"version": "1.0"}',
        "pack/hall.hold": zipped([("a/floor_c.dds", floor), ("a/x.dds", other), ("a/x.dds", wall)]),
        "pack/yard.tar": tarred([("in.zip", inner), ("readme.txt", b"read me")]),
        "odd/broken.dds": wall[:300],
        "odd/empty.png": b"",
    }
    for name, data in files.items():
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        os.utime(path, ns=(THEN, THEN))
    return root


def state(root: Path) -> dict[str, tuple[str, int]]:
    """Return hash and modification time of every file."""
    return {
        p.relative_to(root).as_posix(): (
            hashlib.sha256(p.read_bytes()).hexdigest(),
            p.stat().st_mtime_ns,
        )
        for p in sorted(root.rglob("*"))
        if p.is_file()
    }


def hashes(root: Path) -> dict[str, str]:
    """Return the hash of every file."""
    return {name: digest for name, (digest, _) in state(root).items()}


def catalogued(ws: Workspace, root: Path) -> str:
    """Register and read a folder; return its id."""
    game = games.register(ws, root)
    cataloguing.catalogue(ws, game.id, silent())
    return game.id


def entry(ws: Workspace, game_id: str, path: str) -> EntryRow:
    """Return the entry at a path."""
    with ws.session() as session:
        return planning.entry_at(session, game_id, path)


def painted(data: bytes, shade: int = 255) -> bytes:
    """Return a PNG of a texture with a square painted over it."""
    texels = codecs.read_texture(data).texels().copy()
    texels[8:24, 8:24, :3] = [shade, 20, 30]
    return png(np.ascontiguousarray(texels))


def replacement(ws: Workspace, game_id: str, path: str, shade: int = 255) -> Replacement:
    """Return a replacement for a path: its own picture, painted over."""
    row = entry(ws, game_id, path)
    root = Path(games.get(ws, game_id).root)
    with ws.session() as session:
        file = planning.file_of(session, row)
    original = planning.original_bytes(ws, root, row, file)
    return planning.from_file(row.id or 0, painted(original, shade))
