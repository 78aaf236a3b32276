"""Try what is derived, guessed and checked on scenes of known height, light and matter.

``stone-stack bench maps``, ``bench checks``, ``bench made-of`` and ``bench set``.
"""

from __future__ import annotations

import hashlib
import resource
import time
from collections.abc import Sequence

from stonestack.core.document import SourceOrigin, Stage, Surface, edits, new_surface
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.wiring import Wiring
from stonestack.core.picture.image import Picture, Space
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.demo.paint import Canvas
from stonestack.trials import checks, made_of, maps, matters


def bench_maps(seeds: Sequence[int]) -> None:
    """Print, for each seed, how near heights, normals and specular come to the truth."""
    for seed in seeds:
        started = time.perf_counter()
        told = maps.outcomes(seed)
        print(f"Seed {seed}: {len(told)} pictures")
        for line in maps.table(told):
            print(line)
        print(f"Drawn and derived in {time.perf_counter() - started:.0f} s\n", flush=True)


def bench_checks(seeds: Sequence[int]) -> None:
    """Print, for each seed, how often checks of maps are right, and how near their places lie."""
    for seed in seeds:
        started = time.perf_counter()
        print(f"Seed {seed}")
        for line in checks.table(checks.tried(seed)):
            print(line)
        print(f"Drawn and checked in {time.perf_counter() - started:.0f} s\n", flush=True)


def bench_made_of(seeds: Sequence[int]) -> None:
    """Print, for each seed, how often what a surface is made of is guessed right."""
    for seed in seeds:
        print(f"Seed {seed}")
        for line in made_of.table(made_of.guesses(seed)):
            print(line)


def bench_set(side: int) -> None:
    """Time a whole set of seven maps, from raw pictures to their finished sizes.

    The colour's own steps, light and cut, are done too; nothing is compressed. The first of two
    runs loads what the second has already.
    """
    for name in ("cobbles", "plaster", "wall"):
        values = matters.drawn(name, Canvas(side, side, 77, False))
        data = pictures.write(Picture(values, Space.DATA), FileKind.PNG, 8)
        surface = _full_set(data, side)
        for _ in range(2):
            wiring = Wiring(surface)
            run = Evaluator({hashlib.sha256(data).hexdigest(): data}.__getitem__)
            times: dict[str, float] = {}
            for m in surface.maps:
                key = wiring.at(m.id, Stage.SIZE)
                assert key is not None
                started = time.perf_counter()
                run.picture(wiring.graph, key)
                times[m.role.value] = time.perf_counter() - started
            each = ", ".join(f"{role} {took:.2f}" for role, took in times.items())
            most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            print(
                f"{name}: {sum(times.values()):.2f} s ({each}), at most {most:.0f} MB", flush=True
            )


def _full_set(data: bytes, side: int) -> Surface:
    digest = hashlib.sha256(data).hexdigest()
    origin = SourceOrigin(sha256=digest, name="raw.png", width=side, height=side)
    surface = edits.SetOrigin(map="colour", origin=origin).apply(new_surface("Set", "set"))
    for role in (Role.OCCLUSION, Role.CAVITY, Role.GLOSS):
        surface = edits.AddMap(role=role).apply(surface)
    size = Size(width=side, height=side)
    return edits.SetSize(map="colour", size=size, all_maps=True).apply(surface)
