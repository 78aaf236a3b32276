"""What processes of tests find loaded: the product, what tests use, and compiled code."""

from __future__ import annotations

import gc
import importlib
import pkgutil

import cv2
import playwright.sync_api  # noqa: F401

import stonestack
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.compiling import compile_formats, compile_scalars, compile_steps

for _found in pkgutil.walk_packages(stonestack.__path__, "stonestack."):
    if ".migrations." not in _found.name:  # These are scripts, run by name.
        importlib.import_module(_found.name)
# A child that is forked finds none of the threads of its parent.
cv2.setNumThreads(0)
compile_steps()
compile_scalars()
compile_formats(*BlockFormat)
cv2.setNumThreads(-1)
# All this stays: nobody looks through it for what does not.
gc.collect()
gc.freeze()
