"""What everything stands on: errors, memory, cores, stopping, registers. Knows of no picture."""
