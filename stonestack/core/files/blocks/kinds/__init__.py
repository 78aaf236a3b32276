"""One file a format, called like it, with ``encode`` and ``decode``. No kernels."""
