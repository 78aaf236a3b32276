"""What a map is for, and what follows from that: the one table of roles."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.picture.image import Space
from stonestack.core.picture.mips import Gloss


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
    looks : mapping of str to float
        How many of a hundred pictures of it look like a ``core.catalogue.looks.Appearance``.
    common : float
        How many of a hundred files are of it, about.
    derived : Derivation or None
        Its usual derivation.
    light : str
        How the light view uses it: ``albedo``, ``normal``, ``specular``, ``opacity``, or empty.
    usual : bool
        Whether a new surface has it without being asked.
    tinted : bool
        Whether a file of its own may hold colours, though its numbers are plain.
    mask : bool
        Whether its limits mean absent and whole, so that they stay exactly so when compressed.
    gloss : {"", "gloss", "roughness"}
        Whether it tells how sharply light is reflected: its smaller levels follow the normals.
    """

    title: str
    hint: str
    space: Space
    formats: tuple[BlockFormat, ...]
    suffix: str
    words: str
    looks: Mapping[str, float]
    common: float = 2.0
    derived: Derivation | None = None
    light: str = ""
    usual: bool = False
    tinted: bool = False
    mask: bool = False
    gloss: Gloss = ""


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
            words=(
                "c col color colour d dif diff diffuse alb albedo bc base "
                "basecol basecolor basecolour rgb rgba clr diffusecolor diffusecolour colormap "
                "colourmap"
            ),
            looks={"colour": 90, "grey": 2, "dim": 2, "wide": 2, "fine": 1, "pale": 1},
            common=30,
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
            words=(
                "n nrm nrml nml nor norm normal normals normalmap "
                "normalgl normaldx nm relief nmap norms tangent"
            ),
            looks={"normal": 97},
            common=20,
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
            words="s spc spec specular specularity shine speclevel reflect reflection refl",
            looks={"dim": 55, "grey": 20, "wide": 10, "mask": 5, "colour": 5},
            common=8,
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
            words=(
                "h hgt height heightmap disp displace displacement "
                "depth bump parallax displ dsp elevation"
            ),
            looks={"wide": 50, "deep": 30, "grey": 12, "dim": 3},
            common=9,
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
            words=(
                "a alpha mask opening opacity transparency cut cutout opac trans transparent holes"
            ),
            looks={"mask": 80, "grey": 6, "pale": 3, "wide": 3},
            common=6,
            derived=Derivation("colour", "alpha_from_picture"),
            light="opacity",
            mask=True,
        ),
    )
    OCCLUSION = (
        "occlusion",
        RoleInfo(
            "Occlusion",
            "How much of the sky each point sees",
            *(Space.DATA, _DATA, "_ao"),
            words="ao occ occlusion ambientocclusion ambient ambocc",
            looks={"pale": 75, "grey": 10, "wide": 10},
            common=7,
            derived=Derivation("height", "occlusion_from_height"),
        ),
    )
    CAVITY = (
        "cavity",
        RoleInfo(
            "Cavity",
            "Where fine grooves and edges lie",
            *(Space.DATA, _DATA, "_cv"),
            words="cv cav cavity crevice crease pits",
            looks={"fine": 75, "grey": 10, "wide": 5},
            common=2,
            derived=Derivation("height", "cavity_from_height"),
        ),
    )
    GLOSS = (
        "gloss",
        RoleInfo(
            "Gloss",
            "How tight reflections are, white for a mirror",
            *(Space.DATA, _DATA, "_gl"),
            words="g gl gls gloss glossiness smooth smoothness",
            looks={"grey": 50, "dim": 25, "wide": 10, "colour": 3},
            common=4,
            derived=Derivation("colour", "gloss_from_colour"),
            tinted=True,
            gloss="gloss",
        ),
    )
    ROUGHNESS = (
        "roughness",
        RoleInfo(
            "Roughness",
            "How wide reflections spread, black for a mirror",
            *(Space.DATA, _DATA, "_ro"),
            words="r ro rgh rough roughness",
            looks={"grey": 65, "wide": 15, "pale": 10},
            common=8,
            derived=Derivation("colour", "roughness_from_colour"),
            gloss="roughness",
        ),
    )
    METALNESS = (
        "metalness",
        RoleInfo(
            "Metalness",
            "Where the surface is bare metal",
            *(Space.DATA, _DATA, "_mt"),
            words="m mt mtl met metal metallic metalness mtlness metalicness",
            looks={"mask": 75, "grey": 10, "dim": 5},
            common=5,
        ),
    )
    EMISSIVE = (
        "emissive",
        RoleInfo(
            "Emissive",
            "What shines by itself, and in which colour",
            *(Space.LINEAR, _COLOUR, "_em"),
            words=(
                "e em emi emit emissive emission glow illum emis lum luminous lights illumination"
            ),
            looks={"glow": 75, "colour": 10, "mask": 5},
            common=3,
            derived=Derivation("colour", "emissive_from_colour"),
        ),
    )
    BLEND = (
        "blend",
        RoleInfo(
            "Blend",
            "Where one layer of the surface lies over another",
            *(Space.DATA, _DATA, "_bl"),
            words="bl blend blendmask weight weights layermask splat",
            looks={"mask": 50, "grey": 25, "wide": 10},
            common=1,
            derived=Derivation("height", "blend_from_height"),
        ),
    )
    PACKED = (
        "packed",
        RoleInfo(
            "Packed",
            "Several greys in one file, one in each channel",
            *(Space.DATA, _COLOUR, "_pk"),
            words="pk pack packed packedmap orm arm rma mra mro mao rmao mrao armd ormh maskmap",
            looks={"packed": 90, "colour": 5},
            common=5,
            tinted=True,
        ),
    )


ROLES: dict[Role, RoleInfo] = {role: role.info for role in Role}
