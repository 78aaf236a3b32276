"""What lies in a game's folder: what each file is, what belongs together, and how it is found.

:mod:`.filenames` reads names, :mod:`.looks` reads pixels, :mod:`.guess` weighs both,
:mod:`.grouping` puts together what is one thing, :mod:`.local` finds a part of a picture.
"""
