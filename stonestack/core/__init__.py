"""The job's rules and computation: pure functions on arrays and plain models."""
