"""Kernels of BC1 to BC5, whose texels lie on a line between two ends."""
