"""The window around the rooms."""
