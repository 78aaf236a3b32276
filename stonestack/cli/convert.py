"""``stone-stack convert``, ``gather``, ``compare``: files to files, and how far they are apart."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from stonestack.cli.words import formats, one_of, qualities, roles


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the commands."""
    convert = commands.add_parser("convert", help="make a texture of a picture, or the reverse")
    convert.add_argument("input", type=Path)
    convert.add_argument("output", type=Path, help="its kind follows its extension")
    convert.add_argument("--format", type=one_of(formats), help="a block format")
    convert.add_argument("--role", type=one_of(roles), default="colour")
    convert.add_argument("--size", metavar="WxH", help="texels, for example 1024x1024")
    convert.add_argument("--no-mips", action="store_true")
    convert.add_argument(
        "--quality", type=one_of(qualities), default="standard", help="how hard is searched"
    )
    convert.add_argument(
        "--filter",
        choices=["kaiser", "box", "lanczos", "nearest"],
        default="kaiser",
        help="what makes the smaller levels",
    )
    convert.add_argument(
        "--header",
        choices=["legacy", "dx10"],
        help="of a DDS; by default the legacy one, which every reader knows, where it can",
    )
    convert.add_argument("--zstd", action="store_true", help="pack the levels of a KTX2")
    convert.add_argument(
        "--bits", type=int, choices=[8, 16, 32], help="of a picture file; 32 are floating point"
    )
    convert.add_argument(
        "--normalise", action="store_true", help="bring normals to unit length; else they stay"
    )
    convert.add_argument(
        "--element", type=int, metavar="N", help="one picture of a cube map or array, from 0"
    )
    convert.add_argument(
        "--deband", action="store_true", help="even out the terraces of an 8-bit height"
    )
    convert.set_defaults(run=_convert)

    gather = commands.add_parser(
        "gather", help="put textures of one size and format into one file: a cube map or an array"
    )
    gather.add_argument("output", type=Path, help="ends in .dds or .ktx2")
    gather.add_argument("inputs", type=Path, nargs="+", metavar="input")
    gather.add_argument(
        "--cube", action="store_true", help="six are the faces +x, -x, +y, -y, +z and -z"
    )
    gather.add_argument("--zstd", action="store_true", help="pack the levels of a KTX2")
    gather.set_defaults(run=_gather)

    compare = commands.add_parser("compare", help="measure how far one file is from another")
    compare.add_argument("first", type=Path)
    compare.add_argument("second", type=Path)
    compare.add_argument("--role", type=one_of(roles), default="colour")
    compare.add_argument("--json", action="store_true")
    compare.set_defaults(run=_compare)


def _convert(options: argparse.Namespace) -> int:
    from stonestack.core.files.blocks.quality import Quality
    from stonestack.core.tables.roles import Role
    from stonestack.core.tools.converting import convert, parse_size
    from stonestack.store.files import write_atomically

    if options.input.resolve() == options.output.resolve():
        print("The output is the input; originals are never changed.", file=sys.stderr)
        return 2
    made = convert(
        options.input.read_bytes(),
        options.output.name,
        role=Role(options.role),
        format_name=options.format,
        size=parse_size(options.size) if options.size else None,
        mips=not options.no_mips,
        deband=options.deband,
        quality=Quality(options.quality),
        filter_=options.filter,
        header=options.header,
        packed=options.zstd,
        bits=options.bits,
        normalise=options.normalise,
        element=options.element,
    )
    write_atomically(options.output, made.data)
    if made.words:
        print(made.words)
    return 0


def _gather(options: argparse.Namespace) -> int:
    from stonestack.core.tools.converting import gather
    from stonestack.store.files import write_atomically

    if options.output.resolve() in {path.resolve() for path in options.inputs}:
        print("The output is an input; originals are never changed.", file=sys.stderr)
        return 2
    files = [path.read_bytes() for path in options.inputs]
    made = gather(files, options.output.name, cube=options.cube, packed=options.zstd)
    write_atomically(options.output, made)
    return 0


def _compare(options: argparse.Namespace) -> int:
    from stonestack.core.judge.comparing import compare
    from stonestack.core.tables.roles import Role

    role = Role(options.role)
    found = compare(options.first.read_bytes(), options.second.read_bytes(), role)
    if options.json:
        print(found.model_dump_json(indent=2))
        return 0
    rows = {"Size": f"{found.width} × {found.height}, {found.channels} channels"}
    if found.equal:
        rows["Equal"] = "yes, to the last bit of eight"
    else:
        rows["PSNR"] = "equal" if found.psnr is None else f"{found.psnr:.2f} dB"
        if found.psnr_alpha is not None:
            rows["PSNR of alpha"] = f"{found.psnr_alpha:.2f} dB"
        rows["SSIM"] = f"{found.ssim:.5f}"
        rows["Most"] = f"{found.most} of 255"
    if found.mean_angle is not None and found.high_angle is not None:
        rows["Turned by"] = (
            f"{found.mean_angle:.3f}° on average, 99 of 100 by less than {found.high_angle:.3f}°"
        )
    for name, value in rows.items():
        print(f"{name:14} {value}")
    for block in found.worst:
        print(f"  worst block at {block.x}, {block.y}: {block.rms:.1f} of 255")
    return 0
