"""What is held against what a target demands: one file a check."""
