"""What is stored: frozen models with ids, edits by id, and upgrades from older forms."""

from stonestack.core.document.base import Document, Hash, Id, checked_name, new_id, rebuilt
from stonestack.core.document.beginning import DERIVATIONS, derived_steps, new_map, new_surface
from stonestack.core.document.looks import first_look, follows, laid, thawed
from stonestack.core.document.mask import Mask, MaskPart
from stonestack.core.document.outward import (
    Frozen,
    GamePlace,
    MapOrigin,
    Origin,
    Output,
    OwnLevel,
    Returned,
    SourceOrigin,
    Stage,
)
from stonestack.core.document.surface import Map, Step, Surface, moving_steps
from stonestack.core.document.way import MapWay, way_of

__all__ = [
    "DERIVATIONS",
    "Document",
    "Frozen",
    "GamePlace",
    "Hash",
    "Id",
    "Map",
    "MapOrigin",
    "MapWay",
    "Mask",
    "MaskPart",
    "Origin",
    "Output",
    "OwnLevel",
    "Returned",
    "SourceOrigin",
    "Stage",
    "Step",
    "Surface",
    "checked_name",
    "derived_steps",
    "first_look",
    "follows",
    "laid",
    "moving_steps",
    "new_id",
    "new_map",
    "new_surface",
    "rebuilt",
    "thawed",
    "way_of",
]
