"""What Saltglass itself ships: plainer art, left by the flood, that the demo replaces."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.derive.normal import NormalFromHeight, normal_from_height
from stonestack.demo import glasshouse
from stonestack.demo.paint import Canvas, fill, hexed, mix, plain, relief_light, step, toned
from stonestack.store.files import write_atomically

SIDE = 512

Drawn = tuple[Floats, Floats, Floats | None]
"""sRGB colour, height in pixels, and coverage where the surface is cut out."""


def _grid(canvas: Canvas, cell: float) -> tuple[Floats, Floats]:
    x, y = canvas.x / np.float32(cell), canvas.y / np.float32(cell)
    u, v = np.broadcast_arrays(x - np.floor(x) - 0.5, y - np.floor(y) - 0.5)
    return u.astype(np.float32), v.astype(np.float32)


def _silt(canvas: Canvas, picture: Floats, much: float) -> Floats:
    """Lay the grey silt of the flood over a picture."""
    cover = step(0.6 - much, 1.6, canvas.noise(170, 5, 90, fall=0.6))
    return mix(picture, hexed("#5c5a50"), cover * np.float32(0.6))


def _floor(canvas: Canvas) -> Drawn:
    u, v = _grid(canvas, 128)
    x, y = np.broadcast_arrays(np.floor(canvas.x / 128), np.floor(canvas.y / 128))
    odd = ((x + y) % 2).astype(np.float32)
    picture = mix(plain(canvas, hexed("#8d8473")), hexed("#5f5a52"), odd)
    edge = (0.5 - np.maximum(np.abs(u), np.abs(v))) * np.float32(128)
    groove = step(3, 3, edge + canvas.noise(20, 3, 1))
    picture = mix(plain(canvas, hexed("#3b3833")), picture, groove)
    height = groove * 3 + canvas.noise(9, 3, 2) * np.float32(0.2)
    return _silt(canvas, picture, 0.3), height, None


def _copper(canvas: Canvas) -> Drawn:
    picture = mix(
        plain(canvas, hexed("#5b4436")), hexed("#43342b"), step(0, 2, canvas.noise(90, 5, 1))
    )
    across = np.abs(canvas.x / 128 - np.floor(canvas.x / 128) - np.float32(0.5)) * 128
    height = np.sqrt(np.clip(1 - (across / 9) ** 2, 0, 1)) * 7 + canvas.noise(60, 3, 2)
    return _silt(canvas, picture, 0.4), np.broadcast_to(height, (SIDE, SIDE)).copy(), None


def _lattice(canvas: Canvas) -> Drawn:
    u, v = _grid(canvas, 128)
    bars = (np.minimum(np.abs(u), np.abs(v)) - np.float32(0.07)) * 128
    bars = np.minimum(bars, (np.hypot(u, v) - np.float32(0.16)) * 128)
    picture = mix(
        plain(canvas, hexed("#4b4744")), hexed("#5c4334"), step(0.4, 1.4, canvas.noise(60, 5, 1))
    )
    height = np.clip(-bars, 0, 8) + canvas.noise(6, 3, 2) * np.float32(0.3)
    return _silt(canvas, picture, 0.2), height.astype(np.float32), fill(bars, 1.6)


def _wall(canvas: Canvas) -> Drawn:
    picture = mix(
        plain(canvas, hexed("#8b8675")), hexed("#6d6a5d"), step(0, 2.4, canvas.noise(200, 6, 1))
    )
    picture = mix(
        picture, hexed("#4b5140"), step(0.9, 1.2, canvas.noise(120, 5, 2)) * np.float32(0.7)
    )
    return _silt(canvas, picture, 0.5), canvas.noise(50, 5, 3) * np.float32(1.6), None


def _glass(canvas: Canvas) -> Drawn:
    u, v = _grid(canvas, 128)
    edge = (0.44 - np.maximum(np.abs(u), np.abs(v))) * np.float32(128)
    picture = mix(plain(canvas, hexed("#6c6a62")), hexed("#39564a"), step(0, 4, edge))
    return _silt(canvas, picture, 0.5), np.clip(edge, 0, 10), None


def _bed(canvas: Canvas) -> Drawn:
    picture = mix(
        plain(canvas, hexed("#423a30")), hexed("#2e2a25"), step(0, 2, canvas.noise(40, 5, 1))
    )
    return _silt(canvas, picture, 0.3), canvas.noise(24, 5, 2) * np.float32(2.2), None


def _door(canvas: Canvas) -> Drawn:
    across = canvas.x / 64 - np.floor(canvas.x / 64) - np.float32(0.5)
    grain = canvas.noise(9, 3, 1, stretch=24) + canvas.noise(40, 3, 2, stretch=9)
    picture = mix(plain(canvas, hexed("#6d665a")), hexed("#49443c"), step(0, 2.6, grain))
    gap = np.broadcast_to(step(0.455, 0.03, np.abs(across)), (SIDE, SIDE))
    picture = mix(picture, hexed("#1d1b18"), gap)
    return _silt(canvas, picture, 0.3), grain * np.float32(0.5) - gap * 5, None


ORIGINALS: dict[str, tuple[Callable[[Canvas], Drawn], dict[str, object]]] = {
    "floor_encaustic": (_floor, {"physical": "tile", "gloss": 0.35, "metres": 2.4}),
    "rib_copper": (_copper, {"physical": "metal", "gloss": 0.4, "metres": 2.0}),
    "lattice_iron": (_lattice, {"physical": "metal", "gloss": 0.4, "metres": 2.0, "cutout": True}),
    "wall_limewash": (_wall, {"physical": "plaster", "gloss": 0.15, "metres": 3.0}),
    "glass_bottle": (_glass, {"physical": "glass", "gloss": 0.7, "metres": 1.6}),
    "bed_peat": (_bed, {"physical": "earth", "gloss": 0.1, "metres": 1.6}),
    "door_planks": (_door, {"physical": "wood", "gloss": 0.2, "metres": 1.6}),
}
"""How each surface of the game looks before anyone works on it.

The demo project works on all but the door, which is left for a first surface of one's own.
"""


def make_game_folder(folder: Path) -> None:
    """Make a Saltglass game folder with all the game's own files, and an update that waits."""
    own: dict[str, bytes] = {}
    for number, (name, (draw, settings)) in enumerate(ORIGINALS.items()):
        canvas = Canvas(SIDE, SIDE, 300 + number, wraps=True)
        own |= _files(name, draw(canvas), settings)
    files = glasshouse.furnish(own)
    update = glasshouse.packed_update(files, _room("1.1"))
    files |= {
        "deliveries.json": b'{"order": []}\n',
        "room.json": _room("1.0"),
        "update.saltglass": update,
    }
    for path, data in files.items():
        write_atomically(folder / path, data)


def _room(version: str) -> bytes:
    room = {
        "game": "saltglass",
        "version": version,
        "largest": 2048,
        "objects": {
            "floor": "floor_encaustic",
            "ribs": "rib_copper",
            "screen": "lattice_iron",
            "walls": "wall_limewash",
            "plinth": "glass_bottle",
            "bed": "bed_peat",
            "door": "door_planks",
            "casing": "casing_zinc",
        },
    }
    return (json.dumps(room, indent=2) + "\n").encode()


def _files(name: str, drawn: Drawn, settings: dict[str, object]) -> dict[str, bytes]:
    shade, height, cover = drawn
    lit = toned(shade, relief_light(height, 0.25, wraps=True))
    linear = colour.to_linear(np.clip(lit, 0, 1)).transpose(1, 2, 0)
    if cover is not None:
        linear = np.concatenate([linear, cover[..., np.newaxis]], axis=2)
    picture = Picture(linear.astype(np.float32), Space.LINEAR, alpha=cover is not None, wraps=True)
    relief = Picture((height / SIDE).astype(np.float32)[..., np.newaxis], Space.DATA, wraps=True)
    normals = normal_from_height(
        relief.with_pixels(relief.pixels * np.float32(5)), NormalFromHeight(relief=20)
    )
    shine = Picture(
        (colour.lightness(linear[..., :3]) * np.float32(0.4)).astype(np.float32),
        Space.DATA,
        wraps=True,
    )
    maps = {
        ("colour", "_c"): (picture, BlockFormat.BC3 if cover is not None else BlockFormat.BC1),
        ("normal", "_n"): (normals, BlockFormat.BC5),
        ("shine", "_s"): (shine, BlockFormat.BC4),
    }
    if cover is not None:
        opening = Picture(cover[..., np.newaxis], Space.DATA, wraps=True)
        maps[("opening", "_a")] = (opening, BlockFormat.BC4)
    files = {
        f"textures/{name}{suffix}.dds": codecs.dds.write(codecs.compress(made, format_))
        for (_, suffix), (made, format_) in maps.items()
    }
    definition = {
        "material": name,
        "cutout": False,
        **settings,
        "textures": {slot: f"../textures/{name}{suffix}.dds" for slot, suffix in maps},
    }
    files[f"materials/{name}.json"] = (json.dumps(definition, indent=2) + "\n").encode()
    return files
