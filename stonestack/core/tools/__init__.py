"""What the command line does with files alone, through the same graph as the bench."""
