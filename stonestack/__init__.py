"""Stone Stack: a workbench for game texture artists."""

__version__ = "0.1.0"
