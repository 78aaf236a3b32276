"""The rest of Saltglass's own files: what makes a game folder hard to find one's way in.

Smaller copies, variants, icons that share a surface's name, copies on menu pages, backups that
somebody kept, names that mislead, a sheet with a list of regions, pictures for the interface, and
containers: one plain, one packed with another inside it, and one that holds a name twice.
"""

from __future__ import annotations

import gzip
import io
import json
import tarfile
import zipfile
from collections.abc import Callable, Iterable

import numpy as np
from PIL import Image, ImageDraw

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture import colour
from stonestack.core.picture.image import Bytes, Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.texels import from_texels
from stonestack.core.steps.derive.normal import NormalFromHeight, normal_from_height
from stonestack.demo.paint import Canvas, hexed, mix, plain, relief_light, step, toned

SIDE = 128
THEN = (2026, 3, 1, 9, 0, 0)

Tint = str
Cut = Callable[[Canvas], Floats]
"""Height of a surface in pixels."""


def _bricks(canvas: Canvas) -> Floats:
    row = np.floor(canvas.y / 16)
    x = canvas.x / 32 + row * np.float32(0.5)
    u = np.abs(x - np.floor(x) - np.float32(0.5)) * 32
    v = np.abs(canvas.y / 16 - row - np.float32(0.5)) * 16
    face = np.clip(np.minimum(16 - u, 8 - v) - 1, 0, 3)
    out: Floats = np.add(face, canvas.noise(12, 3, 1) * np.float32(0.4), dtype=np.float32)
    return out


def _squares(canvas: Canvas) -> Floats:
    u = np.abs(canvas.x / 32 - np.floor(canvas.x / 32) - np.float32(0.5)) * 32
    v = np.abs(canvas.y / 32 - np.floor(canvas.y / 32) - np.float32(0.5)) * 32
    face = np.clip(16 - np.maximum(u, v), 0, 3)
    out: Floats = np.add(face, canvas.noise(30, 3, 2) * np.float32(0.2), dtype=np.float32)
    return out


def _ribs(canvas: Canvas) -> Floats:
    u = np.abs(canvas.x / 32 - np.floor(canvas.x / 32) - np.float32(0.5)) * 32
    shape = np.clip(9 - u, 0, 6)
    out: Floats = np.add(shape, canvas.noise(40, 3, 3) * np.float32(0.3), dtype=np.float32)
    return out


def _pebbles(canvas: Canvas) -> Floats:
    return np.abs(canvas.noise(14, 2, 4)) * np.float32(3)


def _grain(canvas: Canvas) -> Floats:
    return canvas.noise(7, 3, 5, stretch=16) * np.float32(1.2)


def _weave(canvas: Canvas) -> Floats:
    x, y = canvas.x / 4, canvas.y / 4
    return (np.sin(x * np.pi / 2) * np.sin(y * np.pi / 2)).astype(np.float32) + canvas.noise(
        50, 3, 6
    ) * np.float32(0.3)


def _cloud(canvas: Canvas) -> Floats:
    return canvas.noise(60, 5, 7) * np.float32(1.2)


MORE: dict[str, tuple[Cut, Tint, Tint]] = {
    "casing_zinc": (_ribs, "#8e979a", "#5f6a6e"),
    "path_brick": (_bricks, "#8a4a38", "#4d342c"),
    "basin_tile": (_squares, "#a9b7ab", "#5c6f68"),
    "rail_brass": (_grain, "#a58442", "#6a5426"),
    "sill_slate": (_cloud, "#55606b", "#39424b"),
    "path_gravel": (_pebbles, "#8d8677", "#57524a"),
    "awning_cloth": (_weave, "#7d8f5e", "#56643f"),
    "shelf_cedar": (_grain, "#8b5f3f", "#54382a"),
    "boiler_iron": (_cloud, "#3f4143", "#26292b"),
    "pot_terracotta": (_cloud, "#b0653f", "#7c432b"),
}
"""Surfaces of the game beside those that the demo project works on."""

_NAMES = {
    "floor_encaustic": ("Encaustic floor", "world"),
    "rib_copper": ("Verdigris rib", "world"),
    "lattice_iron": ("Iron lattice", "world"),
    "wall_limewash": ("Limewashed wall", "world"),
    "glass_bottle": ("Bottle-glass block", "world"),
    "bed_peat": ("Peat bed", "world"),
    "door_planks": ("Potting-shed door", "world"),
    "casing_zinc": ("Boiler casing", "world"),
    "path_brick": ("Brick path", ""),
    "basin_tile": ("Lily basin", ""),
    "sheet_seed_1": ("Seed packets", "menu"),
    "ico_lantern": ("Storm lantern", "menu"),
    "page_door": ("Door on the shed's page", "menu"),
}

Files = dict[str, bytes]


def drawn(name: str, seed: int, tint: Tint | None = None) -> tuple[Picture, Picture, Picture]:
    """Draw a surface: its colour, normals and shine."""
    cut, light, dark = MORE[name]
    canvas = Canvas(SIDE, SIDE, seed, wraps=True)
    height = cut(canvas).astype(np.float32)
    spread = step(0, 2.4, canvas.noise(24, 4, 11) + height * np.float32(0.4))
    picture = mix(plain(canvas, hexed(dark)), hexed(tint or light), spread)
    low = step(0.2, 0.5, height - float(height.min()))
    picture = toned(picture, relief_light(height, 0.3, wraps=True) * (low * 0.35 + 0.65))
    linear = colour.to_linear(np.clip(picture, 0, 1)).transpose(1, 2, 0)
    shade = Picture(np.ascontiguousarray(linear, dtype=np.float32), Space.LINEAR, wraps=True)
    relief = Picture((height / np.float32(SIDE))[..., np.newaxis], Space.DATA, wraps=True)
    normals = normal_from_height(
        relief.with_pixels(np.clip(relief.pixels * 4 + 0.5, 0, 1)), NormalFromHeight(relief=6)
    )
    shine = colour.lightness(shade.pixels) * np.float32(0.5)
    return shade, normals, Picture(shine.astype(np.float32), Space.DATA, wraps=True)


def stored(picture: Picture, format_: BlockFormat) -> bytes:
    """Compress a picture and store it as the game does."""
    return codecs.dds.write(codecs.compress(picture, format_))


def surfaces() -> Files:
    """Return the maps of all further surfaces, by path below ``textures``."""
    files: Files = {}
    for number, name in enumerate(MORE):
        shade, normals, shine = drawn(name, 500 + number)
        files[f"{name}_c.dds"] = stored(shade, BlockFormat.BC1)
        files[f"{name}_n.dds"] = stored(normals, BlockFormat.BC5)
        files[f"{name}_s.dds"] = stored(shine, BlockFormat.BC4)
    for name, words in {
        "awning_cloth": {"red": "#9c4a3c", "blue": "#4a6a8c"},
        "path_gravel": {"winter": "#c9cdd0"},
        "sill_slate": {"wet": "#333d47"},
        "path_brick": {"dry": "#a8644c"},
    }.items():
        for word, tint in words.items():
            seed = 500 + list(MORE).index(name)
            files[f"{name}_{word}_c.dds"] = stored(drawn(name, seed, tint)[0], BlockFormat.BC1)
    return files


def smaller(textures: Files) -> Files:
    """Return copies of colour textures at half and quarter size."""
    out: Files = {}
    for path, data in textures.items():
        if path.endswith("_c.dds") and "_" in path[:-6]:
            texture = codecs.dds.read(data)
            for word, skip in (("half", 1), ("quarter", 2)):
                if len(texture.levels) > skip + 5:
                    size = texture.size(skip)
                    cut = Texture(texture.format, texture.srgb, *size, texture.levels[skip:])
                    out[f"low/{word}/{path}"] = codecs.dds.write(cut)
    return out


def icons(textures: Files) -> Files:
    """Return icons of things: their surface in a disc with a clear rim, uncompressed."""
    out: Files = {}
    for path, data in textures.items():
        if not path.endswith("_c.dds") or path.count("_") != 2:
            continue
        texels = resize(codecs.dds.read(data).picture(Space.LINEAR), 64, 64, "box")
        y, x = np.mgrid[:64, :64].astype(np.float32) - np.float32(31.5)
        cover = np.clip(26 - np.hypot(x, y), 0, 1)[..., np.newaxis]
        pixels = np.concatenate([texels.body, cover], axis=2).astype(np.float32)
        picture = Picture(pixels, Space.LINEAR, alpha=True)
        out[f"icons/ico_{path[:-6]}.dds"] = stored(picture, BlockFormat.RGBA8)
    return out


def seed_sheet() -> Files:
    """Return the sheet of seed packets and its list of regions."""
    image = Image.new("RGB", (256, 256), "#d9ceb2")
    draw = ImageDraw.Draw(image)
    regions = []
    shades = (
        "#7a5ea8",
        "#3f8a56",
        "#c4883a",
        "#8a3a52",
        "#4d7da0",
        "#8a8f45",
        "#a85a8f",
        "#5c4a3a",
    )
    for n in range(16):
        left, top = n % 4 * 64, n // 4 * 64
        draw.rectangle((left + 3, top + 3, left + 60, top + 60), fill="#efe7d2", outline="#5a4e3c")
        for turn in range(6):
            angle = turn * np.pi / 3
            x, y = left + 32 + 13 * np.cos(angle), top + 26 + 13 * np.sin(angle)
            draw.ellipse((x - 7, y - 7, x + 7, y + 7), fill=shades[n % 8])
        draw.ellipse((left + 26, top + 20, left + 38, top + 32), fill="#e7c95a")
        for line in range(n % 3 + 1):
            y = top + 46 + 5 * line
            draw.line((left + 14, y, left + 50 - 6 * line, y), fill="#7d735f", width=2)
        regions.append(f"packet_{n:02} {left} {top} 64 64")
    sheet = stored(from_texels(np.asarray(image), Space.LINEAR), BlockFormat.BC1)
    return {
        "sheet_seed_1.dds": sheet,
        "sheet_seed_1.regions.txt": ("\n".join(regions) + "\n").encode(),
    }


def interface() -> Files:
    """Return pictures of the game's own interface: palettes, run lengths, sixteen bits."""
    out: Files = {}
    for n, word in enumerate(("bar", "frame", "map", "cursor", "dial", "tag")):
        canvas = Canvas(96, 48, 700 + n)
        shade = mix(
            plain(canvas, hexed("#2f3a3c")), hexed("#c7b98a"), step(0, 1.5, canvas.noise(20, 4, 1))
        )
        pixels = (np.clip(shade, 0, 1).transpose(1, 2, 0) * 255).astype(np.uint8)
        pixels[:4] = pixels[-4:] = pixels[:, :4] = pixels[:, -4:] = [24, 28, 30]
        out |= _image(word, pixels, n)
    return out


def _image(word: str, pixels: Bytes, number: int) -> Files:
    image = Image.fromarray(pixels)
    kinds: dict[str, tuple[str, Image.Image, dict[str, object]]] = {
        "tga": ("TGA", image, {"compression": "tga_rle"} if number % 2 else {}),
        "png": ("PNG", image.quantize(48) if number % 2 else image, {}),
    }
    kind = "tga" if number % 3 == 0 else "png"
    name, made, options = kinds[kind]
    buffer = io.BytesIO()
    made.save(buffer, name, **options)
    return {f"ui/ui_{word}.{kind}": buffer.getvalue()}


def misleading(textures: Files) -> Files:
    """Return files whose names say the wrong thing, or nothing."""
    return {
        "tex_0412.dds": textures["basin_tile_c.dds"],
        "tex_0413.dds": textures["boiler_iron_n.dds"],
        "lid_n.dds": stored(drawn("pot_terracotta", 611)[0], BlockFormat.BC1),
        "vat_c.dds": stored(drawn("sill_slate", 612)[1], BlockFormat.RGBA8),
        "hatch_s.dds": stored(drawn("rail_brass", 613)[0], BlockFormat.BC1),
        "icon_wall.dds": stored(drawn("path_brick", 614)[0], BlockFormat.BC1),
    }


def zipped(files: Iterable[tuple[str, bytes]], packed: bool = False) -> bytes:
    """Return a ZIP with fixed times; a name may stand in it twice."""
    buffer = io.BytesIO()
    method = zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED
    with zipfile.ZipFile(buffer, "w", method) as file:
        for name, data in files:
            if name in file.NameToInfo:
                del file.NameToInfo[name]
            info = zipfile.ZipInfo(name, THEN)
            info.compress_type = method
            file.writestr(info, data)
    return buffer.getvalue()


def furnish(own: Files) -> Files:
    """Return all files of the game, given those of the rooms' first surfaces.

    Parameters
    ----------
    own : dict
        ``textures/…`` and ``materials/…`` of the surfaces in :mod:`.originals`.

    Returns
    -------
    dict
        Content by path below the game folder.
    """
    textures = {p.removeprefix("textures/"): d for p, d in own.items() if p.startswith("textures/")}
    more = surfaces()
    casing = {p: d for p, d in more.items() if p.startswith("casing_")}
    loose = {p: d for p, d in more.items() if not p.startswith(("casing_", "boiler_", "shelf_"))}
    kept = {p: d for p, d in more.items() if p.startswith(("boiler_", "shelf_"))}
    door = textures["door_planks_c.dds"]
    files: Files = {f"base/{path}": data for path, data in own.items()}
    files |= {f"base/textures/{p}": d for p, d in loose.items()}
    files |= {f"base/textures/{p}": d for p, d in smaller(textures | loose).items()}
    files |= {f"base/textures/{p}": d for p, d in misleading(more).items()}
    files |= {f"base/{p}": d for p, d in icons(textures | loose).items()}
    files |= {f"base/{p}": d for p, d in interface().items()}
    files |= {f"base/menu/{p}": d for p, d in seed_sheet().items()}
    files |= {
        "base/menu/page_door.dds": door,
        "base/menu/page_floor.dds": textures["floor_encaustic_c.dds"],
        "base/menu/page_rib.dds": textures["rib_copper_c.dds"],
        "base/menu/ico_lantern.dds": lantern(),
        "base/textures/backup/door_planks_c.dds": door,
        "base/textures/wall_limewash_c.dds.bak": textures["wall_limewash_c.dds"],
        "base/hall.hold": zipped((f"textures/{p}", d) for p, d in casing.items()),
        "base/yard.hold": zipped(
            [
                ("textures/twice.dds", kept["shelf_cedar_c.dds"]),
                ("textures/twice.dds", kept["boiler_iron_c.dds"]),
                (
                    "inner/shed.hold",
                    zipped((f"textures/{p}", d) for p, d in kept.items()),
                ),
                ("read_me.txt", b"Things for the yard, packed by the builder's own tool.\n"),
            ],
            packed=True,
        ),
        "names.csv": _table(),
    }
    files["base/materials/casing_zinc.json"] = _casing()
    return files


def lantern() -> bytes:
    """Return the lantern's icon."""
    image = Image.new("RGBA", (512, 512), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    draw.rectangle((216, 40, 296, 90), fill="#4a4038")
    draw.ellipse((116, 90, 396, 430), fill="#c79a3a")
    draw.ellipse((186, 170, 326, 380), fill="#f3d98a")
    draw.rectangle((176, 420, 336, 470), fill="#4a4038")
    small = np.asarray(image.resize((128, 128), Image.Resampling.LANCZOS))
    return stored(from_texels(small, Space.LINEAR), BlockFormat.BC3)


def update(files: Files) -> Files:
    """Return what version 1.1 of the game brings: the same files, but one of them redrawn."""
    fresh = {p: d for p, d in files.items() if p.startswith("base/")}
    fresh["base/textures/basin_tile_c.dds"] = stored(
        drawn("basin_tile", 640, "#c4c9b8")[0], BlockFormat.BC1
    )
    return fresh


def packed_update(files: Files, room: bytes) -> bytes:
    """Return an update as the game's own updater reads it: a packed TAR."""
    buffer = io.BytesIO()
    with (
        gzip.GzipFile(fileobj=buffer, mode="wb", mtime=0) as packer,
        tarfile.open(fileobj=packer, mode="w") as tar,
    ):
        for name, data in sorted({**update(files), "room.json": room}.items()):
            info = tarfile.TarInfo(name)
            info.size = len(data)
            tar.addfile(info, io.BytesIO(data))
    return buffer.getvalue()


def _table() -> bytes:
    rows = ["code,name,where", *(f"{c},{n},{w}" for c, (n, w) in _NAMES.items())]
    return ("\n".join(rows) + "\n").encode()


def _casing() -> bytes:
    definition = {
        "material": "casing_zinc",
        "cutout": False,
        "physical": "metal",
        "gloss": 0.5,
        "metres": 1.2,
        "textures": {
            slot: f"../textures/casing_zinc{suffix}.dds"
            for slot, suffix in (("colour", "_c"), ("normal", "_n"), ("shine", "_s"))
        },
    }
    return (json.dumps(definition, indent=2) + "\n").encode()
