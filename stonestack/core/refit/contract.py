"""What a game's file demands of its replacement, in words and figures."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from stonestack.core.catalogue.describe import Described, describe
from stonestack.core.files.codecs import dds, ktx2, tga
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.runtime.errors import StoneError
from stonestack.core.runtime.readers import reader


class Contract(BaseModel):
    """The exact form of one file.

    Parameters
    ----------
    kind : str
        True kind, by content.
    width, height, levels : int
    format : str
        Block format, or the pixel mode of an image file.
    variant : str
        Header form, row order, packing, palette: in words.
    bytes : int
    refusal : str
        Why it cannot be made again, or empty.
    """

    model_config = ConfigDict(frozen=True)

    kind: str
    width: int
    height: int
    levels: int
    format: str
    variant: str
    bytes: int
    refusal: str = ""

    @property
    def line(self) -> str:
        """The contract in one line."""
        size = f"{self.width} × {self.height}" if self.width else f"{self.bytes} bytes"
        levels = f"{self.levels} levels" if self.levels > 1 else ""
        parts = [self.kind.upper(), self.format.upper(), size, levels, self.variant]
        return ", ".join(p for p in parts if p)


@reader("original")
def contract_of(data: bytes) -> Contract:
    """Read the contract from a file."""
    found = describe(data)
    variant, refusal = "", found.problem
    if not refusal:
        try:
            variant, refusal = _variant(found, data)
        except StoneError as error:
            refusal = error.message
    return Contract(
        kind=found.kind,
        width=found.width,
        height=found.height,
        levels=found.levels,
        format=found.format,
        variant=variant,
        bytes=len(data),
        refusal=refusal,
    )


def _variant(found: Described, data: bytes) -> tuple[str, str]:
    kind = found.kind
    if kind == FileKind.DDS:
        layout = dds.parse(data)
        return layout.variant, _several(layout.texture)
    if kind == FileKind.KTX2:
        return "packed" if ktx2.is_packed(data) else "", _several(ktx2.read(data))
    if kind == FileKind.TGA:
        file = tga.parse(data)
        words = [
            f"{file.depth} bits",
            "run-length packed" if file.rle else "not packed",
            "top row first" if file.from_top else "bottom row first",
        ]
        if file.kind == 1:
            words.append(f"palette of {len(file.palette())}")
        return ", ".join(words), ""
    if kind in (FileKind.PNG, FileKind.BMP, FileKind.TIFF, FileKind.JPEG):
        return _image_words(kind, data), ""
    if kind == "text":
        return "", ""
    return "", f"A file of the kind “{kind}” is kept and restored, but not made again."


def _several(texture: Texture) -> str:
    if texture.elements == 1:
        return ""
    what = "A cube map" if texture.cube else "An array"
    return f"{what} of {texture.elements} pictures is kept and restored, but not made again."


def _image_words(kind: str, data: bytes) -> str:
    from stonestack.core.files.codecs import pictures

    header = pictures.facts(data, FileKind(kind))
    words = []
    if header.palette:
        words.append(f"palette of {header.palette}")
    if kind == FileKind.BMP and len(data) > 26:
        words.append("top row first" if data[25] & 128 else "bottom row first")
    if header.interlaced:
        words.append("interlaced")
    if header.packing:
        words.append(header.packing)
    return ", ".join(words)
