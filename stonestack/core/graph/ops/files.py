"""Operations that make what leaves: textures, their files, pictures for the screen, listings."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.blocks.quality import MASK, Quality
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.files.codecs.texture import Making, Texture
from stonestack.core.graph.ops.operation import File, Kind, Nothing, Operation
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.mips import Gloss, MipFilter
from stonestack.core.picture.normals import Green, turned
from stonestack.core.picture.resize import limited
from stonestack.core.picture.texels import to_texels


class Storing(BaseModel):
    """How a picture becomes a texture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: BlockFormat
    green: Green = Green.UP
    mips: bool = True
    quality: Quality = Quality.STANDARD
    filter: MipFilter = "kaiser"
    mask: bool = False
    """Whether its limits mean absent and whole: they stay exactly so, and as much is seen of each
    level by an alpha test."""
    gloss: Gloss = ""
    """Whether it tells how sharply light is reflected: then normals may come beside it."""
    own: tuple[int, ...] = ()
    """Smaller levels whose pictures are given, as the last inputs."""


class DdsForm(BaseModel):
    """Which header a DDS file gets."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    header: Literal["dx10", "legacy"] = "dx10"


class Shown(BaseModel):
    """A picture for the screen, no longer than this where it is set."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    longest: int | None = Field(None, ge=16)


class Written(BaseModel):
    """A picture as an image file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: FileKind
    bits: Literal[8, 16, 32] = 8


class Text(BaseModel):
    """The words of a file that holds nothing computed from pictures."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    text: str


class Listing(BaseModel):
    """Where each file of a delivery lies, in the order of the inputs."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    paths: tuple[str, ...]


class Heading(BaseModel):
    """What a manifest says beside its files."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    delivery: str
    title: str
    version: int
    game: str


def compress(params: Storing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> Texture:
    """Make all levels of a picture and encode them."""
    picture, *more = (turned(one, params.green) for one in inputs)
    own = more[len(more) - len(params.own) :]
    normals = next(iter(inputs[1 : len(inputs) - len(own)]), None)
    making = Making(
        mips=params.mips,
        filter=params.filter,
        quality=params.quality,
        metric=MASK if params.mask else None,
        mask=params.mask,
        gloss=params.gloss,
        own=dict(zip(params.own, own, strict=True)),
    )
    return codecs.compress(picture, params.format, making, normals)


def shown(params: Shown, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    """Store a picture as a PNG."""
    from stonestack.core.files.codecs import pictures

    picture = inputs[0] if params.longest is None else limited(inputs[0], params.longest)
    return File(pictures.quick_png(picture))


def texels(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    """Store a picture as it lies on a GPU, eight bits and four channels: soon there, and large."""
    picture = inputs[0]
    level = to_texels(picture).tobytes()
    srgb = picture.space is Space.LINEAR
    texture = Texture(BlockFormat.RGBA8, srgb, picture.width, picture.height, (level,))
    return File(codecs.ktx2.write(texture))


def image(params: Written, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    """Store a picture as an image file."""
    from stonestack.core.files.codecs import pictures

    return File(pictures.write(inputs[0], params.kind, params.bits))


def shown_texture(params: Shown, inputs: Sequence[object], _blobs: Sequence[bytes]) -> File:
    """Store what a texture holds as a PNG; the picture it was made of says what it means."""
    texture, picture = inputs
    assert isinstance(texture, Texture)
    assert isinstance(picture, Picture)
    return shown(params, [texture.picture(picture.space)], ())


def contents(params: Listing, inputs: Sequence[File], _blobs: Sequence[bytes]) -> File:
    """List the files of a delivery, sorted by path, with size and hash."""
    files: dict[str, dict[str, object]] = {}
    for path, file in zip(params.paths, inputs, strict=True):
        digest = hashlib.sha256(file.data).hexdigest()
        files[path] = {"path": path, "sha256": digest, "bytes": len(file.data)}
    return File(json.dumps([files[path] for path in sorted(files)]).encode())


def archive(params: Listing, inputs: Sequence[File], _blobs: Sequence[bytes]) -> File:
    """Put the files of a delivery into one ZIP archive, the same bytes on every machine.

    Nothing is packed and no time is noted: both would depend on where it is made (APPNOTE 4.4).
    """
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as box:
        for path, file in sorted(zip(params.paths, inputs, strict=True), key=lambda pair: pair[0]):
            entry = zipfile.ZipInfo(path, (1980, 1, 1, 0, 0, 0))
            entry.create_system, entry.external_attr = 3, 0o644 << 16
            box.writestr(entry, file.data)
    return File(buffer.getvalue())


def manifest(params: Heading, inputs: Sequence[File], _blobs: Sequence[bytes]) -> File:
    """Write the manifest of a delivery."""
    whole = {**params.model_dump(), "files": json.loads(inputs[0].data)}
    return File((json.dumps(whole, indent=2, ensure_ascii=False) + "\n").encode())


_PICTURE, _TEXTURE, _FILE = (Kind.PICTURE,), (Kind.TEXTURE,), (Kind.FILE,)

OPERATIONS = (
    Operation(
        "compress",
        5,
        "Compressing",
        Storing,
        _PICTURE,
        Kind.TEXTURE,
        compress,
        more=Kind.PICTURE,
        kept_as="ktx2",
    ),
    Operation("png", 1, "Drawing", Shown, _PICTURE, Kind.FILE, shown, kept_as="png"),
    Operation(
        "texture_png",
        1,
        "Drawing",
        Shown,
        (Kind.TEXTURE, Kind.PICTURE),
        Kind.FILE,
        shown_texture,
        kept_as="png",
    ),
    Operation("texels", 1, "Drawing", Nothing, _PICTURE, Kind.FILE, texels),
    Operation(
        "dds",
        1,
        "Writing",
        DdsForm,
        _TEXTURE,
        Kind.FILE,
        lambda p, inputs, _: File(codecs.dds.write(inputs[0], p.header)),
    ),
    Operation(
        "ktx2",
        1,
        "Writing",
        Nothing,
        _TEXTURE,
        Kind.FILE,
        lambda _p, inputs, _: File(codecs.ktx2.write(inputs[0])),
    ),
    Operation("image", 1, "Writing", Written, _PICTURE, Kind.FILE, image),
    Operation("text", 1, "Writing", Text, (), Kind.FILE, lambda p, _i, _b: File(p.text.encode())),
    Operation("contents", 1, "Listing", Listing, (), Kind.FILE, contents, more=Kind.FILE),
    Operation("archive", 1, "Packing", Listing, (), Kind.FILE, archive, more=Kind.FILE),
    Operation("manifest", 1, "Listing", Heading, _FILE, Kind.FILE, manifest),
)
