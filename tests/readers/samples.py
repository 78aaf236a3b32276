"""Whole files for every reader, from which spoilt ones are made."""

from __future__ import annotations

import csv
import gzip
import hashlib
import io
import json
import tarfile
import zipfile
from functools import cache

import numpy as np
import tifffile
from PIL import Image, ImageCms

from stonestack.core.document import Mask, Step, recipes
from stonestack.core.document.recipe import Recipe
from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.files.codecs.beyond import write_exr
from stonestack.core.files.codecs.texture import gathered
from stonestack.core.files.workfiles import openraster
from stonestack.core.files.workfiles.openraster import Layer
from stonestack.core.kinds.references import StrokesRef
from stonestack.core.picture.image import Picture, Space
from stonestack.core.steps.fill import Fill
from stonestack.core.steps.masks import strokes
from stonestack.core.steps.masks.strokes import Drawing, Stroke, StrokePoint
from tests.support import noise

WIDTH, HEIGHT = 22, 13


def image(mode: str = "RGB", width: int = WIDTH, height: int = HEIGHT) -> Image.Image:
    """Return a small picture."""
    pixels = Image.fromarray((noise(width, height, 3, 5) * 255).astype(np.uint8))
    if mode == "P":
        return pixels.quantize(32)
    if mode == "I;16":
        return Image.fromarray((noise(width, height, 4, 5)[..., 0] * 65535).astype(np.uint16))
    whole = pixels.convert(mode)
    if mode in ("RGBA", "LA"):
        whole.putalpha(Image.fromarray((noise(width, height, 5, 3)[..., 0] * 255).astype(np.uint8)))
    return whole


def stored(kind: str, mode: str = "RGB", **options: object) -> bytes:
    """Return a small picture in one of Pillow's kinds."""
    buffer = io.BytesIO()
    image(mode).save(buffer, kind, **options)
    return buffer.getvalue()


def unusual_tiffs() -> tuple[bytes, ...]:
    """Return floating point, planes, and white at nought."""
    values = np.linspace(-2, 3, 24 * 32 * 3, dtype=np.float32).reshape(24, 32, 3)
    out = []
    for numbers, options in (
        (values, {"photometric": "rgb"}),
        (values.transpose(2, 0, 1), {"photometric": "rgb", "planarconfig": "separate"}),
        (values[..., 0].astype(np.float64), {"photometric": "minisblack", "compression": "zlib"}),
        ((values[..., 0] * 9000 + 20000).astype(np.uint16), {"photometric": "miniswhite"}),
    ):
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, numbers, **options)
        out.append(buffer.getvalue())
    return tuple(out)


def deep_tiff(**options: object) -> bytes:
    """Return sixteen-bit colour as a TIFF."""
    buffer = io.BytesIO()
    texels = (noise(WIDTH, HEIGHT, 6, 5) * 65535).astype(np.uint16)
    tifffile.imwrite(buffer, texels, photometric="rgb", **options)
    return buffer.getvalue()


def deep_png() -> bytes:
    """Return sixteen-bit colour as a PNG."""
    from stonestack.core.files.codecs.pictures import deep_png

    return deep_png((noise(WIDTH, HEIGHT, 7, 5, channels=4) * 65535).astype(np.uint16))


def profile() -> bytes:
    """Return sRGB as a profile of curves and a matrix."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def table_profile() -> bytes:
    """Return a profile that converts by a table (ICC.1:2022, 10.11: lut16Type)."""
    from tests.readers.profiles import by_table

    return by_table()


def turned(kind: str) -> bytes:
    """Return a picture that a camera has turned, with a profile."""
    exif = Image.Exif()
    exif[0x0112] = 6
    return stored(kind, exif=exif.tobytes(), icc_profile=profile())


def zipped(files: dict[str, bytes], packing: int = zipfile.ZIP_DEFLATED) -> bytes:
    """Return files in a ZIP."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", packing) as box:
        for name, data in files.items():
            box.writestr(name, data)
    return buffer.getvalue()


def tarred(files: dict[str, bytes], form: int = tarfile.PAX_FORMAT) -> bytes:
    """Return files in a TAR."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w", format=form) as box:
        for name, data in files.items():
            info = tarfile.TarInfo(name)
            info.size = len(data)
            box.addfile(info, io.BytesIO(data))
    return buffer.getvalue()


def layered() -> bytes:
    """Return a picture of two layers."""
    texels = np.asarray(image("RGBA"))
    half = np.asarray(image("RGBA").point(lambda v: v // 2))
    return openraster.write([Layer("Over", half, opacity=0.5), Layer("Picture", texels)])


def table(rows: int = 12) -> bytes:
    """Return a table of names as CSV."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["code", "name", "where"])
    writer.writerows([f"rib_cu_{i:02}", f"Verdigris rib, “{i}”", "world"] for i in range(rows))
    return out.getvalue().encode()


@cache
def pictures() -> tuple[bytes, ...]:
    """Return pictures of all kinds, depths and packings."""
    return (
        *(stored("PNG", mode) for mode in ("RGB", "RGBA", "LA", "L", "P", "1", "I;16")),
        *(stored("JPEG", "RGB"), stored("JPEG", "L"), stored("JPEG", "CMYK")),
        stored("JPEG", "RGB", progressive=True),
        *(stored("BMP", mode) for mode in ("RGB", "P", "L")),
        *(stored("TGA", mode) for mode in ("RGB", "RGBA", "L", "P")),
        stored("TGA", "RGBA", compression="tga_rle"),
        *(stored("TIFF", mode) for mode in ("RGB", "RGBA", "CMYK", "1", "I;16")),
        *(stored("TIFF", "RGB", compression=c) for c in ("tiff_lzw", "tiff_deflate", "packbits")),
        *(deep_tiff(), deep_tiff(compression="zlib"), deep_tiff(tile=(16, 16))),
        deep_tiff(byteorder=">", planarconfig="contig", description="{}"),
        *unusual_tiffs(),
        *(deep_png(), turned("PNG"), turned("JPEG"), turned("TIFF")),
        stored("PNG", "RGB", icc_profile=table_profile()),
        *(stored("WEBP", mode, lossless=mode == "RGBA") for mode in ("RGB", "RGBA")),
        turned("WEBP"),
        *lights(),
    )


def lights() -> tuple[bytes, ...]:
    """Return EXR and Radiance pictures: half and single, with alpha, grey, packed and not."""
    import cv2

    values = noise(WIDTH, HEIGHT, 8, 5, channels=4) ** 3 * np.float32(40)
    values[..., 3] = np.clip(values[..., 3], 0, 1)
    done, radiance = cv2.imencode(".hdr", values[..., :3])
    assert done
    return (
        write_exr(Picture(values[..., :3].copy(), Space.LINEAR)),
        write_exr(Picture(values, Space.LINEAR, alpha=True), 32),
        write_exr(Picture(values[..., :1].copy(), Space.DATA)),
        radiance.tobytes(),
    )


@cache
def textures() -> tuple[bytes, ...]:
    """Return textures in every format that is written, in both kinds and both headers."""
    rgba = Picture(noise(16, 8, 4, 5, channels=4), Space.LINEAR, alpha=True)
    made = [codecs.compress(rgba, f) for f in (BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7)]
    made.append(codecs.compress(rgba, BlockFormat.RGBA8))
    data = Picture(noise(16, 8, 5, 5, channels=1), Space.DATA)
    made.append(codecs.compress(data, BlockFormat.BC4))
    more = [codecs.compress(rgba, f) for f in (BlockFormat.BC6H, BlockFormat.RGB10A2)]
    square = Picture(noise(8, 8, 6, 5), Space.LINEAR)
    cube = gathered([codecs.compress(square, BlockFormat.BC1)] * 6, cube=True)
    several = gathered([codecs.compress(square, BlockFormat.RGBA8)] * 3)
    return (
        *(
            write(texture)
            for texture in (*more, cube, several)
            for write in (dds.write, ktx2.write)
        ),
        dds.write(cube, "legacy"),
        *(ktx2.write(texture, True) for texture in (made[0], cube)),
        *(dds.write(texture) for texture in made),
        *(ktx2.write(texture) for texture in made),
        dds.write(made[0], "legacy"),
        dds.write(made[3], "legacy"),
    )


@cache
def containers() -> tuple[bytes, ...]:
    """Return containers of each form, also in each other."""
    files = {"a/one.png": pictures()[0], "b.txt": b"stone " * 40, "long/" * 30 + "x": b"y"}
    inner = zipped(files)
    return (
        *(zipped(files), zipped(files, zipfile.ZIP_STORED)),
        *(tarred(files, form) for form in (tarfile.USTAR_FORMAT, tarfile.GNU_FORMAT)),
        *(tarred({**files, "ä" * 60: b"z"}), tarred({"inner.pack": inner, "b": b"c"})),
        zipped({"inner.zip": inner, "other.tar": tarred(files)}, zipfile.ZIP_STORED),
    )


def drawing() -> bytes:
    """Return strokes of a marker."""
    points = tuple(StrokePoint(x=n / 9, y=0.5, pressure=n / 9) for n in range(10))
    return strokes.kept(Drawing(strokes=(Stroke(size=0.1, soft=0.5, points=points),)))


def recipe() -> bytes:
    """Return a recipe with a picture in it."""
    data = drawing()
    ref = StrokesRef(sha256=hashlib.sha256(data).hexdigest(), count=1)
    mask = Mask(id="a", title="Drawn", shape=strokes.Strokes(strokes=ref))
    step = Step(id="b", mask="a", params=Fill(colour="#102030"))
    whole = Recipe(title="Dark strokes", steps=(step,), masks=(mask,))
    return recipes.written(whole, lambda _sha: data)


@cache
def samples() -> dict[str, tuple[bytes, ...]]:
    """Return whole files by reader."""
    tgas = tuple(data for data in pictures() if codecs.kind_by_content(data) == "tga")
    tiffs = tuple(data for data in pictures() if codecs.kind_by_content(data) == "tiff")
    packs = tuple(gzip.compress(data, mtime=0) for data in (containers()[2], b"", b"stone" * 99))
    everything = (*pictures(), *textures(), *containers(), table(), *packs, layered())
    as_json = json.dumps({f"rib_{i}": {"name": f"Rib {i}", "where": "menu"} for i in range(9)})
    listed = json.dumps([["rib", "Rib"], {"code": "a", "name": "b"}, [1, [2, [3]]]])
    return {
        "picture": (*pictures(), *textures()),
        "shown picture": (*pictures(), *textures()),
        "file": everything,
        "source": everything,
        "anything in a game": everything,
        "original": everything,
        "texture": textures(),
        "dds": tuple(data for data in textures() if data.startswith(b"DDS ")),
        "ktx2": tuple(data for data in textures() if not data.startswith(b"DDS ")),
        "packing": tuple(data for data in textures() if not data.startswith(b"DDS ")),
        "tga": tgas,
        "stored texels": tiffs,
        "profile": (profile(), table_profile()),
        "gzip": (*packs, packs[0] + packs[1] + packs[2]),
        "container": containers(),
        "openraster": (layered(),),
        "flattened picture": (layered(),),
        "strokes": (drawing(),),
        "recipe": (recipe(),),
        "names": (table(), as_json.encode(), listed.encode(), b'a;b\n"c";d\n'),
    }
