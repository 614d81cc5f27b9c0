"""The parts of the window."""
