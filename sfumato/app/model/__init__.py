"""State and background work: QtCore and the undo stack, no widgets."""
