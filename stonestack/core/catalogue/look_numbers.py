"""Where each number lies that :mod:`.look_kernels` measures; asked for before that is loaded."""

# Places in what :func:`channels` returns.
SPREAD, DARK, BRIGHT, WHITE, UNIT, MEAN_X, MEAN_Y, MEAN_Z, INSIDE_DISC, BLACK, SHINING = range(11)
COUNTED = 11
# Places in what :func:`together` returns.
STILLEST, LIVELIEST, AGREEMENT = range(3)
# Places in what :func:`edges` returns.
RIM_CLEAR, MIDDLE_SOLID, RIM_SPREAD, WHOLE_SPREAD, STEP_ACROSS, STEP_DOWN = range(6)
GROUND = 118.0
"""What see-through texels are laid over: a middle grey, stored."""
