"""Stone Stack: a workbench for game texture artists."""

import gc
import os

__version__ = "0.1.0"

# Work is shared out to threads by bands and by classes of tests; threads of the linear algebra
# beside those only wait for each other. They are counted when NumPy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

# Nearly all that is made while modules are loaded stays: to look through it 350 times for what does
# not took an eighth of a start.
gc.set_threshold(5_000, 10, 10)
