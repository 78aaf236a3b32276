"""Stored documents of earlier forms, brought to the present one when they are read.

Each function takes the plain values of one schema version to the next; nothing is written back.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from stonestack.core.tables.roles import Role

Values = dict[str, Any]

_STEPS_1 = {"make_tile": "cut_tile"}
"""Kinds of steps that were called otherwise in the first form."""
_DERIVED_1 = {
    "normal": ("height", "normal_from_height"),
    "height": ("colour", "height_from_colour"),
    "specular": ("colour", "specular_from_colour"),
    "alpha": ("colour", "alpha_from_picture"),
}
_TARGET_1 = "saltglass"
"""The one target there was."""


def surface_from_1(old: Values) -> Values:
    """From maps that are named by role, with steps named by place, to things with ids.

    Ids are made from roles and places, so that they are the same whenever this is read.
    """
    roles = {m["role"] for m in old["maps"]}
    return {
        "title": old["title"],
        "name": old["name"],
        "maps": [_map_from_1(m, old["name"], roles) for m in old["maps"]],
        "masks": [],
    }


def _map_from_1(old: Values, surface: str, roles: set[str]) -> Values:
    role = old["role"]
    origin = old.get("origin")
    steps = [_step_from_1(step, place) for place, step in enumerate(old.get("steps", ()))]
    place = old.get("place")
    if origin is not None and origin["kind"] == "map":
        steps = _with_derivation(role, origin["role"], steps)
        origin = {"kind": "map", "map": origin["role"]}
    usual = surface + Role(role).info.suffix
    output: Values = {
        "format": old["format"],
        "green": old.get("green", "up"),
        "delivered": old.get("delivered", True),
    }
    if old["file_name"] != usual:
        output["name"] = old["file_name"]
    led = old.get("follows", True) and role != "colour" and "colour" in roles
    return {
        "id": role,
        "role": role,
        "origin": origin,
        "steps": steps,
        "moves_with": "colour" if led else None,
        "colours": old.get("colours", False),
        "size": old.get("size", {}),
        "place": {**place, "format": old["format"]} if place else None,
        "returned": list(old.get("returned", ())),
        "outputs": {_TARGET_1: output},
    }


def _step_from_1(old: Values, place: int) -> Values:
    params = {name: value for name, value in old.items() if name != "enabled"}
    params["kind"] = _STEPS_1.get(params["kind"], params["kind"])
    return {"id": f"s{place}", "enabled": old.get("enabled", True), "params": params}


def _with_derivation(role: str, source: str, steps: list[Values]) -> list[Values]:
    """Put in what makes a map of another, which the first form allowed to be missing or off."""
    wanted = _DERIVED_1.get(role)
    if wanted is None or wanted[0] != source:
        return steps
    for step in steps:
        if step["params"]["kind"] == wanted[1]:
            step["enabled"] = True
            return steps
    return [{"id": "s_made", "params": {"kind": wanted[1]}}, *steps]


_MATERIAL_1 = ("surface", "title", "name", "cutout", "metres")
"""Fields of the first form of a material that are called the same now."""


def material_from_1(old: Values) -> Values:
    """From the first form's words to the trade's: the field besides these was the physical kind."""
    kept = {"shine": "gloss", **{name: name for name in _MATERIAL_1}}
    return {kept.get(name, "physical"): value for name, value in old.items()}


def delivery_from_1(old: Values) -> Values:
    """From the one target there was, to one that is said."""
    return {**old, "target": old.get("target", _TARGET_1)}


_UPGRADES: dict[str, dict[int, Callable[[Values], Values]]] = {
    "surface": {1: surface_from_1},
    "material": {1: material_from_1},
    "delivery": {1: delivery_from_1},
    "project": {},
}
"""By kind of document and the version of its form, what makes the next form of it."""


def read_values(kind: str, body: str, schema: int) -> Values:
    """Return a stored document's values in the present form.

    Raises
    ------
    ValueError
        If it was stored by a newer version of the program, or is no JSON.
    """
    values: Values = json.loads(body)
    upgrades = _UPGRADES[kind]
    newest = 1 + len(upgrades)
    if schema > newest:
        raise ValueError("it was stored by a newer version of Stone Stack.")
    for version in range(schema, newest):
        values = upgrades[version](values)
    return values
