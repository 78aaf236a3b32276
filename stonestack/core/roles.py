"""What a map is for, and what follows from that: the one table of roles."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.image import Space


@dataclass(frozen=True)
class Derivation:
    """How a map is made where it has no file of its own.

    Parameters
    ----------
    source : str
        The role that it comes from.
    step : str
        The step that makes it of that; empty where the other's numbers serve as they are.
    """

    source: str
    step: str = ""


@dataclass(frozen=True)
class RoleInfo:
    """What follows from a role.

    Parameters
    ----------
    title, hint : str
        The name on screen, and one line.
    space : Space
        What its numbers mean while it is worked on.
    formats : tuple of BlockFormat
        Formats that can carry it, the usual one first.
    suffix : str
        What is put behind the surface's name in its file names, unless the target says otherwise.
    words : str
        Last words of file names that mean it, with spaces between.
    looks : tuple of str
        Families of looks that a picture of it can have; see ``core.catalogue.looks``.
    derived : Derivation or None
        Its usual derivation.
    light : str
        How the light view uses it: ``albedo``, ``normal``, ``specular``, ``opacity``, or empty.
    usual : bool
        Whether a new surface has it without being asked.
    tinted : bool
        Whether a file of its own may hold colours, though its numbers are plain.
    """

    title: str
    hint: str
    space: Space
    formats: tuple[BlockFormat, ...]
    suffix: str
    words: str
    looks: tuple[str, ...]
    derived: Derivation | None = None
    light: str = ""
    usual: bool = False
    tinted: bool = False


_B = BlockFormat
_COLOUR = (_B.BC1, _B.BC3, _B.BC7, _B.RGBA8)
_DATA = (_B.BC4, _B.R8, _B.BC1, _B.BC3, _B.BC7, _B.RGBA8)
_VECTOR = (_B.BC5, _B.RG8, _B.BC7, _B.BC3, _B.BC1, _B.RGBA8)


class Role(StrEnum):
    """What a map is for; one entry a role, in the order of the course sheet."""

    info: RoleInfo

    def __new__(cls, name: str, info: RoleInfo | None = None) -> Role:
        """Make an entry: its name in stored documents, and all that follows from it."""
        if info is None:
            raise ValueError(f"{name} is no role")
        entry = str.__new__(cls, name)
        entry._value_ = name
        entry.info = info
        return entry

    COLOUR = (
        "colour",
        RoleInfo(
            "Colour",
            "What the surface looks like in even white light",
            *(Space.LINEAR, _COLOUR, "_c"),
            words="c col color colour d dif diff diffuse alb albedo bc base basecol basecolor rgb",
            looks=("colour",),
            light="albedo",
            usual=True,
        ),
    )
    NORMAL = (
        "normal",
        RoleInfo(
            "Normal",
            "Which way each point faces",
            *(Space.VECTOR, _VECTOR, "_n"),
            words="n nrm nrml nml nor norm normal normals normalmap normalgl normaldx nm relief",
            looks=("normal",),
            derived=Derivation("height", "normal_from_height"),
            light="normal",
            usual=True,
        ),
    )
    SPECULAR = (
        "specular",
        RoleInfo(
            "Specular",
            "How strongly each point reflects the light",
            *(Space.DATA, _DATA, "_s"),
            words="s spc spec specular specularity shine",
            looks=("grey", "mask"),
            derived=Derivation("colour", "specular_from_colour"),
            light="specular",
            usual=True,
            tinted=True,
        ),
    )
    HEIGHT = (
        "height",
        RoleInfo(
            "Height",
            "How far each point stands out",
            *(Space.DATA, _DATA, "_h"),
            words="h hgt height heightmap disp displace displacement depth bump parallax",
            looks=("grey", "mask"),
            derived=Derivation("colour", "height_from_colour"),
            usual=True,
        ),
    )
    ALPHA = (
        "alpha",
        RoleInfo(
            "Alpha",
            "Where the surface is solid and where it is open",
            *(Space.DATA, _DATA, "_a"),
            words="a alpha mask opening opacity transparency cut cutout",
            looks=("grey", "mask"),
            derived=Derivation("colour", "alpha_from_picture"),
            light="opacity",
        ),
    )
    OCCLUSION = (
        "occlusion",
        RoleInfo(
            "Occlusion",
            "How much of the sky each point sees",
            *(Space.DATA, _DATA, "_ao"),
            words="ao occ occlusion ambientocclusion",
            looks=("grey", "mask"),
            derived=Derivation("height"),
        ),
    )
    CAVITY = (
        "cavity",
        RoleInfo(
            "Cavity",
            "Where fine grooves and edges lie",
            *(Space.DATA, _DATA, "_cv"),
            words="cv cav cavity crevice",
            looks=("grey", "mask"),
            derived=Derivation("height"),
        ),
    )
    GLOSS = (
        "gloss",
        RoleInfo(
            "Gloss",
            "How tight reflections are, white for a mirror",
            *(Space.DATA, _DATA, "_gl"),
            words="g gl gls gloss glossiness smooth smoothness",
            looks=("grey", "mask"),
            derived=Derivation("specular"),
            tinted=True,
        ),
    )
    ROUGHNESS = (
        "roughness",
        RoleInfo(
            "Roughness",
            "How wide reflections spread, black for a mirror",
            *(Space.DATA, _DATA, "_ro"),
            words="r ro rgh rough roughness",
            looks=("grey", "mask"),
            derived=Derivation("specular", "roughness_from_gloss"),
        ),
    )
    METALNESS = (
        "metalness",
        RoleInfo(
            "Metalness",
            "Where the surface is bare metal",
            *(Space.DATA, _DATA, "_mt"),
            words="m mt mtl met metal metallic metalness",
            looks=("mask", "grey"),
        ),
    )
    EMISSIVE = (
        "emissive",
        RoleInfo(
            "Emissive",
            "What shines by itself, and in which colour",
            *(Space.LINEAR, _COLOUR, "_em"),
            words="e em emi emit emissive emission glow illum",
            looks=("colour",),
        ),
    )
    BLEND = (
        "blend",
        RoleInfo(
            "Blend",
            "Where one layer of the surface lies over another",
            *(Space.DATA, _DATA, "_bl"),
            words="bl blend blendmask weight weights",
            looks=("mask", "grey"),
        ),
    )


ROLES: dict[Role, RoleInfo] = {role: role.info for role in Role}


def of_look(family: str) -> tuple[Role, ...]:
    """Return the roles that a picture of a family of looks can have, the likeliest first.

    A mask is an opening sooner than anything else; a grey picture is not.
    """
    fitting = [role for role in Role if family in role.info.looks]
    if family == "mask":
        fitting.sort(key=lambda role: role is not Role.ALPHA)
    return tuple(fitting)
