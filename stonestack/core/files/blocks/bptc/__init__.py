"""Kernels of BC7 and BC6H, whose modes and partitions are alike."""
