"""What a new surface, and a new map, begin with."""

from __future__ import annotations

from stonestack.core.document.outward import MapOrigin
from stonestack.core.document.surface import Map, Step, Surface
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.tables.roles import ROLES, Derivation, Role


def derivation_of(surface: Surface, role: Role) -> Derivation | None:
    """Return how a map of a role is made from the maps that a surface has, or None."""
    derived = ROLES[role].derived
    if derived is None or surface.of_role(Role(derived.source)) is None:
        return None
    return derived


def derived_steps(derived: Derivation) -> tuple[Step, ...]:
    """Return the steps of a derivation, with their usual values."""
    if not derived.step:
        return ()
    return (Step.model_validate({"params": {"kind": derived.step}}),)


def new_map(surface: Surface, role: Role) -> Map:
    """Return a map of a role: derived in its usual way where that can be, else waiting for a file.

    Raises
    ------
    BadRequest
        If the surface has one already.
    """
    if surface.of_role(role) is not None:
        raise BadRequest(
            "map-is-there",
            f"This surface has its {ROLES[role].title.lower()} already.",
            "Change that one.",
        )
    derived = derivation_of(surface, role)
    source = surface.of_role(Role(derived.source)) if derived else None
    first = surface.maps[0] if surface.maps else None
    return Map(
        id=str(role),
        role=role,
        origin=MapOrigin(map=source.id) if source else None,
        steps=derived_steps(derived) if derived else (),
        moves_with=_leader(surface, role),
        size=(source or first).size if (source or first) else Map(role=role).size,  # type: ignore[union-attr]
    )


def _leader(surface: Surface, role: Role) -> str | None:
    colour = surface.of_role(Role.COLOUR)
    return colour.id if colour is not None and role is not Role.COLOUR else None


def new_surface(
    title: str,
    name: str,
    roles: frozenset[Role] | None = None,
    colours: frozenset[Role] = frozenset(),
) -> Surface:
    """Return a surface with the usual maps, each derived in its usual way, and no source yet.

    Parameters
    ----------
    roles : frozenset of Role, optional
        Maps that the target asks for, beside those that they are made from; the usual ones by
        default.
    colours : frozenset of Role
        Further maps that hold colours, as the target wants them.
    """
    wanted = set(roles) if roles is not None else {r for r in Role if r.info.usual}
    wanted.add(Role.COLOUR)
    needed = set(wanted)
    while needed:
        sources = {Role(d.source) for r in needed if (d := ROLES[r].derived) is not None}
        needed = sources - wanted
        wanted |= needed
    surface = Surface(title=title, name=name)
    left = [role for role in Role if role in wanted]
    while left:
        # What a map is made from comes before it; the sheet's order is that of the roles.
        role = next(
            r for r in left if (d := ROLES[r].derived) is None or Role(d.source) not in left
        )
        left.remove(role)
        made = new_map(surface, role)
        if role is Role.COLOUR:
            made = made.model_copy(update={"steps": _first_steps()})
        if role in colours:
            made = made.model_copy(update={"colours": True})
        surface = surface.model_copy(update={"maps": (*surface.maps, made)})
    order = list(Role)
    maps = tuple(sorted(surface.maps, key=lambda m: order.index(m.role)))
    return Surface(title=title, name=name, maps=maps)


def _first_steps() -> tuple[Step, ...]:
    from stonestack.core.tile.boundary import CutTile
    from stonestack.core.tile.light import BalanceLight

    return (Step(params=BalanceLight()), Step(params=CutTile(), proposed=True))


DERIVATIONS = frozenset(name for name, step in STEPS.items() if step.makes)
"""Steps that make one role from another; a map with a file of its own has none."""
