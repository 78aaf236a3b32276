"""Kinds of matter: what a surface is made of, and where its numbers begin. The one table of them.

Sources of the ranges, and what of them is measured:

- *Reflects*: the share of light that falls straight on and comes straight back, of a clean face.
  It follows from the refractive index n as ``((n - 1) / (n + 1)) ** 2`` (M. Born and E. Wolf,
  "Principles of Optics", section 1.5.2). Indices: of minerals, W. Deer, R. Howie and J. Zussman,
  "An Introduction to the Rock-Forming Minerals", 1992 (quartz 1.54, gypsum 1.52, calcite 1.49 to
  1.66, feldspars 1.52 to 1.59, haematite 2.9 to 3.2); of fibres, W. Morton and J. Hearle, "Physical
  Properties of Textile Fibres", 1962, chapter 24 (cotton 1.53 to 1.58, wool 1.55); of leaves, J.
  Woolley, "Reflectance and Transmittance of Light by Leaves", Plant Physiology 47 (1971) (1.43); of
  skin, V. Tuchin, "Tissue Optics", 2000 (1.34 to 1.55); of metals, E. Palik, "Handbook of Optical
  Constants of Solids", 1985 (iron 0.5 to 0.6, copper 0.5 to 0.95, aluminium 0.9, by the colour of
  the light).
- *Albedo*: the share of all light that is scattered back: T. Oke, "Boundary Layer Climates", 1987,
  table 1.1 (soil 0.05 to 0.40, grass 0.16 to 0.26, brick 0.20 to 0.40, stone 0.20 to 0.35, paint
  0.15 to 0.90); of skin, R. Anderson and J. Parrish, "The Optics of Human Skin", J. Investigative
  Dermatology 77 (1981). Where neither has a matter its range is wider and ours.
- *Steepness and gloss*: M. Oren and S. Nayar, "Generalization of Lambert's Reflectance Model",
  SIGGRAPH 1994, fit spreads of slope of 30 degrees to wall plaster and 35 to sand, finer than
  texels are; no relief that texels show should be steeper. Below that they are starting values of
  our own.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


@dataclass(frozen=True)
class MatterInfo:
    """Where the numbers of a matter begin.

    Parameters
    ----------
    title : str
    words : str
        Words of file names that mean it.
    reflects : (float, float)
        Least and most of a clean face; dirt and hollows may lie lower.
    albedo : (float, float)
        Luminance of its colour, linear.
    steepness : float
        Degrees; one texel in ten is steeper.
    gloss : float
        0..1, of its smooth parts.
    radius : float
        How far occlusion looks, in hundredths of the width.
    hollow : (float, float)
        Radius, in hundredths of the width, and contrast of its cavity map.
    metal : bool
        Whether its reflection has its own colour.
    physical : str
        What it is in a game's world.
    """

    title: str
    words: str
    reflects: tuple[float, float]
    albedo: tuple[float, float]
    steepness: float
    gloss: float
    radius: float
    hollow: tuple[float, float]
    metal: bool = False
    physical: str = "stone"


class Matter(StrEnum):
    """What a surface is made of; one entry a matter."""

    info: MatterInfo

    def __new__(cls, name: str, info: MatterInfo | None = None) -> Matter:
        """Make an entry: its name in stored documents, and all that follows from it."""
        if info is None:
            raise ValueError(f"{name} is no matter")
        entry = str.__new__(cls, name)
        entry._value_ = name
        entry.info = info
        return entry

    STONE = (
        "stone",
        MatterInfo(
            "Stone",
            "stone rock cobble cobbles pebble gravel granite marble slate limestone sandstone "
            "basalt cliff boulder pavement paving sett setts flagstone flagstones concrete cement",
            *((0.04, 0.06), (0.1, 0.45), 22.0, 0.3, 5.0, (0.3, 2.0)),
        ),
    )
    PLASTER = (
        "plaster",
        MatterInfo(
            "Plaster",
            "plaster stucco limewash whitewash render lime gypsum wall paint painted chalk",
            *((0.03, 0.05), (0.3, 0.9), 10.0, 0.15, 4.0, (0.3, 1.5)),
            physical="plaster",
        ),
    )
    BRICK = (
        "brick",
        MatterInfo(
            "Brick",
            "brick bricks brickwork masonry clinker",
            *((0.035, 0.05), (0.2, 0.4), 22.0, 0.2, 6.0, (0.35, 2.5)),
        ),
    )
    WOOD = (
        "wood",
        MatterInfo(
            "Wood",
            "wood wooden plank planks board boards timber oak pine beech walnut bark parquet log",
            *((0.035, 0.045), (0.1, 0.5), 14.0, 0.35, 4.0, (0.2, 2.0)),
            physical="wood",
        ),
    )
    METAL = (
        "metal",
        MatterInfo(
            "Metal",
            "metal iron steel copper brass bronze aluminium aluminum tin chrome gold silver zinc "
            "lead rib grille lattice plate",
            *((0.5, 0.95), (0.0, 0.95), 8.0, 0.6, 3.0, (0.2, 1.5)),
            metal=True,
            physical="metal",
        ),
    )
    RUSTED_METAL = (
        "rusted_metal",
        MatterInfo(
            "Rusted metal",
            "rust rusty rusted corroded corrosion patina verdigris",
            *((0.05, 0.25), (0.04, 0.3), 18.0, 0.25, 4.0, (0.3, 2.5)),
            physical="metal",
        ),
    )
    CLOTH = (
        "cloth",
        MatterInfo(
            "Cloth",
            "cloth fabric linen cotton wool canvas denim silk velvet carpet rug weave woven "
            "textile burlap curtain",
            *((0.04, 0.05), (0.03, 0.8), 20.0, 0.15, 3.0, (0.2, 1.5)),
            physical="earth",
        ),
    )
    LEATHER = (
        "leather",
        MatterInfo(
            "Leather",
            "leather hide suede saddle",
            *((0.03, 0.045), (0.03, 0.4), 14.0, 0.45, 3.0, (0.2, 2.0)),
            physical="earth",
        ),
    )
    SKIN = (
        "skin",
        MatterInfo(
            "Skin",
            "skin face flesh",
            *((0.02, 0.045), (0.2, 0.7), 8.0, 0.35, 2.0, (0.15, 1.0)),
            physical="earth",
        ),
    )
    EARTH = (
        "earth",
        MatterInfo(
            "Earth",
            "earth soil dirt mud ground peat sand clay dust bed forest path",
            *((0.02, 0.045), (0.05, 0.4), 26.0, 0.1, 6.0, (0.4, 2.0)),
            physical="earth",
        ),
    )
    PLANTS = (
        "plants",
        MatterInfo(
            "Plants",
            "grass moss leaf leaves foliage plant plants hedge ivy fern lawn hay straw",
            *((0.03, 0.04), (0.03, 0.26), 28.0, 0.25, 6.0, (0.3, 2.0)),
            physical="earth",
        ),
    )
    GLASS = (
        "glass",
        MatterInfo(
            "Glass",
            "glass bottle window pane crystal",
            *((0.04, 0.055), (0.0, 0.6), 8.0, 0.85, 3.0, (0.3, 1.0)),
            physical="glass",
        ),
    )
    CERAMIC = (
        "ceramic",
        MatterInfo(
            "Ceramic",
            "ceramic tile tiles porcelain glaze glazed encaustic terracotta faience mosaic enamel",
            *((0.04, 0.055), (0.05, 0.85), 9.0, 0.65, 4.0, (0.25, 1.5)),
            physical="tile",
        ),
    )


MATTERS: dict[Matter, MatterInfo] = {matter: matter.info for matter in Matter}
