"""The texels of sixteen blocks, and those of a part or a channel of them, for BC7's encoder."""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.bptc.bc7_lines import LOCK, MA, MC, WT, P
from stonestack.core.files.blocks.bptc.bc7_search import Search
from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, kernel

# Rows of a group's texels: channel ``c`` of texel ``i`` at ``6 * i + c``, then how much its colour
# and how much its alpha counts; and texels as they are stored, in the same array, so that the
# compiler knows how far they lie apart.
WORDS = 96
TEXELS = 112


@kernel
def load(search: Search, blocks: Any, rows: Any) -> None:
    """Put sixteen blocks into the lanes of a group.

    Parameters
    ----------
    blocks : ndarray, uint32, shape (LANES,)
        Numbers of the blocks.
    rows : ndarray, float32, flat
    """
    words = rows.view(np.uint32)
    flat = search.texels.reshape(-1)
    wide = np.uint64(search.texels.shape[1])
    each = 4 / search.texels.shape[1]
    for lane in range(L):
        # A product instead of a division of whole numbers, which takes as long as all the rest.
        row = np.uint64(np.int32((np.float64(blocks[lane]) + 0.5) * each))
        at = row * np.uint64(3) * wide + np.uint64(4) * np.uint64(blocks[lane])
        for i in range(4):
            for j in range(4):
                words[(WORDS + 4 * i + j) * L + lane] = flat[at + np.uint64(j)]
            at += wide
    byte = np.uint32(255)
    clear = f(search.clear)
    extreme = f(search.extreme)
    for i in range(0, 16, 4):
        for lane in range(L):
            for j in range(4):
                v = words[(WORDS + i + j) * L + lane]
                a = f(np.int32(v >> np.uint32(24)))
                to = 6 * (i + j) * L + lane
                rows[to] = f(np.int32(v & byte))
                rows[to + L] = f(np.int32((v >> np.uint32(8)) & byte))
                rows[to + 2 * L] = f(np.int32((v >> np.uint32(16)) & byte))
                rows[to + 3 * L] = a
                rows[to + 4 * L] = clear if a < f(0.5) else f(1)
                rows[to + 5 * L] = extreme if a < f(0.5) or a > f(254.5) else f(1)


@kernel
def opaque(tex: Any, s: Any) -> int:
    """Lock the alpha of blocks that are opaque; return how many are not."""
    open_ = 0
    for lane in range(L):
        least = f(255)
        for i in range(16):
            least = min(least, tex[(6 * i + 3) * L + lane])
        s[LOCK * L + lane] = f(1) if least > f(254.5) else f(0)
        open_ += 0 if least > f(254.5) else 1
    return open_


@kernel
def uneven(tex: Any) -> int:
    """Return how many blocks have more than one colour."""
    count = 0
    for lane in range(L):
        apart = f(0)
        for i in range(16):
            for c in range(4):
                apart += abs(tex[(6 * i + c) * L + lane] - tex[c * L + lane])
        count += 1 if apart > f(0.5) else 0
    return count


@kernel
def gather(tex: Any, members: Any, count: int, alpha: Any, s: Any) -> int:
    """Put a part's texels into the scratch array; return their number, filled up to fours."""
    padded = (count + 3) // 4 * 4
    for j in range(16):
        if j >= padded:
            break
        i = np.int64(members[j])
        real = f(1) if j < count else f(0)
        for lane in range(L):
            for c in range(3):
                s[(P + 7 * j + c) * L + lane] = tex[(6 * i + c) * L + lane]
            s[(P + 7 * j + 3) * L + lane] = tex[(6 * i + 3) * L + lane] * alpha
            s[(MC + 7 * j) * L + lane] = real * tex[(6 * i + 4) * L + lane]
            s[(MA + 7 * j) * L + lane] = real * tex[(6 * i + 5) * L + lane]
    return padded


@kernel
def gather_line(tex: Any, alone: int, mixed: bool, s: Any) -> None:
    """Put all texels into the scratch array with one channel, now last, made nothing.

    ``mixed`` is whether alpha is among the others: then the colour of all texels counts.
    """
    # Which channel stands where is settled before the loops: else they are compiled eight times.
    red = 3 if alone == 0 else 0
    green = 3 if alone == 1 else 1
    blue = 3 if alone == 2 else 2
    least = f(1) if mixed else f(0)
    for j in range(16):
        for lane in range(L):
            s[(P + 7 * j) * L + lane] = tex[(6 * j + red) * L + lane]
            s[(P + 7 * j + 1) * L + lane] = tex[(6 * j + green) * L + lane]
            s[(P + 7 * j + 2) * L + lane] = tex[(6 * j + blue) * L + lane]
            s[(P + 7 * j + 3) * L + lane] = f(0)
            s[(MC + 7 * j) * L + lane] = max(least, tex[(6 * j + 4) * L + lane])
            s[(MA + 7 * j) * L + lane] = f(0)


@kernel
def gather_alone(tex: Any, alone: int, s: Any) -> None:
    """Put one channel of all texels into the scratch array, as the fourth."""
    channel = alone & 3  # The compiler has to see that it is not negative.
    weight = 5 if channel == 3 else 4
    for j in range(16):
        for lane in range(L):
            m = tex[(6 * j + weight) * L + lane]
            s[(P + 7 * j) * L + lane] = f(0)
            s[(P + 7 * j + 1) * L + lane] = f(0)
            s[(P + 7 * j + 2) * L + lane] = f(0)
            s[(P + 7 * j + 3) * L + lane] = tex[(6 * j + channel) * L + lane]
            s[(MC + 7 * j) * L + lane] = m
            s[(MA + 7 * j) * L + lane] = m


@kernel
def list_members(parts: Any, number: Any, shape: Any, members: Any, sizes: Any) -> None:
    """List the texels of each part of a partition."""
    for part in range(3):
        sizes[part] = 0
    for i in range(16):
        here = np.int64(parts[number, shape, i])
        members[here, sizes[here]] = i
        sizes[here] += 1


@kernel
def set_weights(s: Any, w0: Any, w1: Any, w2: Any, w3: Any) -> None:
    """Set how much each channel counts."""
    for lane in range(L):
        s[WT * L + lane] = w0
        s[(WT + 1) * L + lane] = w1
        s[(WT + 2) * L + lane] = w2
        s[(WT + 3) * L + lane] = w3
