"""One editor widget for each kind of control."""
