"""What processes of tests find loaded: the product, what tests use, and compiled code."""

from __future__ import annotations

import gc
import importlib
import pkgutil

import cv2
import playwright.sync_api  # noqa: F401

import stonestack
from stonestack.core.tools.compiling import load_all

for _found in pkgutil.walk_packages(stonestack.__path__, "stonestack."):
    if ".migrations." not in _found.name:  # These are scripts, run by name.
        importlib.import_module(_found.name)
# A child that is forked finds none of the threads of its parent.
cv2.setNumThreads(0)
load_all()
cv2.setNumThreads(-1)
# All this stays: nobody looks through it for what does not.
gc.collect()
gc.freeze()
