"""Maps derived from other maps, one file a derivation."""
