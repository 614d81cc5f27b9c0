"""What outlets write: one way a file, found by its SPEC."""
