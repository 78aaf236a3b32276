"""Stone Stack: a workbench for game texture artists."""

import os

__version__ = "0.1.0"

# Work is shared out to threads by bands and by classes of tests; threads of the linear algebra
# beside those only wait for each other. They are counted when NumPy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
