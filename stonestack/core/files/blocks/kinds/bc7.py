"""BC7: colour and alpha in sixteen bytes a block, in any of eight modes.

Source: Khronos Data Format Specification 1.3, section 20.1. Mode 6, one line of four channels, is
tried for all blocks; modes 1 and 3 (and 0) with the partitions that an estimate likes best; modes
4 and 5 where one channel goes its own way; mode 7 where alpha varies. What wins is refined. See
:mod:`~.bptc.bc7_encoding` and :mod:`~.bptc.bc7_lines`.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks.bptc import partitions as bptc
from stonestack.core.files.blocks.bptc.bc7_search import Search, Tier
from stonestack.core.files.blocks.layout import as_words, blocks_across, from_blocks, padded
from stonestack.core.files.blocks.quality import PLAIN, Metric, Quality
from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.parallel import over_bands

_ONE = ((0.0, 0.0, 0.0),)
_MORE = (*_ONE, (1 / 16, 1 / 16, 0.0), (0.0, 0.0, 3.0))
_STILL_MORE = (
    *((0.0, 0.15, 0.0), (0.15, 0.0, 0.0), (0.06, 0.06, 0.0), (0.2, 0.2, 0.0), (0.0, 0.3, 0.0)),
    *((0.3, 0.0, 0.0), (-0.05, -0.05, 0.0), (0.1, 0.2, 1.0), (0.2, 0.1, 1.0)),
)


@cache
def _tiers() -> dict[Quality, tuple[Tier, tuple[tuple[float, float, float], ...]]]:
    """Return what each quality tries, and where lines begin."""
    fast = Tier(
        rounds=1,
        every=False,
        polish=0,
        kept=1,
        triple=0,
        margin=1.6,
        apart=1,
        settle=True,
        last_every=False,
        last_polish=0,
        last_settle=False,
        floor=400.0,
    )
    standard = fast._replace(
        kept=2,
        triple=1,
        settle=False,
        last_every=True,
        last_polish=1,
        last_settle=True,
        floor=5.0,
    )
    best = standard._replace(
        rounds=2,
        every=True,
        kept=6,
        triple=2,
        apart=3,
        margin=2.0,
        settle=True,
        last_polish=3,
        floor=0.0,
    )
    return {
        Quality.FAST: (fast, _ONE),
        Quality.STANDARD: (standard, _ONE),
        Quality.BEST: (best, _MORE),
    }


@cache
def _matches_of_one() -> NDArray[np.uint8]:
    """Return ends of seven bits whose second place (21 of 64) is exactly each value."""
    wide = np.arange(128) << 1 | np.arange(128) >> 6
    second = (43 * wide[:, np.newaxis] + 21 * wide[np.newaxis, :] + 32) >> 6
    apart = np.abs(wide[:, np.newaxis] - wide[np.newaxis, :])
    out = np.empty((256, 2), np.uint8)
    for value in range(256):
        best = np.argmin(np.abs(second - value) * 1024 + apart)
        out[value] = np.unravel_index(best, second.shape)
    return out


def encode(texels: Bytes, quality: Quality = Quality.STANDARD, metric: Metric = PLAIN) -> bytes:
    """Encode stored colour and alpha, uint8 (height, width, 4)."""
    return _searched(texels, *_tiers()[quality], metric)


def encode_slowly(texels: Bytes, metric: Metric = PLAIN) -> bytes:
    """Encode with every partition and a long search: what the qualities are measured against."""
    best, starts = _tiers()[Quality.BEST]
    long = best._replace(kept=64, margin=1e6, rounds=4, polish=4, last_polish=16)
    return _searched(texels, long, (*starts, *_STILL_MORE), metric)


def _searched(
    texels: Bytes, tier: Tier, starts: tuple[tuple[float, float, float], ...], metric: Metric
) -> bytes:
    from stonestack.core.files.blocks.bptc.bc7_encoding import encode_blocks

    words = as_words(padded(texels))
    out = np.zeros((words.size // 16, 2), np.uint64)
    search = Search(
        texels=words,
        clear=np.float32(1 / 64 if metric.clear else 1),
        extreme=np.float32(metric.limits),
        weights=np.array([metric.red, metric.green, metric.blue, metric.alpha], np.float32),
        tier=tier,
        starts=np.array(starts, np.float32),
        matches=_matches_of_one(),
        modes=bptc.MODES,
        parts=bptc.PARTS,
        anchors=bptc.ANCHORS,
    )
    over_bands(lambda a, b: encode_blocks(search, a, b, out), len(out), 64)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode any mode to stored colour and alpha, uint8 (height, width, 4)."""
    from stonestack.core.files.blocks.bptc import bc7_decoding

    count = blocks_across(width) * blocks_across(height)
    return from_blocks(bc7_decoding.decode(data, count), width, height)
