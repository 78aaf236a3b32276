"""Mix what a step has made with what was there before: by a mask, an amount and a blend mode.

Source of the modes: W3C, "Compositing and Blending Level 1", section 9.1 (separable modes).
"""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum

import numpy as np

from stonestack.core.picture.colour import from_seen, seen
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.texels import normalised
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.runtime.parallel import texelwise

_EDGE = 0.1
"""Difference in height over which one goes over into the other."""


class Blend(StrEnum):
    """How two pictures become one."""

    NORMAL = "normal"
    MULTIPLY = "multiply"
    SCREEN = "screen"
    OVERLAY = "overlay"
    DARKEN = "darken"
    LIGHTEN = "lighten"
    ADD = "add"
    SOFT_LIGHT = "soft_light"
    HIGHER = "higher"


def blended(below: Floats, above: Floats, blend: Blend) -> Floats:
    """Return two sets of values blended, 0..1, on the scale that they are given on."""
    if blend is Blend.MULTIPLY:
        return np.asarray(below * above, np.float32)
    if blend is Blend.SCREEN:
        return np.asarray(below + above - below * above, np.float32)
    if blend is Blend.OVERLAY:
        dark, light = 2 * below * above, 1 - 2 * (1 - below) * (1 - above)
        return np.asarray(np.where(below <= 0.5, dark, light), np.float32)
    if blend is Blend.DARKEN:
        return np.asarray(np.minimum(below, above), np.float32)
    if blend is Blend.LIGHTEN:
        return np.asarray(np.maximum(below, above), np.float32)
    if blend is Blend.ADD:
        return np.asarray(np.minimum(below + above, np.float32(1)), np.float32)
    if blend is Blend.SOFT_LIGHT:
        return _soft_light(below, above)
    if blend is Blend.HIGHER:
        return _higher(below, above)
    return above


def _soft_light(below: Floats, above: Floats) -> Floats:
    root = np.where(below <= 0.25, ((16 * below - 12) * below + 4) * below, np.sqrt(below))
    darker = below - (1 - 2 * above) * below * (1 - below)
    lighter = below + (2 * above - 1) * (root - below)
    return np.asarray(np.where(above <= 0.5, darker, lighter), np.float32)


def _higher(below: Floats, above: Floats) -> Floats:
    """Take what stands higher, by its lightness, with a narrow edge between the two."""
    apart = above.mean(axis=-1, keepdims=True) - below.mean(axis=-1, keepdims=True)
    t = np.clip(apart / np.float32(_EDGE), 0, 1)
    return np.asarray(below + (above - below) * (t * t * (3 - 2 * t)), np.float32)


def mixed(
    before: Picture, after: Picture, mask: Picture | None, amount: float, blend: Blend
) -> Picture:
    """Lay what a step made over what was before.

    Parameters
    ----------
    before, after : Picture
        Of one size and meaning; where one has alpha the other is taken as opaque.
    mask : Picture or None
        Data, 0..1: how much of ``after`` is taken at each place; any size.
    amount : float
        Times the mask. Above 1 the step's effect is carried on beyond what it made.
    blend : Blend
        Modes other than normal work on stored values, which the eye sees as even.

    Raises
    ------
    BadRequest
        If the two are not of one size and meaning.
    """
    if before.space is not after.space or before.pixels.shape[:2] != after.pixels.shape[:2]:
        raise BadRequest(
            "cannot-be-mixed",
            "What this step makes cannot be mixed with what was before.",
            "Take its mask off, and set its amount to 1.",
        )
    arrays = [before.pixels, after.pixels]
    if mask is not None:
        arrays.append(resize(mask, before.width, before.height).body)

    def work(one: Floats, other: Floats, *masks: Floats) -> Floats:
        below, above = replace(before, pixels=one), replace(after, pixels=other)
        share = np.full((*one.shape[:2], 1), amount, np.float32)
        for covered in masks:
            share *= covered
        return _mixed_rows(below, above, share, blend)

    pixels = texelwise(work, *arrays)
    return replace(before, pixels=pixels, alpha=pixels.shape[2] > before.body.shape[2])


def _mixed_rows(before: Picture, after: Picture, share: Floats, blend: Blend) -> Floats:
    if before.space is Space.VECTOR:
        vectors = before.body + (after.body - before.body) * share
        return before.with_body(normalised(vectors)).pixels
    if blend is not Blend.NORMAL:
        after = after.with_body(_on_seen_scale(before, after, blend))
    if not (before.alpha or after.alpha):
        return np.clip(before.body + (after.body - before.body) * share, 0, 1)
    return _with_alpha(before, after, share, blend)


def laid_over(
    before: Picture, layer: Picture, mask: Picture | None, amount: float, blend: Blend
) -> Picture:
    """Lay a layer over what was before: where it is clear, that comes through.

    Parameters are those of :func:`mixed`; an amount above 1 is 1.
    """
    opacity = layer.opacity
    if opacity is None:
        return mixed(before, layer, mask, min(amount, 1), blend)
    if mask is not None:
        opacity = opacity * resize(mask, layer.width, layer.height).body
    solid = replace(layer, pixels=layer.body, alpha=False)
    share = Picture(np.ascontiguousarray(opacity), Space.DATA)
    return mixed(before, solid, share, min(amount, 1), blend)


def _on_seen_scale(before: Picture, after: Picture, blend: Blend) -> Floats:
    values = blended(seen(before), seen(after), blend)
    return from_seen(values) if before.space is Space.LINEAR else values.astype(np.float32)


def _with_alpha(before: Picture, after: Picture, share: Floats, blend: Blend) -> Floats:
    """Mix premultiplied, so that clear colour has no say."""
    a, b = _opacity(before), _opacity(after)
    if blend is not Blend.NORMAL:
        # Where nothing lies above, what was below stays; what is clear below stays clear.
        share, b = share * b, a
    weight_a, weight_b = (1 - share) * a, share * b
    opacity = np.clip(weight_a + weight_b, 0, 1)
    total = weight_a + weight_b
    safe = np.where(np.abs(total) > 1e-6, total, 1)
    body = (before.body * weight_a + after.body * weight_b) / safe
    body = np.where(np.abs(total) > 1e-6, body, before.body)
    return np.concatenate([np.clip(body, 0, 1), opacity], axis=2).astype(np.float32)


def _opacity(picture: Picture) -> Floats:
    if picture.opacity is not None:
        return picture.opacity
    return np.ones((picture.height, picture.width, 1), np.float32)
